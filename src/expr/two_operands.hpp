// SPDX-License-Identifier: MIT
// Sums and products of two operands, and powers of products, where the general rules have nothing to do but to put
// parts in their places. Most operations on expressions are of this kind.
#pragma once

#include "boreon/expr.hpp"

namespace boreon {

/// A factor that no rule of products or powers takes apart or joins with a different factor.
[[nodiscard]] bool is_plain_factor(const Expr& e);

// Each gives the same node as the general way, or leaves it to that by returning false.
[[nodiscard]] bool sum_of_two(const Expr& a, const Expr& b, bool negate_b, Expr& result);
[[nodiscard]] bool product_of_two(const Expr& a, const Expr& b, Expr& result);
/// For a whole exponent.
[[nodiscard]] bool power_of_plain_product(const Expr& base, const Expr& exponent, Expr& result);

}  // namespace boreon
