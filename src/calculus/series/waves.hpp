// SPDX-License-Identifier: MIT
// Limits of expressions whose parts oscillate: what multiplies a wave has to vanish, or the waves have to cancel.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon {

/// f as a polynomial in bounded waves: sines and cosines whose real arguments have no limit, in as few arguments as
/// differ by more than what has a limit, with sin^2 = 1 - cos^2; and for whole x the wave (-1)^x with square 1.
struct WaveForm {
  Expr rest;                         ///< the terms without waves
  std::vector<Expr> of_waves;        ///< the coefficients of products of sines and cosines
  std::optional<Expr> of_alternate;  ///< the coefficient of (-1)^x alone
};
/// f with sines and cosines for exponentials and powers that turn in the complex plane: exp((1 + 2i)*x) as
/// exp(x)*(cos(2*x) + 1i*sin(2*x)).
[[nodiscard]] Expr with_waves(const Expr& f, const Symbol& x);

/// Nothing where f has no waves or is no polynomial in them. `above`: the side, at a finite place.
[[nodiscard]] std::optional<WaveForm> in_waves(const Expr& f, const Symbol& x, const Expr& place, bool above,
                                               Signs& signs);

/// The limit by squeezing: every coefficient of a wave tends to zero. Nothing where that is not so; throws NoLimit
/// where (-1)^x is left with a coefficient that does not vanish, which is a proof by even and odd x.
[[nodiscard]] std::optional<Expr> squeezed_limit(const Expr& f, const Symbol& x, const Expr& place, bool above,
                                                 Signs& signs);

}  // namespace boreon
