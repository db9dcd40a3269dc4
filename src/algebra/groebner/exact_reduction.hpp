// SPDX-License-Identifier: MIT
// Remainders by a Groebner basis over the rationals, and the proof that polynomials are one.
#pragma once

#include <span>
#include <vector>

#include "algebra/groebner/modular_basis.hpp"

namespace boreon::poly {

/// The remainder, up to a positive factor, of a polynomial by the elements of a basis; primitive.
[[nodiscard]] IntegerPolynomial remainder(MonomialTable& table, const IntegerPolynomial& p,
                                          std::span<const IntegerPolynomial> basis);

/// Whether all pairs of the basis that the criteria leave have remainder zero: then it is a Groebner basis of what it
/// generates (Buchberger). Work is counted.
[[nodiscard]] bool is_groebner_basis(MonomialTable& table, std::span<const IntegerPolynomial> basis);

/// Divided by the content, the leading coefficient positive.
void make_primitive(IntegerPolynomial& p);

}  // namespace boreon::poly
