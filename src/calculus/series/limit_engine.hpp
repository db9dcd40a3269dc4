// SPDX-License-Identifier: MIT
// One-sided limits for other parts of calculus, with signs that may be assumed.
#pragma once

#include <string>

#include "calculus/signs.hpp"

namespace boreon {

/// Thrown where it is shown that there is no limit.
struct NoLimit {
  std::string why;
  bool bounded = false;  ///< by parts that stay bounded, which may cancel unseen
};

/// The limit from one side (at +-infinity the side does not matter): an expression, +-infinity. Throws NoLimit, and
/// NoExpansion or UnknownSign where it could not be found.
[[nodiscard]] Expr one_sided_limit(const Expr& f, const Expr& x, const Expr& place, bool above, Signs& signs);

[[nodiscard]] bool has_undefined(const Expr& e);
/// Whether an infinity or `undefined` occurs.
[[nodiscard]] bool has_infinity(const Expr& e);

}  // namespace boreon
