// Numbers for integrals: adaptive quadrature.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/expr.hpp"

namespace boreon {

struct QuadratureOptions {
  double tolerance = 1e-11;  ///< relative
  /// Places inside the range where the integrand is singular, jumps or has a kink.
  std::vector<Expr> breaks = {};
};

struct QuadratureResult {
  double value = 0;
  double error = 0;  ///< estimate of the absolute error
  std::size_t evaluations = 0;
  bool converged = false;  ///< whether the estimate is within about a hundred times the tolerance
};

/// The integral over x from `from` to `to` (finite or infinite) with all other symbols bound: double exponential
/// substitution (Takahasi and Mori 1974, by Boost.Math) between breaks; near the ends of a range the integrand is taken
/// in ball arithmetic at the exact distance from the end, so that singular ends and cancellation cost no digits.
/// Oscillating tails are summed by half periods and extrapolated (Levin's u transform is not needed: Aitken and Wynn 1956).
/// Throws Error(binding) for symbols without a value.
[[nodiscard]] QuadratureResult quadrature(const Expr& f, const Expr& x, const Expr& from, const Expr& to, const Bindings& bindings = {}, const QuadratureOptions& options = {});

}  // namespace boreon
