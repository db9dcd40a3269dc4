// SPDX-License-Identifier: MIT
// Complex conjugates by form.
#pragma once

#include "boreon/expr.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

/// With -i for i: the conjugate where all symbols and functions in it are real for real arguments.
[[nodiscard]] inline Expr conjugated(const Expr& e) {
  return Rebuild(
      [](const Expr& n, Expr& result) {
        const bool unit = n == imaginary_unit();
        if (unit) result = -n;
        return unit;
      },
      [](const Expr& n) { return n; })(e);
}

}  // namespace boreon
