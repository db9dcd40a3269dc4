// SPDX-License-Identifier: MIT
// The derivative of one node with respect to its operands, shared by the forward and the reverse sweep.
#pragma once

#include <functional>

#include "boreon/expr.hpp"

namespace boreon {

/// Calls emit(child, partial) for each operand through which the value of `e` varies. Sums, products, powers, known and
/// unknown calls. Returns false for nodes that need more than the chain rule (piecewise, integrals, ...).
bool local_partials(const Expr& e, const std::function<bool(const Expr&)>& wanted,
                    const std::function<void(const Expr& child, Expr partial)>& emit);

/// The derivative of piecewise, integrals, sums, limits and unevaluated derivatives by a symbol or unknown call, given
/// the derivative of any expression.
[[nodiscard]] Expr derivative_of_operator(const Expr& e, const Expr& variable,
                                          const std::function<Expr(const Expr&)>& derive);

}  // namespace boreon
