// SPDX-License-Identifier: MIT
// Reading expressions as sums of terms with numbers in front, and terms as products of powers.
#pragma once

#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

struct LinearTerm {
  Expr term;  ///< without a number in front; 1 for the constant
  Number coefficient;
};
/// e = sum of coefficient*term. Also of a number times a sum, which stays factored in the graph.
[[nodiscard]] std::vector<LinearTerm> linear_terms(const Expr& e);

/// The terms of a sum with their coefficients, its constant among them unless it is 0; anything else is one term.
[[nodiscard]] inline std::vector<Expr> terms_of(const Expr& e) {
  if (!e.is(Kind::sum)) return {e};
  std::vector<Expr> terms;
  if (!e.operands()[0].is_integer(0)) terms.push_back(e.operands()[0]);
  for (const auto [term, coefficient] : Parts(e)) terms.push_back(coefficient * term);
  return terms;
}

/// The number in front of a product, 1 in front of anything else.
[[nodiscard]] inline Expr leading_number(const Expr& e) { return e.is(Kind::product) ? e.operands()[0] : Expr(1); }

/// visit(base, exponent) for the factors of a product without its leading number; anything else is one factor.
template <class Visit>
void for_each_factor(const Expr& e, Visit&& visit) {
  if (e.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(e)) visit(base, exponent);
  } else if (e.is(Kind::power)) {
    visit(e.operands()[0], e.operands()[1]);
  } else {
    visit(e, Expr(1));
  }
}

}  // namespace boreon
