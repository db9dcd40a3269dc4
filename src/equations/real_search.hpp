// SPDX-License-Identifier: MIT
// All real roots of an expression of one symbol in a range, each with a certificate.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon::equations {

struct CertifiedRoot {
  std::string decimal;  ///< correct digits
};

struct RealSearch {
  std::vector<CertifiedRoot> roots;  ///< ascending
  std::vector<double> undecided;     ///< places where roots could neither be proved nor excluded
  [[nodiscard]] bool complete() const { return undecided.empty(); }
};

/// Halves the range until on each part a ball excludes zero, or excludes a zero of the derivative: then the signs at
/// the ends decide, and the interval Newton method finds the digits (Moore, Interval Analysis, 1966). Roots at which
/// the derivative vanishes too, and places where the function is not defined, stay undecided, and what is left after
/// `most_parts`.
[[nodiscard]] RealSearch real_roots_within(const Expr& e, const Expr& x, double low, double high, int digits,
                                           std::size_t most_parts = 30000);

/// The sign of e wherever x is within one unit in the last of these digits; nothing where it is not the same for all.
[[nodiscard]] std::optional<int> sign_within(const Expr& e, const Expr& x, const std::string& decimal);

}  // namespace boreon::equations
