// SPDX-License-Identifier: MIT
// Highest derivatives from equations in which they occur linearly.
#pragma once

#include <cstddef>
#include <vector>

#include "boreon/model.hpp"

namespace boreon {

/// A*rates = -rest, by elimination on the symbolic matrix, which is diagonal or nearly so in most models. `equations`
/// are the places of the residuals in the model, for messages. Throws Error(unsupported) where rates occur nonlinearly,
/// or the equations do not determine them.
[[nodiscard]] std::vector<Expr> solve_for_rates(const Model& model, const std::vector<std::size_t>& equations,
                                                const std::vector<Expr>& residuals, const std::vector<Expr>& rates);

}  // namespace boreon
