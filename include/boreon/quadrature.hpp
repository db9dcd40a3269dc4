// SPDX-License-Identifier: MIT
// Numbers for integrals: adaptive quadrature.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

struct QuadratureOptions {
  double tolerance = 1e-11;  ///< relative
  /// Places inside the range where the integrand is singular, jumps or has a kink.
  std::vector<Expr> breaks = {};
  /// Enclose the integral in ball arithmetic as well (some tenths of a second): the last word where that succeeds,
  /// which takes a finite range on which the integrand is analytic almost everywhere.
  bool certify = false;
};

struct QuadratureResult {
  double value = 0;
  double error = 0;  ///< estimate of the absolute error; a bound if `certified`
  bool certified = false;
  std::size_t evaluations = 0;
  std::string reason;      ///< where it did not converge: why the integrand has no real value somewhere, if it has none
  bool converged = false;  ///< whether the estimate is within about a hundred times the tolerance
};

/// The integral over x from `from` to `to` (finite or infinite) with all other symbols bound: double exponential
/// substitution (Takahasi and Mori 1974, by Boost.Math) between breaks; near the ends of a range the integrand is taken
/// in ball arithmetic at the exact distance from the end, so that singular ends and cancellation cost no digits.
/// The range is also split at narrow peaks, steps and resonances, which are looked for on what stands inside
/// exponentials and denominators; each piece is done a second time with other points, and the difference counts as
/// error. Oscillating tails are summed between sign changes and extrapolated (Wynn 1956). Throws Error(binding) for
/// symbols without a value.
[[nodiscard]] QuadratureResult quadrature(const Expr& f, const Expr& x, const Expr& from, const Expr& to,
                                          const Bindings& bindings = {}, const QuadratureOptions& options = {});

/// A decimal value and how many of its digits the error estimate vouches for.
struct QuadratureDigits {
  std::string value;
  int digits = 0;
  bool converged = false;  ///< as many as were asked for
};
/// The same to many digits (1 to 90), the integrand taken in 1000-bit ball arithmetic. It does not converge
/// where the rule fails, as on oscillating tails. Not rigorous: certify() encloses integrals over finite ranges.
[[nodiscard]] QuadratureDigits quadrature_to_digits(const Expr& f, const Expr& x, const Expr& from, const Expr& to,
                                                    int digits, const Bindings& bindings = {},
                                                    std::span<const Expr> breaks = {});

}  // namespace BOREON_API
