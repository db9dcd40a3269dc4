// SPDX-License-Identifier: MIT
// Nodes of an expression by other expressions.
#pragma once

#include <initializer_list>
#include <utility>

#include "boreon/traverse.hpp"

namespace boreon::equations {

/// e with each node that is the first of a pair by the second, all at once.
[[nodiscard]] inline Expr replaced(const Expr& e, std::initializer_list<std::pair<Expr, Expr>> by) {
  Rebuild pass([&](const Expr& n, Expr& result) {
    for (const auto& [from, to] : by) {
      if (!(n == from)) continue;
      result = to;
      return true;
    }
    return false;
  });
  return pass(e);
}

}  // namespace boreon::equations
