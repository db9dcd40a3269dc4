// SPDX-License-Identifier: MIT
// Integrals within integrals as one numeric function of all variables.
#pragma once

#include <optional>

#include "boreon/quadrature.hpp"

namespace boreon {

/// The integral over x from a to b (finite) of an integrand that is itself a definite integral over a finite range, to
/// any depth: adaptive Gauss-Kronrod rules of two orders in every direction, whose difference is the error. Empty if
/// the shape is another one, the rules do not agree, or more evaluations are needed than the allowance has.
[[nodiscard]] std::optional<QuadratureResult> iterated_quadrature(const Expr& f, const Expr& x, double a, double b,
                                                                  double tolerance);

}  // namespace boreon
