// SPDX-License-Identifier: MIT
// Irreducible factors of polynomials in one variable over the integers.
#pragma once

#include <gmpxx.h>

#include <vector>

namespace boreon::poly {

using BigUni = std::vector<mpz_class>;  ///< coefficients from the constant up, no zero at the end

/// Irreducible factors with positive leading coefficients of a primitive, square-free polynomial of positive degree and
/// leading coefficient.
[[nodiscard]] std::vector<BigUni> factor_square_free(const BigUni& a);

}  // namespace boreon::poly
