// SPDX-License-Identifier: MIT
// Limits as a variable goes to infinity, by the subexpressions that vary most rapidly (Gruntz, dissertation 1996).
#pragma once

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon {

/// e as x goes to +infinity: an expression, +-infinity. Throws NoLimit, and NoExpansion or UnknownSign where it could
/// not be found.
[[nodiscard]] Expr limit_at_infinity(const Expr& e, const Symbol& x, Signs& signs);

}  // namespace boreon
