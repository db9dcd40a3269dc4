// SPDX-License-Identifier: MIT
// Antiderivatives that are put together from infinitely many pieces, numbered by a floor.
#pragma once

#include <optional>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

/// The integrand on each of its pieces, which lie between the places where `argument`, linear in x, is whole.
struct CountedPieces {
  Expr argument;  ///< piece n: argument between n and n + 1
  Symbol number;  ///< n
  Symbol sign;    ///< (-1)^n
  Expr even;      ///< the integrand is even + sign*odd, in x and n
  Expr odd;
};

/// floor, ceil, round, signs and amounts of one sine or cosine, folded angles, all of one linear argument; nothing for
/// other integrands.
[[nodiscard]] std::optional<CountedPieces> counted_pieces(Integrator& in, const Expr& f, const Symbol& x);

/// H(x, n, (-1)^n) plus the constants T(n) that take its jumps at the places `argument = n` back, n = floor(argument):
/// T is the sum of the jumps in closed form. Nothing if that sum has none.
[[nodiscard]] std::optional<Expr> joined_pieces(Integrator& in, const CountedPieces& pieces, const Expr& H,
                                                const Symbol& x);

/// Both together: an antiderivative of an integrand with such pieces.
[[nodiscard]] std::optional<Expr> by_counted_pieces(Integrator& in, const Expr& f, const Symbol& x);

/// T(n) with T(n) - T(n - 1) = -jump(n), and T(0) = 0; the jump is even + sign*odd with sign = (-1)^n.
[[nodiscard]] std::optional<Expr> jumps_taken_back(Integrator& in, const Expr& even, const Expr& odd,
                                                   const Symbol& number);

/// e with sines and cosines of whole multiples of pi times n carried out, as even + sign*odd.
struct Alternating {
  Expr even;
  Expr odd;
};
[[nodiscard]] Alternating alternating(const Expr& e, const Symbol& number, const Symbol& sign);

}  // namespace boreon
