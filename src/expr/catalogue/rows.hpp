// SPDX-License-Identifier: MIT
// The families of rows that make up the catalogue.
#pragma once

#include <span>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "expr/ball.hpp"

namespace boreon {

std::span<const FunctionRow> trigonometric_rows();  // sin ... atan2, sinh ... atanh
std::span<const FunctionRow> exponential_rows();    // exp, log, roots
std::span<const FunctionRow> real_valued_rows();    // abs, sign, floor, min, heaviside, ...
std::span<const FunctionRow> complex_rows();        // re, im, conjugate, arg
std::span<const FunctionRow> gamma_rows();          // gamma, beta, zeta, polylogarithms, incomplete gamma
std::span<const FunctionRow> integral_rows();       // erf, exponential and trigonometric integrals, Fresnel
std::span<const FunctionRow> bessel_rows();         // Bessel, spherical Bessel, Airy
std::span<const FunctionRow> orthogonal_rows();     // Legendre, Hermite, Laguerre and their associated ones
std::span<const FunctionRow> hypergeometric_rows();  // Kummer's and Gauss's functions
std::span<const FunctionRow> elliptic_rows();
std::span<const FunctionRow> polynomial_rows();  // numbered roots

using Args = FunctionRow::Args;
using RealArgs = FunctionRow::RealArgs;
using ComplexArgs = FunctionRow::ComplexArgs;
using Balls = std::span<const Ball>;

inline constexpr auto positive_argument = "a positive argument";
/// f(0) = value.
template <std::int64_t value>
bool at_zero(Args a, Expr& r) {
  if (!a[0].is_integer(0)) return false;
  r = value;
  return true;
}
[[nodiscard]] inline bool exact_number(const Expr& e) { return e.is_number() && e.number().is_exact(); }
[[nodiscard]] constexpr std::uint16_t bit(Assumption a) { return static_cast<std::uint16_t>(a); }
/// Facts of a function that is real for real arguments, and nothing more.
[[nodiscard]] inline std::uint16_t real_if_real(std::uint16_t args) {
  return (args & bit(Assumption::real)) != 0 ? bit(Assumption::real) : std::uint16_t{0};
}
/// Facts of an odd, increasing function of a real argument: the sign is that of the argument.
[[nodiscard]] inline std::uint16_t sign_of_argument(std::uint16_t args) {
  constexpr auto signs =
      static_cast<std::uint16_t>(bit(Assumption::real) | bit(Assumption::nonnegative) | bit(Assumption::nonpositive) |
                                 bit(Assumption::positive) | bit(Assumption::negative));
  if ((args & bit(Assumption::real)) == 0) return 0;
  const auto nonzero = static_cast<std::uint16_t>(args & bit(Assumption::nonzero));
  return static_cast<std::uint16_t>((args & signs) | nonzero);
}
[[nodiscard]] inline std::uint16_t positive_if_real(std::uint16_t args) {
  return (args & bit(Assumption::real)) != 0 ? bit(Assumption::positive) : std::uint16_t{0};
}

}  // namespace boreon
