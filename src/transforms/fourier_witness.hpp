// SPDX-License-Identifier: MIT
// Fourier pairs against numbers.
#pragma once

#include <span>

#include "boreon/evidence.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "boreon/transform.hpp"

namespace boreon::transforms {

/// Parseval's identity with Gaussian functions g of random place and width: the integral of f*g over t against that of
/// F times the transform of g over w. Impulses, a number times dirac_delta(w - place), are taken exactly; poles of
/// first order on the line as principal values. Both sides by Gauss's rule on short panels whose ends hold all places
/// where something jumps: parameters are multiples of 1/4.
[[nodiscard]] Evidence check_fourier_pair(const Expr& f, const Symbol& t, const Expr& F, const Symbol& w,
                                          std::span<const Expr> conditions, const TransformOptions& options);

}  // namespace boreon::transforms
