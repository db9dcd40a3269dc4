// SPDX-License-Identifier: MIT
// Values with Lambert's function in their shortest form.
#pragma once

#include <vector>

#include "algebra/linear_terms.hpp"
#include "boreon/expr.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "expr/canonical.hpp"

namespace boreon::equations {

/// exp(a + W(z)) = exp(a)*z/W(z), and the reciprocal.
inline Expr without_exponentials_of_lambert(const Expr& v) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& n) -> Expr {
                 if (!is_call_of(n, "exp")) return n;
                 std::vector<Expr> rest;
                 Expr factor = 1;
                 for (const Expr& t : terms_of(n.operands()[0])) {
                   const Expr w = t / leading_number(t);
                   const Expr& c = leading_number(t);
                   if (is_call_of(w, "lambert_W") && (c.is_integer(1) || c.is_integer(-1))) {
                     factor *= power(w.operands().back() / w, c);
                   } else {
                     rest.push_back(t);
                   }
                 }
                 return factor.is_integer(1) ? n : factor * exp(boreon::add(rest));
               });
  return pass(v);
}

}  // namespace boreon::equations
