// SPDX-License-Identifier: MIT
// Kronecker deltas: piecewise(1 if i = j, 0 otherwise), as derivatives of elements by elements, and sums over them.
#pragma once

#include <functional>

#include "boreon/expr.hpp"

namespace boreon {

/// The condition under which two elements are one: the conjunction of equal indices; false for elements of different
/// arrays or anything else. A symbol or unknown call named T[3, 4] is an element as well.
[[nodiscard]] Expr same_place(const Expr& a, const Expr& b);

/// The derivative of a sum or product over a range. Deltas under the sum are carried out.
/// Throws Error(unsupported) for least and greatest values.
[[nodiscard]] Expr derivative_of_reduction(const Expr& e, const Expr& variable,
                                           const std::function<Expr(const Expr&)>& derive);

/// The sum of term over k, with k put in where a delta fixes it: sum(f(k)*delta(k, j)) = f(j) if from <= j <= to.
[[nodiscard]] Expr sum_over_deltas(const Expr& term, const Expr& k, const Expr& from, const Expr& to);

}  // namespace boreon
