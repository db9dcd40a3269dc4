// SPDX-License-Identifier: MIT
// Other forms of an integrand, and how complicated one is.
#pragma once

#include <cstddef>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

/// How many different functions and roots of x occur.
[[nodiscard]] std::size_t functions_of(const Expr& e, const Symbol& x);
/// Distinct sums, products and powers that vary with x.
[[nodiscard]] std::size_t varying_operations(const Expr& e, const Symbol& x);
/// Orthogonal polynomials of a small whole degree as polynomials.
[[nodiscard]] Expr polynomials_written_out(const Expr& e);

/// c*Ei(u) - c*Ei(-u) = 2*c*Shi(u), c*Ei(u) + c*Ei(-u) = 2*c*Chi(abs(u)) for real u, factors of both included (NIST
/// Handbook 6.2.15, 6.2.16).
[[nodiscard]] Expr exponential_integrals_paired(const Expr& F);

}  // namespace boreon
