// SPDX-License-Identifier: MIT
// Where an expression of one real symbol is singular, changes its form, or ceases to be real.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon::equations {

/// Nothing if they could not all be found. Candidates: at some of them nothing may happen. Between `from` and `to`,
/// which where they are numbers bound periodic ones.
[[nodiscard]] std::optional<std::vector<Expr>> domain_ends(const Expr& side, const Symbol& x,
                                                           const Expr& from = -infinity(), const Expr& to = infinity());

/// With the places at which amounts, signs, pieces change their form.
[[nodiscard]] std::optional<std::vector<Expr>> domain_ends_and_breaks(const Expr& side, const Symbol& x);

}  // namespace boreon::equations
