// SPDX-License-Identifier: MIT
// What numbers for the parameters tell of a system of polynomials with parameters.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon::equations {

/// How often each of these solutions counts where the parameters have no special values: their values at two points,
/// set beside the zeros of the systems with numbers. Empty where all count once or it could not be told.
[[nodiscard]] std::vector<unsigned> multiplicities_with_parameters(
    std::span<const Expr> equations, std::span<const Expr> unknowns, const std::vector<Expr>& conditions,
    const std::vector<std::vector<std::optional<Expr>>>& solutions);

}  // namespace boreon::equations
