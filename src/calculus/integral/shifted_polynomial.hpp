// SPDX-License-Identifier: MIT
// A polynomial about another place.
#pragma once

#include <cstddef>
#include <vector>

#include "boreon/algebra.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

/// Of the sum of c[k]*(y + by)^k: the coefficients of y^0, y^1, ...
[[nodiscard]] inline std::vector<Expr> shifted_coefficients(const std::vector<Expr>& c, const Expr& by) {
  const Symbol y("_y");
  Expr sum = 0;
  for (std::size_t k = 0; k < c.size(); ++k) sum += c[k] * power(y + by, Expr(k));
  return coefficients(sum, y);
}

}  // namespace boreon
