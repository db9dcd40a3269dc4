// SPDX-License-Identifier: MIT
// The ways to a sum in closed form, and the witness of all of them.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon::sums {

/// s(k) with s(k + 1) - s(k) = t(k), as a rational multiple of t, which is hypergeometric (R. W. Gosper, Proc. Natl.
/// Acad. Sci. 75 (1978) 40; Petkovsek, Wilf and Zeilberger, A = B, 1996, chapter 5). Nothing: there is none.
[[nodiscard]] std::optional<Expr> antidifference(const Expr& term, const Symbol& k);

/// Rational terms: partial fractions 1/(k + a)^m summed through polygamma functions (NIST 5.15.1, 5.7.6).
[[nodiscard]] std::optional<Expr> rational_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to);

/// x^k over factorials, powers of k: NIST 4.2.19, 4.6.1, 25.2.1, 25.12.10.
[[nodiscard]] std::optional<Expr> classical_series(const Expr& term, const Symbol& k, const Expr& from, Signs& signs,
                                                   std::vector<Expr>& conditions);

/// (-1)^k times a rational function, without end: two terms at a time.
[[nodiscard]] std::optional<Expr> alternating_sum(const Expr& term, const Symbol& k, const Expr& from);

/// y^k/(k + 1/2 + m), without end: NIST 4.38.3, 4.38.5.
[[nodiscard]] std::optional<Expr> series_of_odd_powers(const Expr& term, const Symbol& k, const Expr& from,
                                                       Signs& signs, std::vector<Expr>& conditions);

/// s(k) with s(k + 1) - s(k) = r^k*k^m*cos(x*k + c), or the sine.
[[nodiscard]] std::optional<Expr> wave_antidifference(const Expr& term, const Symbol& k);

/// binomial(n, k) over k = 0, ..., n times powers of k and x^k, or over k + 1; its square.
[[nodiscard]] std::optional<Expr> binomial_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to);

/// Logarithms of rational functions with linear factors that are positive in the range.
[[nodiscard]] std::optional<Expr> logarithm_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to,
                                                Signs& signs);

/// Adding up at random parameters: whether the value agrees at all that could be looked at, counted in `points`.
[[nodiscard]] bool confirmed(const Expr& term, const Symbol& k, const Expr& from, const Expr& to, const Expr& value,
                             std::span<const Expr> conditions, std::size_t& points);

}  // namespace boreon::sums
