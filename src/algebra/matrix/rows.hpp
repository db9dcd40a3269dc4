// SPDX-License-Identifier: MIT
// Determinants of a few expressions, without the matrix library.
#pragma once

#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// Of as many rows as columns; 1 for none.
[[nodiscard]] Expr determinant_of_rows(const std::vector<std::vector<Expr>>& rows);

}  // namespace boreon
