// SPDX-License-Identifier: MIT
// Where an integrand may hide from a quadrature rule: narrow peaks, steps and resonances.
#pragma once

#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// Places between a and b (finite or not) at which a range should be split, found on the slowly varying inner
/// expressions instead of the integrand itself: extrema and zeros of what stands inside exponentials, error functions
/// and other functions with a scale of their own, least values of denominators, each with a ladder of places at
/// multiples of its width (the distance over which the inner expression changes by 1, or the denominator doubles). All
/// symbols but x are bound. At most some dozens; none where nothing is narrower than a tenth of the range.
[[nodiscard]] std::vector<double> narrow_places(const Expr& f, const Expr& x, double a, double b);

}  // namespace boreon
