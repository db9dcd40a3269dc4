// SPDX-License-Identifier: MIT
// Lists of conditions without what follows from the rest of them.
#pragma once

#include <span>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// The same conditions, all of which hold together, said once: what is repeated, follows from the assumptions of
/// symbols, from `given` or from the others is left out (b != a beside b < a); alternatives that differ in one
/// comparison are joined (a < 0 or a > 0 is a != 0). O(n^2) questions to the reasoner.
[[nodiscard]] std::vector<Expr> reduced_conditions(std::span<const Expr> conditions, std::span<const Expr> given = {});

}  // namespace boreon
