// SPDX-License-Identifier: MIT
// Dense polynomials in one variable modulo a prime: coefficients from the constant up, no zero at the end.
#pragma once

#include <vector>

#include "algebra/polynomial/prime_field.hpp"

namespace boreon::poly {

using Uni = std::vector<Residue>;

/// No zeros in front.
template <class Coefficient>
void trim(std::vector<Coefficient>& a) {
  while (!a.empty() && a.back() == 0) a.pop_back();
}
[[nodiscard]] inline int degree_of(const Uni& a) { return static_cast<int>(a.size()) - 1; }
[[nodiscard]] Uni add(const PrimeField& f, const Uni& a, const Uni& b);
[[nodiscard]] Uni subtract(const PrimeField& f, const Uni& a, const Uni& b);
[[nodiscard]] Uni multiply(const PrimeField& f, const Uni& a, const Uni& b);
[[nodiscard]] Uni scale(const PrimeField& f, Uni a, Residue c);
[[nodiscard]] Uni monic(const PrimeField& f, Uni a);
[[nodiscard]] Uni derivative(const PrimeField& f, const Uni& a);
/// a becomes the remainder; the quotient is returned if wanted.
void reduce(const PrimeField& f, Uni& a, const Uni& b, Uni* quotient = nullptr);
[[nodiscard]] Uni gcd(const PrimeField& f, Uni a, Uni b);  ///< monic
/// s*a + t*b = gcd (monic); returns the gcd.
[[nodiscard]] Uni extended_gcd(const PrimeField& f, const Uni& a, const Uni& b, Uni& s, Uni& t);
/// base^exponent modulo m.
[[nodiscard]] Uni power_mod(const PrimeField& f, Uni base, std::uint64_t exponent, const Uni& m);
/// Irreducible monic factors of a monic square-free polynomial: distinct degrees, then equal degrees (Cantor and
/// Zassenhaus 1981). The prime must be odd.
[[nodiscard]] std::vector<Uni> factor_square_free(const PrimeField& f, const Uni& a);

}  // namespace boreon::poly
