// SPDX-License-Identifier: MIT
// Polynomials that solve a linear differential equation with rational coefficients.
#pragma once

#include <optional>
#include <span>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon::odes {

/// The polynomial u of exactly this degree, led by 1, with coefficients[0]*u + coefficients[1]*u' + ... = 0, by linear
/// equations for its coefficients; those that stay free are zero. Nothing where there is none.
[[nodiscard]] std::optional<Expr> polynomial_solution(std::span<const Expr> coefficients, const Symbol& t, int degree);

}  // namespace boreon::odes
