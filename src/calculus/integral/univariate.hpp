// SPDX-License-Identifier: MIT
// Polynomials in one variable over a field of quotients: what the integration of rational functions works with.
#pragma once

#include <vector>

#include "algebra/fraction.hpp"

namespace boreon {

/// Coefficients by ascending powers; no leading zeros.
using Univariate = std::vector<Fraction>;

namespace univariate {

[[nodiscard]] Univariate from(const poly::Poly& p, unsigned v);
/// The polynomial p(v)*denominators as one polynomial of the ring, up to a factor free of v that is returned.
[[nodiscard]] poly::Poly to_poly(const Univariate& p, unsigned v, unsigned vars, Fraction& factor);
void trim(Univariate& p);
[[nodiscard]] inline int degree(const Univariate& p) { return static_cast<int>(p.size()) - 1; }
[[nodiscard]] Univariate add(const Univariate& a, const Univariate& b);
[[nodiscard]] Univariate subtract(const Univariate& a, const Univariate& b);
[[nodiscard]] Univariate multiply(const Univariate& a, const Univariate& b);
[[nodiscard]] Univariate scale(const Univariate& a, const Fraction& c);
[[nodiscard]] Univariate derivative(const Univariate& a);
struct Division {
  Univariate quotient;
  Univariate remainder;
};
[[nodiscard]] Division divide(const Univariate& a, const Univariate& b);
/// s with s*a = gcd(a, b) modulo b; `gcd` is monic.
[[nodiscard]] Univariate inverse_modulo(const Univariate& a, const Univariate& b, Univariate& gcd);

}  // namespace univariate
}  // namespace boreon
