// SPDX-License-Identifier: MIT
// Laplace pairs against numbers.
#pragma once

#include <span>
#include <vector>

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

/// f at random t against the contour integral of F (A. Talbot, J. Inst. Math. Appl. 23, 1979; J. Abate and P. Valko,
/// Int. J. Numer. Meth. Engng 60, 2004): F must have no delays. Points where it fails numerically are skipped.
[[nodiscard]] Evidence check_by_inversion(const Expr& F, const Symbol& s, const Expr& f, const Symbol& t,
                                          std::span<const Expr> conditions, const TransformOptions& options);

}  // namespace boreon::transforms
