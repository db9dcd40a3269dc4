// SPDX-License-Identifier: MIT
// Numeric solvers: steady states through KINSOL, time stepping through CVODES (SUNDIALS), with derived Jacobians.
#pragma once

#include <cstddef>
#include <functional>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/list.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

// A System made by hand needs `states` and as many `residuals` (steady state) or `right_sides` (in time). Empty lists
// are filled in: starts with 0, bounds with -infinity and infinity, names with those of the symbols, the time with t.
// Error(shape) names a list of the wrong length, Error(binding) a symbol without a value.

enum class LinearSolver { automatic, dense, sparse };  ///< sparse is KLU; automatic decides by size and fill

struct SteadyOptions {
  double tolerance = 1e-12;  ///< of the scaled residual norm
  int max_iterations = 400;
  LinearSolver linear_solver = LinearSolver::automatic;
  /// Attempts from other starts, spread around the given one, if that does not converge. The same on every run.
  int restarts = 12;
};

struct Iteration {
  int number = 0;
  double residual_norm = 0;  ///< Euclidean norm of the residuals
  double step_norm = 0;      ///< largest change of an unknown relative to its size
};

enum class SteadyOutcome {
  converged,
  left_domain,
  singular,
  stalled,
  at_bound,
  too_many_iterations,
  not_finite_at_start
};

struct SteadyResult {
  bool converged = false;
  SteadyOutcome outcome = SteadyOutcome::stalled;
  std::string message;          ///< one sentence: what happened and, on failure, what to try
  std::vector<double> values;   ///< of the states, in order
  std::vector<double> start;    ///< the start that led there, if it was another than the system's
  std::vector<double> outputs;  ///< of the system's outputs
  double residual_norm = 0;
  /// What was verified, unknown by unknown and equation by equation, so that the scales of the others hide nothing:
  std::vector<double>
      corrections;  ///< of one more Newton step, each relative to its own unknown (or its scale, for zeros)
  std::vector<double> term_residuals;  ///< each residual relative to the sum of the magnitudes of its terms
  std::vector<double> scales;          ///< the sizes below which an unknown counts as zero
  double correction = 0;               ///< the largest of `corrections`
  std::vector<Iteration> iterations;   ///< of the last attempt
  int restarts = 0;                    ///< attempts from other starts that were needed
  std::vector<std::string> at_bounds;
  std::vector<std::string> suspects;  ///< unknowns that a singular Jacobian leaves undetermined
  std::string linear_solver;
  std::size_t nonzeros = 0;
  std::size_t residual_calls = 0;
  std::size_t jacobian_calls = 0;
};

/// Solves residuals = 0 for the states by Newton's method with line search, within the bounds. Unknowns and equations
/// are divided by their own sizes, so that the units in which they are written change nothing; an answer is one only if
/// every unknown moves by less than 1e-7 of itself in one more Newton step and every equation is fulfilled to 1e-7 of
/// its terms. Throws Error(unsupported) unless there are as many residuals as states. Source: Hindmarsh et al.,
/// SUNDIALS, ACM TOMS 31 (2005) 363.
[[nodiscard]] SteadyResult solve_steady(const System& system, const SteadyOptions& options = {});

enum class SteppingMethod { bdf, adams };

struct TimeOptions {
  double from = 0;
  double until = 1;
  std::size_t samples = 101;  ///< equally spaced, both ends included
  double relative_tolerance = 1e-8;
  double absolute_tolerance = 0;   ///< 0: relative_tolerance times a thousandth of the size of each state
  std::vector<double> sizes = {};  ///< of the states, for these tolerances; empty or 0: by start and first rate
  SteppingMethod method = SteppingMethod::bdf;
  LinearSolver linear_solver = LinearSolver::automatic;
  long max_steps = 500000;               ///< between two samples
  std::function<void(double)> progress;  ///< called with the time reached, if set
  /// What happens where a state crosses a bound of the system.
  enum class AtBound { stop, warn, ignore };
  AtBound at_bound = AtBound::stop;
};

/// A state that left its bounds.
struct BoundCrossing {
  std::string state;
  double time = 0;
  double bound = 0;
  bool upper = false;
};

struct TimeResult {
  bool completed = false;
  std::string message;                   ///< what happened, if not completed
  std::vector<BoundCrossing> crossings;  ///< in order of time; at most one for each bound
  std::vector<double> times;
  std::vector<std::vector<double>> states;   ///< by sample
  std::vector<std::vector<double>> outputs;  ///< by sample
  std::vector<double> tolerances;            ///< absolute ones, by state
  std::string method;
  std::string linear_solver;
  std::size_t nonzeros = 0;
  long steps = 0;
  long right_side_calls = 0;
  long jacobian_calls = 0;
  long error_test_failures = 0;
  long nonlinear_failures = 0;
  double last_step = 0;
};

/// Steps d(state)/dt = right_sides from the start values. BDF with the derived Jacobian for stiff systems, Adams for
/// others. A state that crosses a finite bound by more than the tolerances ends the run or is noted, see
/// TimeOptions::at_bound. Throws Error(shape) on a system without right-hand sides, Stopped (see work.hpp).
[[nodiscard]] TimeResult step_in_time(const System& system, const TimeOptions& options);

/// A closed form of differential equations (see boreon/ode.hpp: each equation an expression that is to be zero, the
/// solution as y(t) to an expression) beside a run in time from the values that are given at one place, over `length`.
/// Untested where symbols have no values, conditions are given at several places, or impulses kick the equation.
[[nodiscard]] Evidence compare_with_run(const ExprList& equations, const Bindings& solution,
                                        const std::vector<Expr>& given, double length = 1);

/// Comma-separated values: a head line of names, one line a sample, 17 significant digits.
[[nodiscard]] std::string to_csv(const System& system, const TimeResult& result);
/// A name as a field of a CSV file: in quotes if it has a comma, as that of an element, "T[0, 1]".
[[nodiscard]] std::string csv_field(const std::string& name);

}  // namespace BOREON_API
