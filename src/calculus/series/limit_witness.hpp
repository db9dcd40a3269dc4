// SPDX-License-Identifier: MIT
// Numbers on the way to the place of a limit.
#pragma once

#include <span>

#include "boreon/series.hpp"

namespace boreon {

/// Compares the limit with values closer and closer to the place, complex ones too; notes in the result what was seen.
/// `direction` is -1 from below and at -infinity. Throws Error(check) if the values stay away from it.
void compare_nearby(const Expr& f, const Expr& x, const Expr& place, int direction, LimitResult& result,
                    std::span<const Expr> conditions);

/// Whether values settle to one number although no limit is said to exist: what is said to oscillate has to keep its
/// distance from itself on each side that counts.
[[nodiscard]] bool settles(const Expr& f, const Expr& x, const Expr& place, LimitSide side,
                           std::span<const Expr> conditions);

}  // namespace boreon
