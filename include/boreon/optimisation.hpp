// SPDX-License-Identifier: MIT
// The least or greatest value of an expression over unknowns with bounds, equations and inequalities, with derived
// gradients and Hessians.
#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

/// lower <= value <= upper; an equation where both are the same.
struct Constraint {
  std::string name;
  Expr value;  ///< in unknowns and parameters
  double lower = -std::numeric_limits<double>::infinity();
  double upper = std::numeric_limits<double>::infinity();

  [[nodiscard]] bool is_equation() const { return lower == upper; }
  /// How far a value is outside; 0 inside.
  [[nodiscard]] double missed_by(double v) const { return v < lower ? lower - v : v > upper ? v - upper : 0.0; }
};

/// Where is the objective least (or greatest)?
///
///     const Symbol r("r"), h("h");
///     OptimisationProblem can;   // the least sheet metal for a volume of 1
///     can.unknowns = {r, h};
///     can.start = {1, 1};
///     can.lower = {0, 0};
///     can.objective = 2*pi()*r*r + 2*pi()*r*h;
///     can.constraints = {{"volume", pi()*r*r*h, 1, 1}};
///     const OptimisationResult best = optimise(can);   // best.values, best.prices
struct OptimisationProblem {
  std::vector<std::string> names = {};  ///< of the unknowns; empty: those of the symbols
  std::vector<Expr> unknowns = {};      ///< symbols
  std::vector<double> start = {};       ///< empty: 0, moved inside the bounds
  std::vector<double> lower = {};       ///< empty: no bounds
  std::vector<double> upper = {};
  std::vector<Expr> parameters = {};  ///< symbols
  std::vector<std::string> parameter_names = {};
  std::vector<double> parameter_values = {};
  Expr objective = 0;
  bool maximise = false;
  std::vector<Constraint> constraints = {};
};

struct OptimisationOptions {
  int other_starts = -1;  ///< searches from elsewhere within the bounds; -1: as many as are cheap
  int max_iterations = 1000;
};

enum class OptimisationOutcome : std::uint8_t {
  found,
  infeasible,   ///< the constraints contradict each other, at least near where the search ended
  unbounded,    ///< the objective has no least value
  left_domain,  ///< no value at the start
  not_found     ///< no place that passes the tests of an optimum
};

/// Another optimum that a search has ended in.
struct OtherOptimum {
  std::vector<double> values;
  double objective = 0;
  int searches = 0;
};

struct OptimisationResult {
  OptimisationOutcome outcome = OptimisationOutcome::not_found;
  std::string message;  ///< one sentence if none was found: what is in the way, and what to try
  std::vector<double> values;
  double objective = 0;

  /// Of each constraint, and of the bounds of each unknown: -1 held at its lower limit, 1 at its upper one (or an
  /// equation), 0 not in the way.
  std::vector<int> active;
  std::vector<int> at_bounds;
  std::vector<double> constraint_values;
  /// What the optimum gains for each unit by which the limit that holds is raised: d(objective)/d(limit), 0 where none
  /// holds. These are the multipliers of Lagrange, with the sign of that derivative. NaN where the constraints depend
  /// on each other, so that only sums of them are determined.
  std::vector<double> prices;
  std::vector<double> bound_prices;

  /// Directions in which all that holds can be kept, and the least curvature of the objective among them, each unknown
  /// in units of its size and relative to the largest curvature: positive for a strict optimum, 0 for a flat one.
  std::size_t free_directions = 0;
  double curvature = 0;
  bool curvature_known = false;  ///< it is looked at for up to 400 unknowns

  bool flat = false;  ///< the unknowns are determined to few digits, or not at all

  int iterations = 0;    ///< of the search that led there
  int searches = 0;      ///< with the one from the given start
  int same_optimum = 0;  ///< searches that ended here
  bool from_other_start = false;
  std::vector<OtherOptimum> others;  ///< best first
  std::vector<std::string> warnings;
  Evidence evidence;
  /// The conditions of an optimum as equations (slope of the Lagrangian, what holds) for unknowns and multipliers, of
  /// which `conditions.start` is the root: for sensitivities of the optimum. Without what is not in the way.
  System conditions;

  [[nodiscard]] bool found() const { return outcome == OptimisationOutcome::found; }
};

/// An interior point method (Ipopt) with derived gradients, Jacobians and Hessians from several starts; then Newton's
/// method on the conditions of Karush, Kuhn and Tucker for what holds, unknown by unknown to rounding. An answer is one
/// only if no multiplier has the wrong sign, the curvature is that of an optimum, the derivatives agree with independent
/// numerics, and none of the feasible points that are looked at around it is better. The best of all searches is
/// returned; that there is no better one elsewhere is not proved. Throws Error(shape) for lists that do not fit
/// together, Error(binding) for symbols without a value, Error(usage) for bounds that exclude everything. Sources:
/// Waechter and Biegler, Math. Programming 106 (2006) 25; Nocedal and Wright, Numerical Optimization, 2006, ch. 12.
[[nodiscard]] OptimisationResult optimise(const OptimisationProblem& problem, const OptimisationOptions& options = {});

}  // namespace BOREON_API
