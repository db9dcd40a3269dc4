// SPDX-License-Identifier: MIT
// Zeros of a system by the roots of one polynomial, modulo primes.
#pragma once

#include <vector>

#include "algebra/groebner/groebner.hpp"
#include "algebra/groebner/modular_course.hpp"
#include "algebra/groebner/quotient_ring.hpp"

namespace boreon::poly {

/// A combination u of the variables whose powers span the quotient ring tells all zeros apart: its minimal polynomial
/// has as many roots, and each variable is a polynomial in u.
class UnivariateImage {
 public:
  explicit UnivariateImage(const QuotientBasis& quotient) : quotient_(quotient) {}

  /// Variables alone first, then combinations with growing coefficients; false if the powers of none span the ring,
  /// which happens where zeros have more than one tangent direction.
  bool choose_form(ModularCourse& course);
  /// polynomial, form, numerators, by_derivative and distinct of `out`; adds to primes.
  void lift(ModularCourse& course, UnivariateZeros& out) const;

 private:
  [[nodiscard]] std::optional<ModularCoefficients> image(std::uint32_t prime, const ModularCoefficients& c) const;

  const QuotientBasis& quotient_;
  std::vector<int> form_;
  bool square_free_ = true;
};

/// The characteristic polynomial of multiplication with a combination of the variables, modulo the prime of the course;
/// coefficients from the constant on. O(dimension^3), by Hessenberg's form.
[[nodiscard]] Residues characteristic_polynomial(const QuotientModulo& ring, const std::vector<int>& form);

/// For each variable the square-free part of the polynomial in it alone that is zero at all zeros of the system.
[[nodiscard]] std::vector<Poly> minimal_polynomials(ModularCourse& course, const QuotientBasis& quotient);

}  // namespace boreon::poly
