// SPDX-License-Identifier: MIT
#include "algebra/linear_terms.hpp"

namespace boreon {

std::vector<LinearTerm> linear_terms(const Expr& e) {
  std::vector<LinearTerm> out;
  const auto push = [&](const Expr& term, const Number& c) {
    if (term.is(Kind::product) && !term.operands()[0].is_integer(1)) {
      out.push_back({term / term.operands()[0], c * term.operands()[0].number()});
    } else {
      out.push_back({term, c});
    }
  };
  if (e.is_number()) {
    out.push_back({1, e.number()});
  } else if (e.is(Kind::sum)) {
    if (!e.operands()[0].is_integer(0)) out.push_back({1, e.operands()[0].number()});
    for (const auto [term, c] : Parts(e)) push(term, c.number());
  } else if (e.is(Kind::product) && e.operands().size() == 3 && e.operands()[1].is(Kind::sum) &&
             e.operands()[2].is_integer(1)) {
    for (LinearTerm& l : linear_terms(e.operands()[1]))
      out.push_back({l.term, l.coefficient * e.operands()[0].number()});
  } else {
    push(e, Number(1));
  }
  return out;
}

}  // namespace boreon
