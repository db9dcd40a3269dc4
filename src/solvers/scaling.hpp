// SPDX-License-Identifier: MIT
// The sizes of things in a system of equations, from its own terms: what counts as large and small must not depend on
// the units in which unknowns and equations are written.
#pragma once

#include <span>
#include <vector>

#include "boreon/native.hpp"
#include "boreon/system.hpp"

namespace boreon {

/// The sum of the magnitudes of the terms of an expression: sums add up the magnitudes of their terms, products and
/// positive powers multiply those of their factors, everything else counts with its absolute value. Never below the
/// absolute value, so that |f|/magnitude(f) says how much of the terms has cancelled. O(distinct nodes).
[[nodiscard]] Expr magnitude(const Expr& e);

class Scaling {
 public:
  /// For the residuals of a system that checked() has seen.
  explicit Scaling(const System& system);

  /// After parameter values of the system have changed.
  void prepare();

  /// Sizes of the unknowns, positive: that of the start; where that is 0, what the equations say, else its bounds,
  /// else 1.
  struct Sizes {
    std::vector<double>
        least;  ///< where its terms weigh as much as the others in the first equation: below that it may be zero
    std::vector<double>
        reach;  ///< where they do in all equations in which they ever do: how far an iteration may have to go
  };
  [[nodiscard]] Sizes unknowns(std::span<const double> start) const;
  /// magnitude() of every residual at a point.
  [[nodiscard]] std::vector<double> equations(std::span<const double> at) const;

 private:
  const System& system_;
  StagedKernel magnitudes_;
};

}  // namespace boreon
