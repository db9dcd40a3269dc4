// SPDX-License-Identifier: MIT
// Groebner bases over the rationals.
#pragma once

#include <vector>

#include "algebra/polynomial/polynomial.hpp"

namespace boreon::poly {

/// The reduced Groebner basis of the ideal in lexicographic order, variable 0 the largest: primitive polynomials with
/// positive leading coefficients, the smallest leading monomial first; {1} if there is no common zero. By degree first
/// (Buchberger's algorithm, pairs by the degree of their least common multiple, with his two criteria: Becker and
/// Weispfenning, Groebner Bases, 1993, sections 5.5, 5.6), then by linear algebra to the lexicographic order where
/// there are finitely many zeros. Doubly exponential at worst; work is counted.
[[nodiscard]] std::vector<Poly> groebner_basis(const std::vector<Poly>& generators);

}  // namespace boreon::poly
