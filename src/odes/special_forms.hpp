// SPDX-License-Identifier: MIT
// y'' + p*y' + q*y = 0 by the functions of the catalogue that solve such equations.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "odes/context.hpp"

namespace boreon::odes {

/// What p and q have as denominators, both together.
[[nodiscard]] Expr common_denominator(const Expr& p, const Expr& q);

/// Without y' after a factor: waves and exponentials, Airy's, Bessel's and Legendre's equations. Two solutions.
[[nodiscard]] std::optional<std::vector<Expr>> by_normal_form(Context& c, const Expr& p, const Expr& q,
                                                              const Symbol& t);

/// Kummer's and Gauss's equations, counted from any place and in any width. Two solutions.
[[nodiscard]] std::optional<std::vector<Expr>> hypergeometric(Context& c, const Expr& p, const Expr& q,
                                                              const Symbol& t);

}  // namespace boreon::odes
