// SPDX-License-Identifier: MIT
// The sign of an expression: which of e and -e stands inside odd and even functions and even powers.
#pragma once

#include "boreon/expr.hpp"

namespace boreon {

/// Whether of e and -e the other one is written: a negative number, a product with an odd number of minus signs, a sum
/// with more negative terms than positive ones. Of a - b and b - a the one in which the symbol that comes first in the
/// alphabet (u9 before u10) is positive. At most one of e and -e points backwards. O(terms); long sums never do.
[[nodiscard]] bool points_backwards(const Expr& e);
/// -e, with the minus taken into every term of a sum: -(-x - y) is x + y.
[[nodiscard]] Expr reversed(const Expr& e);

/// The one of e and -e that does not point backwards, sums among the factors of a product turned likewise.
struct Oriented {
  Expr value;
  bool turned = false;  ///< value is -e
};
[[nodiscard]] Oriented oriented(const Expr& e);

}  // namespace boreon
