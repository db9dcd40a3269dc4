// SPDX-License-Identifier: MIT
// The search for a minimum from one start: a trust region within the bounds, then steps until rounding.
#pragma once

#include <span>
#include <vector>

#include "solvers/fit_residuals.hpp"

namespace boreon {

/// Where the unknowns may be, and which of them are held.
struct FitBox {
  std::vector<double> lower;
  std::vector<double> upper;
  std::vector<char> held;  ///< 1: stays at its start

  [[nodiscard]] double inside(std::size_t i, double v) const {
    return v < lower[i] ? lower[i] : v > upper[i] ? upper[i] : v;
  }
};

struct FitPoint {
  std::vector<double> x;
  double cost = 0;  ///< infinite: none was found
  int iterations = 0;
};

/// Ceres' trust region method with bounds, in units of the sizes of the unknowns. Those in `linear` are solved for in
/// each step instead (variable projection with Kaufman's Jacobian), without use of their bounds: the point is moved
/// inside them at the end.
[[nodiscard]] FitPoint trust_region(FitResiduals& residuals, const FitBox& box, const std::vector<std::size_t>& linear,
                                    const std::vector<double>& start, int max_iterations);

/// What is known at a minimum.
struct FitLocal {
  std::vector<double> r;
  std::vector<double> jacobian;  ///< by rows
  std::vector<std::size_t> free;
  std::vector<char> active;  ///< on a bound against which the data push; 2: the upper one
  std::vector<double> step;  ///< of one more step of Gauss and Newton, of all unknowns
  double slope = 0;          ///< largest cosine between the residuals and a column of a free unknown
  bool finite = false;
};
[[nodiscard]] FitLocal local(FitResiduals& residuals, const FitBox& box, const std::vector<double>& x);

/// Newton's step from there, with the Hessian from central differences of the exact gradient; empty if that is not
/// positive.
[[nodiscard]] std::vector<double> newton_step(FitResiduals& residuals, const FitBox& box, const FitLocal& at,
                                              const std::vector<double>& x);

/// Steps of Gauss and Newton, or of Newton with the Hessian from differences of the exact gradient where those are
/// slow, as long as they get smaller.
void polish(FitResiduals& residuals, const FitBox& box, FitPoint& point);

}  // namespace boreon
