// SPDX-License-Identifier: MIT
// Arithmetic of polynomials over the integers.
#pragma once

#include <optional>
#include <vector>

#include "algebra/polynomial/terms.hpp"

namespace boreon::poly {

[[nodiscard]] Poly constant(unsigned vars, const Integer& c);
[[nodiscard]] Poly variable(unsigned vars, unsigned v, Degree exponent = 1);
[[nodiscard]] bool equal(const Poly& a, const Poly& b);
[[nodiscard]] bool is_one(const Poly& a);

[[nodiscard]] Poly add(const Poly& a, const Poly& b);
[[nodiscard]] Poly subtract(const Poly& a, const Poly& b);
[[nodiscard]] Poly negate(const Poly& a);
[[nodiscard]] Poly scale(const Poly& a, const Integer& c);
[[nodiscard]] Poly divide_scalar(const Poly& a, const Integer& c);  ///< c divides all coefficients
/// O(terms of a times terms of b): into an array over all exponents where that is dense enough, else into a hash table
/// (compare Monagan and Pearce, Polynomial division using dynamic arrays, heaps, and packed exponent vectors, 2007).
[[nodiscard]] Poly multiply(const Poly& a, const Poly& b);
/// By the binomial theorem on the first term and the rest, which suits sparse polynomials (Fateman 1974).
[[nodiscard]] Poly power(const Poly& a, unsigned n);
/// At most so many terms has the n-th power of a polynomial with that many: (n + terms - 1 choose n), cut off at 10^15.
[[nodiscard]] double terms_of_power(std::size_t terms, std::uint64_t n);
/// The quotient if b divides a over the integers (heap division, Johnson 1974); empty otherwise.
[[nodiscard]] std::optional<Poly> divide_exactly(const Poly& a, const Poly& b);
[[nodiscard]] Poly derivative(const Poly& a, unsigned v);
/// Pseudo-remainder in v: lc(b)^(deg a - deg b + 1)*a = q*b + r.
[[nodiscard]] Poly pseudo_remainder(const Poly& a, const Poly& b, unsigned v);
/// Of a polynomial in v alone: from the constant up.
[[nodiscard]] std::vector<mpz_class> coefficients_of(const Poly& a, unsigned v);
[[nodiscard]] Poly from_coefficients(const std::vector<mpz_class>& coefficients, unsigned v, unsigned vars);
/// The value where variable v is an integer.
[[nodiscard]] Poly evaluate_at(const Poly& a, unsigned v, const Integer& at);

[[nodiscard]] Integer content(const Poly& a);  ///< positive gcd of the coefficients; 0 for 0
/// a = content * result, with a positive leading coefficient of the result; the sign goes to the content.
[[nodiscard]] Poly primitive_part(const Poly& a, Integer* content = nullptr);
/// The monomial that divides all terms, as exponents.
[[nodiscard]] std::vector<Degree> monomial_content(const Poly& a);
[[nodiscard]] Poly divide_monomial(const Poly& a, std::span<const Degree> exponents);

/// Greatest common divisor with positive leading coefficient: modular images and interpolation, dense the first time
/// and sparse from the form of the first image on (Brown 1971, Zippel 1979), proved by trial division.
[[nodiscard]] Poly gcd(const Poly& a, const Poly& b);
/// gcd of the coefficients in v.
[[nodiscard]] Poly content_in(const Poly& a, unsigned v);
/// Resultant by v: evaluation and interpolation are not needed at the sizes met here; subresultants (Brown and Traub
/// 1971).
[[nodiscard]] Poly resultant(const Poly& a, const Poly& b, unsigned v);

struct Factor {
  Poly base;
  unsigned multiplicity;
};
struct Factors {
  Integer unit = 1;
  std::vector<Factor> list;
};
/// Factors without repeated roots, each with its multiplicity (Yun 1976).
[[nodiscard]] Factors square_free(const Poly& a);
/// Irreducible factors over the rationals, in a reproducible order.
[[nodiscard]] Factors factor(const Poly& a);

}  // namespace boreon::poly
