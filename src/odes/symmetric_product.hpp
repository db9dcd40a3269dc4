// SPDX-License-Identifier: MIT
// Solutions of u'' = r*u, for a rational r, by the product of two of them: the second case of J. J. Kovacic, J. Symb.
// Comp. 2 (1986) 3.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "odes/context.hpp"

namespace boreon::odes {

/// Where the product w of two solutions is a polynomial times half powers of the poles of r: w solves w''' = 4*r*w' +
/// 2*r'*w, k = w'^2 - 2*w*w'' + 4*r*w^2 is constant, and the solutions are sqrt(w)*exp(+-sqrt(k)/2*integral(1/w)), or
/// waves. Nothing where there is no such w or a pole is no root of a factor of degree one or two.
[[nodiscard]] std::optional<std::vector<Expr>> solutions_by_product(Context& c, const Expr& r, const Symbol& t);

}  // namespace boreon::odes
