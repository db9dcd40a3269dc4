// SPDX-License-Identifier: MIT
// Whether an expression is zero at random values of its parameters, in ball arithmetic: what solutions are tested by.
#pragma once

#include <span>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon::equations {

enum class Zero { yes, no, undefined, unknown };

struct ZeroTest {
  Zero verdict = Zero::unknown;
  std::size_t points = 0;   ///< at which it was zero
  std::size_t against = 0;  ///< at which it was not, or had no value
  double digits = 0;        ///< of the terms of a sum that cancel, at the worst point
};

/// e at `points` values of its symbols under the conditions. Zero only where some 30 digits of its terms cancel; `no`
/// where at all points it is certainly not; `undefined` where it has no value at any. Where the points differ the
/// verdict is `unknown` and the counts tell.
[[nodiscard]] ZeroTest zero_test(const Expr& e, std::span<const Expr> conditions, std::size_t points,
                                 std::uint64_t seed);

}  // namespace boreon::equations
