// SPDX-License-Identifier: MIT
// Other places from which the variable and the unknown may be counted.
#pragma once

#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon::odes {

struct Shift {
  Expr of_t;
  Expr of_y;
};

/// Where linear parts of the equation vanish, and the y that solves it as a constant; the simplest first, without the
/// shift by nothing.
[[nodiscard]] std::vector<Shift> shifts_of(const Expr& F, const Symbol& t, const std::vector<Symbol>& jets);

/// F with t + of_t and y + of_y, its sums written out.
[[nodiscard]] Expr shifted_equation(const Expr& F, const Shift& s, const Symbol& t, const Symbol& y);

}  // namespace boreon::odes
