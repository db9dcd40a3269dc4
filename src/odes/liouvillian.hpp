// SPDX-License-Identifier: MIT
// Solutions of u'' = r*u for a rational r that are polynomials times exponentials of integrals of rational functions:
// the first case of J. J. Kovacic, J. Symb. Comp. 2 (1986) 3.
#pragma once

#include <cstdint>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "odes/context.hpp"

namespace boreon::odes {

/// What may stand before a polynomial of this degree.
struct Front {
  Expr value;
  std::int64_t degree = 0;
};

/// exp of the integral of w, for each w that the poles of r, their orders and the order at infinity allow. Empty where r
/// has poles that are no roots of linear factors.
[[nodiscard]] std::vector<Front> liouvillian_fronts(Context& c, const Expr& r, const Symbol& t);

}  // namespace boreon::odes
