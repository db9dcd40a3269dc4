// SPDX-License-Identifier: MIT
// A value in place of a symbol, as the methods for equations and transforms need it again and again.
#pragma once

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/expr.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

/// e with a value for x, which need not occur.
[[nodiscard]] inline Expr put(const Expr& e, const Expr& x, const Expr& value) {
  return substitute(e, {{x, value}}, Unused::allowed);
}

/// All sums multiplied out, also those inside functions and powers.
[[nodiscard]] inline Expr with_sums_expanded(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; }, [](const Expr& n) { return n.is(Kind::sum) ? expand(n) : n; });
  return pass(e);
}

/// e with x + by for x, sums multiplied out, so that what cancels is gone.
[[nodiscard]] inline Expr moved_by(const Expr& e, const Expr& x, const Expr& by) {
  return with_sums_expanded(put(e, x, x + by));
}

}  // namespace boreon
