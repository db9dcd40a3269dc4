// SPDX-License-Identifier: MIT
// Sparse polynomials in several variables modulo a prime, and lifting of factors from one variable to all.
#pragma once

#include <optional>
#include <vector>

#include "algebra/polynomial/polynomial.hpp"
#include "algebra/polynomial/univariate_mod.hpp"

namespace boreon::poly {

[[nodiscard]] ModPoly reduce_mod(const PrimeField& f, const Poly& a);
[[nodiscard]] ModPoly add(const PrimeField& f, const ModPoly& a, const ModPoly& b);
[[nodiscard]] ModPoly subtract(const PrimeField& f, const ModPoly& a, const ModPoly& b);
[[nodiscard]] ModPoly multiply(const PrimeField& f, const ModPoly& a, const ModPoly& b);
/// a with v replaced by v + shift.
[[nodiscard]] ModPoly shifted(const PrimeField& f, const ModPoly& a, unsigned v, Residue shift);

/// F(x0, ..., xn) and factors of F(x0, 0, ..., 0) without common roots become factors of F modulo the prime, by
/// lifting one variable after the other (Wang, An improved multivariate polynomial factoring algorithm, 1978). `lead`
/// holds the leading coefficient in x0 that each factor is to have. Empty if the factors do not lift to polynomials.
[[nodiscard]] std::optional<std::vector<ModPoly>> lift_factors(const PrimeField& f, const ModPoly& polynomial,
                                                               const std::vector<Uni>& factors,
                                                               const std::vector<ModPoly>& lead);

}  // namespace boreon::poly
