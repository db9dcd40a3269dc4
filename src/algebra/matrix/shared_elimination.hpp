// SPDX-License-Identifier: MIT
// Linear equations whose answers share their parts.
#pragma once

#include <cstddef>
#include <map>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// Solves rows*x = b for each right-hand side b. `rows` holds the entries that are not 0, by column. Answers are
/// quotients within quotients that share their nodes: O(n^3) of them for a dense matrix. Throws Error(domain) with the
/// rank if the matrix is singular.
[[nodiscard]] std::vector<std::vector<Expr>> eliminate_shared(std::vector<std::map<std::size_t, Expr>> rows,
                                                              std::vector<std::vector<Expr>> right);

}  // namespace boreon
