// SPDX-License-Identifier: MIT
// The solutions of a system by the roots of one polynomial.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "algebra/groebner/groebner.hpp"
#include "equations/system.hpp"

namespace boreon::equations {

/// Each irreducible factor of the polynomial gives solutions of its own: at its rational roots and short radicals in
/// numbers, else each unknown is a polynomial in one exact root (a quotient of two where that is far shorter).
[[nodiscard]] std::optional<Candidates> by_one_polynomial(const poly::UnivariateZeros& zeros,
                                                          const std::vector<Expr>& conditions);

}  // namespace boreon::equations
