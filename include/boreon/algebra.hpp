// SPDX-License-Identifier: MIT
// Forms of an expression: written out, collected, factored, over one denominator, in partial fractions.
//
// All of these work with whatever is no sum, product or rational power (sin(x), exp(a*t), y'(t), sqrt(1 + x), i) as a
// variable, and respect sqrt(a)^2 = a and i^2 = -1. Powers of one base share a variable: x, sqrt(x) and x^(5/6);
// exp(x) and exp(2*x + y). Arguments of functions stay as they are. Coefficients are exact rationals; a double is kept
// as a symbol of its own and never rounded. What would grow beyond `Limits`, or take more than some seconds of work
// (counted, not timed), throws Error(limit).
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"

namespace boreon BOREON_API {

struct Limits {
  std::size_t terms = 2000000;  ///< of one polynomial
};

/// Products of sums and whole powers of sums written out. O(terms of the result) times the logarithm of it, and the
/// products in between. Denominators stay as they are.
[[nodiscard]] Expr expand(const Expr& expression, const Limits& limits = {});

/// As a polynomial in the chosen symbols (or calls, such as sin(x)) with coefficients that are sums of the rest, each
/// coefficient factored where that is shorter. Throws Error(usage) if nothing is chosen.
[[nodiscard]] Expr collect(const Expr& expression, const ExprList& symbols);
[[nodiscard]] Expr collect(const Expr& expression, const Expr& symbol);

/// Coefficients of x^0, x^1, ... Throws Error(usage) if the expression is no polynomial in x.
[[nodiscard]] std::vector<Expr> coefficients(const Expr& expression, const Expr& x);

/// Irreducible factors over the rationals, of numerator and denominator.
[[nodiscard]] Expr factor(const Expr& expression);

/// One fraction without common factors: the numerator written out, the denominator factored.
[[nodiscard]] Expr combine_fractions(const Expr& expression);

/// A polynomial in x plus fractions over powers of the irreducible factors (over the rationals) of the denominator.
[[nodiscard]] Expr partial_fractions(const Expr& expression, const Expr& x);

/// Numerator and denominator of combine_fractions, both written out.
struct Quotient {
  Expr numerator;
  Expr denominator;
};
[[nodiscard]] Quotient quotient(const Expr& expression);

/// Polynomials: greatest common divisor, resultant. Throws Error(usage) on what is no polynomial in its kernels.
[[nodiscard]] Expr greatest_common_divisor(const Expr& a, const Expr& b);
[[nodiscard]] Expr resultant(const Expr& a, const Expr& b, const Expr& x);

}  // namespace boreon
