// SPDX-License-Identifier: MIT
// Roots of characteristic polynomials as growth rates and frequencies.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "calculus/signs.hpp"

namespace boreon::transforms {

/// A root rate, or, where the frequency is not 0, the pair rate +- i*frequency.
struct Mode {
  Expr rate;
  Expr frequency = 0;
  unsigned multiplicity = 1;
  std::optional<Expr> root = {};  ///< the one above the real axis, where rate and frequency are its parts re(), im()
};

/// All roots of a polynomial (coefficients ascending, real for real parameters) as modes: by factors, square roots,
/// radicals where they are short, else numbered roots. Signs that decide between real roots and pairs are taken from
/// `signs`, which may assume them. Nothing where a factor of degree three or more has parameters and no simple form.
[[nodiscard]] std::optional<std::vector<Mode>> modes_of(const std::vector<Expr>& coefficients, Signs& signs);

/// t^j*exp(rate*t), times cosine and sine for a pair: the solutions of the linear equation whose polynomial has these
/// roots.
[[nodiscard]] std::vector<Expr> solutions_of(const std::vector<Mode>& modes, const Expr& t);

/// A root of e without an amount around it: w for w^2, where both signs serve.
[[nodiscard]] Expr plain_root(const Expr& e);

}  // namespace boreon::transforms
