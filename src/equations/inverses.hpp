// SPDX-License-Identifier: MIT
// Inverse functions over the real numbers with all their branches.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "calculus/signs.hpp"

namespace boreon::equations {

/// One way in which f(u) = v can hold: u = value + period*n for whole n, under conditions on v.
struct Inverse {
  Expr value;
  Expr period = 0;
  std::vector<Expr> conditions = {};
};

/// All real u with kernel(u) = v for a real v, where kernel is a function of one argument or base^exponent with a
/// number as one of the two; empty if there is none. Nothing for functions whose inverse is not known here. `argument`
/// is set to u.
[[nodiscard]] std::optional<std::vector<Inverse>> inverses(const Expr& kernel, const Expr& v, const Signs& signs,
                                                           Expr& argument);

/// The same over the complex numbers; without conditions: where v has no such u, substituting it back tells.
[[nodiscard]] std::optional<std::vector<Inverse>> complex_inverses(const Expr& kernel, const Expr& v, Expr& argument);

}  // namespace boreon::equations
