// SPDX-License-Identifier: MIT
// Laplace pairs against numbers.
#pragma once

#include <span>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evidence.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "boreon/transform.hpp"

namespace boreon::transforms {

/// The integral of f(t)*exp(-s*t) over t > 0 by quadrature, with impulses and their derivatives at their places taken
/// exactly, against F(s), at random s above the bounds and random parameters under the conditions.
[[nodiscard]] Evidence check_pair(const Expr& f, const Symbol& t, const Expr& F, const Symbol& s,
                                  std::span<const Expr> bounds, std::span<const Expr> conditions,
                                  const TransformOptions& options);

/// Counts two values at a point, `scale` being the least size they are judged by; keeps the worst.
void compare(Evidence& out, double derived, double reference, double scale, const Bindings& at);

/// f at random t against contour integrals of F, which must have no delays: along Talbot's contour early enough that it
/// goes around all singular places, as far as F tells where they are, and along a line to the right of what f grows
/// with at later times. Points where they fail numerically are skipped.
[[nodiscard]] Evidence check_by_inversion(const Expr& F, const Symbol& s, const Expr& f, const Symbol& t,
                                          std::span<const Expr> conditions, const TransformOptions& options);

}  // namespace boreon::transforms
