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
