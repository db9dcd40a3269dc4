// SPDX-License-Identifier: MIT
// Ipopt's search for a minimum from one start.
#pragma once

#include <string>
#include <vector>

#include "solvers/smooth_problem.hpp"

namespace boreon {

struct InteriorPoint {
  enum class Ending { converged, infeasible, unbounded, too_many_iterations, stuck };
  Ending ending = Ending::stuck;
  std::vector<double> x;
  std::vector<double> multipliers;  ///< of the constraints: the gradient is minus their sum of slopes, minus bounds
  std::vector<double> at_lower;     ///< of the bounds, not negative
  std::vector<double> at_upper;
  std::vector<double> constraints;  ///< their values
  double objective = 0;             ///< of SmoothProblem::objective()
  int iterations = 0;
};

/// In units of the sizes of the problem. Throws Stopped.
[[nodiscard]] InteriorPoint interior_point(const SmoothProblem& problem, const std::vector<double>& start,
                                           const SmoothProblem::Sizes& sizes, int max_iterations);

}  // namespace boreon
