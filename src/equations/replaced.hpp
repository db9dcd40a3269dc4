// SPDX-License-Identifier: MIT
// Nodes of an expression by other expressions.
#pragma once

#include <initializer_list>
#include <utility>

#include "algebra/linear_terms.hpp"
#include "boreon/traverse.hpp"

namespace boreon::equations {

/// e with each node that is the first of a pair by the second, all at once. A power is also found among the factors of
/// a product, where it is no node of its own: sqrt(1 + x^2) in a*sqrt(1 + x^2).
[[nodiscard]] inline Expr replaced(const Expr& e, std::initializer_list<std::pair<Expr, Expr>> by) {
  const auto match = [&](const Expr& n) -> const Expr* {
    for (const auto& [from, to] : by) {
      if (n == from) return &to;
    }
    return nullptr;
  };
  Rebuild pass(
      [&](const Expr& n, Expr& result) {
        const Expr* const to = match(n);
        if (to != nullptr) result = *to;
        return to != nullptr;
      },
      [&](const Expr& n) {
        if (!n.is(Kind::product)) return n;
        Expr out = n;
        for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
          if (exponent.is_integer(1)) return;
          const Expr factor = power(base, exponent);
          if (const Expr* const to = match(factor)) out = out / factor * *to;
        });
        return out;
      });
  return pass(e);
}

}  // namespace boreon::equations
