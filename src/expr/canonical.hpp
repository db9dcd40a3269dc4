// SPDX-License-Identifier: MIT
// Constructors of canonical sums and products, for use inside the graph.
#pragma once

#include <optional>
#include <span>

#include "boreon/expr.hpp"

namespace boreon {

/// Which sums among the operands are taken apart: all but large ones, all but those much larger than the other operands
/// together (see expr.hpp), or all.
enum class Absorb { small, balanced, everything };

[[nodiscard]] Expr sum_of(std::span<const Expr> operands, Absorb absorb);
/// By the general rules, whatever the operands are.
[[nodiscard]] Expr product_of(std::span<const Expr> operands);
/// coefficient * (product of base^exponent) split into its number and the rest with coefficient 1.
struct Scaled {
  Expr coefficient;
  Expr rest;
};
[[nodiscard]] Scaled split_coefficient(const Expr& e);
/// A product without one of its factors, base^exponent at operands()[at], operands()[at + 1].
[[nodiscard]] Expr product_without(const Expr& product, std::size_t at);

/// re + im*i with exact rational parts.
struct Gaussian {
  Number re;
  Number im;
  friend Gaussian operator*(const Gaussian& a, const Gaussian& b) {
    return {a.re * b.re - a.im * b.im, a.re * b.im + a.im * b.re};
  }
  [[nodiscard]] Expr expression() const;
};
/// A sum of a number and a multiple of the imaginary unit, both exact and neither zero; nothing otherwise.
[[nodiscard]] std::optional<Gaussian> as_gaussian(const Expr& e);

[[nodiscard]] bool is_infinite(const Expr& e);  ///< infinity or -infinity (or a number times it)

}  // namespace boreon
