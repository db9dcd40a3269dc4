// SPDX-License-Identifier: MIT
// Places where a function changes its sign.
#pragma once

#include "boreon/expr.hpp"
#include "expr/ball.hpp"

namespace boreon {

/// Of a Kind::root without free symbols: the only one that a scan of the range tells. Throws Error(domain) where the
/// sign does not change, changes more than once, or changes by a jump or a pole.
[[nodiscard]] double root_in_doubles(const Expr& root);
/// An enclosure between two places with certain signs. Throws Error(unsupported) where these cannot be told.
[[nodiscard]] Ball root_in_balls(const Expr& root, long precision);

}  // namespace boreon
