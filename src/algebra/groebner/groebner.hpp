// SPDX-License-Identifier: MIT
// Groebner bases over the rationals, and the zeros of systems that have finitely many.
#pragma once

#include <gmpxx.h>

#include <cstdint>
#include <optional>
#include <vector>

#include "algebra/groebner/monomial_table.hpp"
#include "algebra/polynomial/polynomial.hpp"

namespace boreon::poly {

struct GroebnerBasis {
  std::vector<Poly> elements;  ///< primitive, positive leading coefficients, the smallest leading monomial first; {1}
                               ///< if there is no common zero
  std::optional<std::size_t> dimension;  ///< of the quotient ring: the number of zeros with multiplicities, if finite
  std::size_t primes = 0;                ///< whose images it was put together from
  /// Over the rationals the generators have remainder zero, and all pairs of the basis do: it is a Groebner basis, and
  /// its ideal holds the generators. That its ideal is no larger than theirs rests on the primes: each of them (none
  /// divides a coefficient that is given, two had no part in the basis) has the same leading monomials, which for large
  /// primes chosen without regard to the system fails with a probability of about 10^-9 each (compare Noro and
  /// Yokoyama, J. Symb. Comp. 86 (2018) 1; Arnold, J. Symb. Comp. 35 (2003) 403). Else the pairs were too much work.
  bool verified = false;
};

/// The reduced Groebner basis of the ideal; variable 0 is the largest. By modular images of the basis in order of
/// degrees (ModularBasis), changed to the lexicographic order by linear algebra where there are finitely many zeros
/// (Faugere, Gianni, Lazard and Mora 1993), and put together by the Chinese remainder theorem. Doubly exponential at
/// worst; work is counted, Error(limit) beyond.
[[nodiscard]] GroebnerBasis groebner_basis(const std::vector<Poly>& generators, MonomialOrder order);

/// All zeros of a system as functions of the roots of one polynomial (rational univariate representation; Rouillier
/// 1999): a zero for each root u of `polynomial`, at which variable v is numerators[v](u)/denominator(u).
struct UnivariateZeros {
  std::vector<mpz_class> polynomial;  ///< coefficients from the constant on
  std::vector<int> form;              ///< u is this combination of the variables
  std::vector<std::vector<mpq_class>> numerators;
  bool by_derivative = false;  ///< the denominator is the derivative of `polynomial`, else 1
  std::size_t dimension = 0;   ///< number of zeros with multiplicities
  std::size_t distinct = 0;    ///< number of zeros
  std::size_t primes = 0;
  /// Where that polynomial has no multiple roots though some zeros are multiple: the characteristic polynomial of u
  /// modulo a prime, whose factors have the multiplicities.
  std::vector<std::uint32_t> characteristic = {};
  std::uint32_t prime = 0;
  bool complete = false;  ///< there are no others: by a verified basis, or as many as Bezout's bound allows
};

/// Nothing if there are infinitely many zeros. A dimension of zero says that there is none. Multiplicities are those of
/// the roots of `polynomial` where `distinct` follows from it; a system whose zeros are not simple otherwise is made
/// radical first (Seidenberg's lemma).
[[nodiscard]] std::optional<UnivariateZeros> zeros_of_system(const std::vector<Poly>& generators);

/// The number of zeros with their multiplicities, or nothing where there are infinitely many: from the basis modulo one
/// prime, which fails for the unlucky ones (about 10^-9). The quickest of these.
[[nodiscard]] std::optional<std::size_t> count_of_zeros(const std::vector<Poly>& generators);

}  // namespace boreon::poly
