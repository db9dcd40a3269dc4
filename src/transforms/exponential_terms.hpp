// SPDX-License-Identifier: MIT
// Sums of powers times exponentials times waves: what linear equations with constant coefficients are forced with and
// answer with, and what rational functions are the Laplace transforms of.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon::transforms {

/// coefficient*t^power*exp(rate*t)*wave(frequency*t), with the cosine or the sine. Without a wave the frequency is 0.
struct ExponentialTerm {
  Expr coefficient = 1;
  Expr power = 0;
  Expr rate = 0;
  Expr frequency = 0;
  bool sine = false;

  [[nodiscard]] Expr expression(const Expr& t) const;
  [[nodiscard]] bool like(const ExponentialTerm& o) const {
    return power == o.power && rate == o.rate && frequency == o.frequency && sine == o.sine;
  }
};

/// f as such a sum, like terms gathered; nothing if it is none. Powers may be any expressions without t. Products of
/// waves become sums of waves, hyperbolic functions exponentials.
[[nodiscard]] std::optional<std::vector<ExponentialTerm>> exponential_terms(const Expr& f, const Symbol& t);

[[nodiscard]] Expr sum_of(std::span<const ExponentialTerm> terms, const Expr& t);

/// The sum with like terms added, those that vanish left out.
[[nodiscard]] std::vector<ExponentialTerm> gathered(std::vector<ExponentialTerm> terms);

/// re + i*im of real expressions: numbers that stay apart while they are multiplied.
struct ComplexPair {
  Expr re = 0;
  Expr im = 0;
};
[[nodiscard]] ComplexPair operator*(const ComplexPair& a, const ComplexPair& b);
[[nodiscard]] ComplexPair operator+(const ComplexPair& a, const ComplexPair& b);
[[nodiscard]] ComplexPair power(const ComplexPair& a, std::size_t n);

}  // namespace boreon::transforms
