// SPDX-License-Identifier: MIT
// Quotients of polynomials over the integers, cancelled.
#pragma once

#include <vector>

#include "algebra/polynomial/polynomial.hpp"

namespace boreon {

/// numerator/denominator without common factor; the leading coefficient of the denominator is positive.
struct Fraction {
  poly::Poly numerator;
  poly::Poly denominator;

  [[nodiscard]] unsigned vars() const { return numerator.vars(); }
  [[nodiscard]] bool is_zero() const { return numerator.is_zero(); }
  [[nodiscard]] bool is_polynomial() const { return denominator.is_constant(); }
};

[[nodiscard]] Fraction fraction(const poly::Poly& numerator);
[[nodiscard]] Fraction fraction(const Number& value, unsigned vars);
/// Cancels; throws Error(domain) when the denominator is zero.
[[nodiscard]] Fraction fraction(poly::Poly numerator, poly::Poly denominator);
[[nodiscard]] Fraction add(const Fraction& a, const Fraction& b);
[[nodiscard]] Fraction subtract(const Fraction& a, const Fraction& b);
/// Polynomials are gathered first, so that a long sum of terms costs O(n log n).
[[nodiscard]] Fraction sum(const std::vector<Fraction>& terms, unsigned vars);
[[nodiscard]] Fraction multiply(const Fraction& a, const Fraction& b);
[[nodiscard]] Fraction divide(const Fraction& a, const Fraction& b);
[[nodiscard]] Fraction power(const Fraction& a, std::int64_t n);
[[nodiscard]] Fraction negate(const Fraction& a);

}  // namespace boreon
