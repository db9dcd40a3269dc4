// SPDX-License-Identifier: MIT
// Symbols for what a solver adds to a problem: multipliers, adjoint unknowns.
#pragma once

#include <string>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// "multiplier_0", "multiplier_1", ...; with more underscores where a symbol in `taken` begins like that.
[[nodiscard]] std::vector<Expr> fresh_symbols(std::string name, std::size_t count, const std::vector<Expr>& taken);

}  // namespace boreon
