// SPDX-License-Identifier: MIT
// Weighted nonlinear least squares with bounds: models of measured columns, of a run in time, or of steady states, with
// derived Jacobians, standard errors, and what the numbers do not determine.
#pragma once

#include <cstddef>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include "boreon/data_table.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

/// What was measured, what it should have been, and how sure the measurement is.
struct FitTarget {
  std::string name;
  Expr measured;          ///< symbol of a column
  Expr model;             ///< in unknowns, parameters and columns; in a run in time also in its states and time
  Expr deviation = 1;     ///< one standard deviation, in parameters and columns
  bool absolute = false;  ///< deviations are standard deviations; else they are known up to a common factor
  bool robust = false;    ///< Cauchy's loss: values many deviations away count little
};

/// The sum over all rows of ((model - measured)/deviation)^2 is made least.
///
///     const Symbol a("a"), b("b"), x("x"), y("y");
///     FitProblem problem;
///     problem.names = {"a", "b"};
///     problem.unknowns = {a, b};
///     problem.start = {1, 1};
///     problem.data.symbols = {x, y};
///     problem.data.names = {"x", "y"};
///     problem.data.columns = {{0, 1, 2, 3}, {1.1, 1.9, 3.2, 3.9}};
///     problem.targets = {{"y", y, a + b*x}};
///     const FitResult line = fit(problem);   // line.values, line.standard_errors
struct FitProblem {
  std::vector<std::string> names;  ///< of the unknowns
  std::vector<Expr> unknowns;      ///< symbols
  std::vector<double> start;
  std::vector<double> lower;  ///< empty: no bounds
  std::vector<double> upper;
  std::vector<Expr> parameters;  ///< symbols with values that stay
  std::vector<double> parameter_values;
  DataTable data;
  std::vector<FitTarget> targets;

  /// A run in time: the unknowns are parameters of this system, or start values of its states, and `time` is the column
  /// with the times of the rows, in any order.
  std::optional<System> run;
  std::vector<std::optional<std::size_t>> start_of = {};  ///< of each unknown the state whose start it is; may be empty
  Expr time;
  double from = 0;
  double relative_tolerance = 1e-9;  ///< of the run

  /// Steady states, one for each row: the unknowns are parameters of this system, and so are the columns that its
  /// equations use, which take the values of the row. Models may use its states.
  std::optional<System> steady = {};
};

struct FitOptions {
  /// Searches from other starts, spread within the bounds or around the given start; -1: as many as are cheap.
  int other_starts = -1;
  /// The lowest minimum that was found, even if errors do not tell it from that of the given start.
  bool lowest = false;
  int max_iterations = 400;
  /// Intervals in which chi-square rises by no more than 1 (times its size for each degree of freedom, where deviations
  /// are relative), the other unknowns following.
  bool profile = false;
  unsigned threads = 1;
};

/// An unknown on a bound that the data push against.
struct ActiveBound {
  std::string name;
  double value = 0;
  bool upper = false;
};

struct FitResult {
  bool converged = false;
  std::string message;
  std::vector<double> values;
  std::vector<double> standard_errors;           ///< NaN: on a bound, or not determined by the data
  std::vector<std::vector<double>> covariance;   ///< 0 for unknowns on a bound
  std::vector<std::vector<double>> correlation;  ///< NaN there
  std::vector<ActiveBound> at_bounds;
  std::size_t measurements = 0;
  std::size_t left_out = 0;  ///< measurements with a missing value
  long degrees_of_freedom = 0;
  double residual_norm = 0;  ///< root of the sum of the squared, weighted residuals
  double chi_square = 0;     ///< its square
  bool absolute = false;     ///< whether standard errors come from given deviations, or from the scatter of residuals
  double robust_scale = 0;   ///< deviations by which robust losses were scaled, where none were given
  std::vector<std::string> warnings;

  int iterations = 0;
  int starts = 0;         ///< searches, with the given start
  int same_minimum = 0;   ///< of them ended here
  int other_minima = 0;  ///< ended in another minimum: higher, or lower by less than errors explain
  bool from_other_start = false;
  std::vector<std::string> eliminated;  ///< unknowns that occur linearly and were solved for in each step

  /// R^2 of each target: 1 less what is left of its scatter about the mean, each measurement by its deviation. NaN for a
  /// column that is constant.
  std::vector<double> determination;
  std::vector<std::pair<double, double>> profile;  ///< for FitOptions::profile, in order of the unknowns
  double nonlinearity = 0;  ///< of chi-square one standard error away against a parabola, the worst relative difference
  Evidence evidence;

  /// For figures: of each target the rows that took part, with the model's values and their standard errors.
  struct Curve {
    std::vector<std::size_t> rows;
    std::vector<double> measured;
    std::vector<double> deviation;
    std::vector<double> model;
    std::vector<double> band;  ///< standard error of the model's value
  };
  std::vector<Curve> curves;
};

/// Minimises by a trust region method within the bounds (Ceres) with derived Jacobians, then by steps of Gauss and
/// Newton on the unknowns that are not on a bound, until rounding. Unknowns in which the models are linear are
/// eliminated at first (variable projection). The covariance is (J^T W J)^-1 over the unknowns not on a bound. Throws
/// Error(shape) for lists that do not fit together or fewer measurements than unknowns, Error(domain) for data without
/// a value, deviations that are not positive, or a model that has no value at the start; rows and lines are named.
/// Sources: Agarwal, Mierle et al., Ceres Solver; Golub and Pereyra, SIAM J. Numer. Anal. 10 (1973) 413; Kaufman, BIT
/// 15 (1975) 49; Bates and Watts, Nonlinear Regression Analysis, 1988.
[[nodiscard]] FitResult fit(const FitProblem& problem, const FitOptions& options = {});

/// Along what a target is looked at: the time of a run, else the first column that its model or the equations of steady
/// states use; nothing if they use none.
[[nodiscard]] std::optional<std::size_t> column_along(const FitProblem& problem, std::size_t target);

/// The model of a target along a column (the time of a run), for figures: values and their standard errors at places of
/// your own. Empty where the model, or the equations of steady states, depend on other columns as well.
[[nodiscard]] FitResult::Curve model_curve(const FitProblem& problem, const FitResult& result, std::size_t target,
                                           std::size_t column, const std::vector<double>& places);

}  // namespace BOREON_API
