// SPDX-License-Identifier: MIT
#include "calculus/integral/forms.hpp"

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {

std::size_t functions_of(const Expr& e, const Symbol& x) {
  std::size_t count = 0;
  postorder(e, [&](const Expr& n) {
    if (depends_on(n, x) && (n.is(Kind::call) || (n.is(Kind::power) && !n.operands()[1].word()))) ++count;
  });
  return count;
}

std::size_t varying_operations(const Expr& e, const Symbol& x) {
  std::size_t count = 0;
  postorder(e, [&](const Expr& n) {
    if (!depends_on(n, x)) return;
    if (n.is(Kind::product)) {
      for (const Part part : Parts(n)) count += depends_on(part.key, x) ? 1 : 0;
    } else if (n.is(Kind::sum) || n.is(Kind::power)) {
      ++count;
    }
  });
  return count;
}

Expr polynomials_written_out(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& n) -> Expr {
                 if (!is_call_of(n, "legendre") && !is_call_of(n, "hermite")) return n;
                 const auto p = regular_form(n, 0, {0, 0});
                 return p ? expand(*p) : n;
               });
  return pass(e);
}

Expr exponential_integrals_paired(const Expr& F) {
  struct Term {
    Expr coefficient;
    Expr factor;
    Expr argument;
    bool used = false;
  };
  std::vector<Term> terms;
  std::vector<Expr> rest;
  for (const LinearTerm& t : linear_terms(F)) {
    std::optional<Expr> argument;
    if (is_call_of(t.term, "Ei")) argument = t.term.operands()[0];
    if (t.term.is(Kind::product)) {
      for (const auto [base, exponent] : Parts(t.term)) {
        if (is_call_of(base, "Ei") && exponent.is_integer(1)) argument = base.operands()[0];
      }
    }
    if (argument && is_real(*argument)) {
      terms.push_back({Expr(t.coefficient), t.term / Ei(*argument), *argument});
    } else {
      rest.push_back(Expr(t.coefficient) * t.term);
    }
  }
  bool any = false;
  for (Term& a : terms) {
    for (Term& b : terms) {
      if (a.used || b.used || &a == &b || !(a.factor == b.factor) || !(expand(a.argument + b.argument).is_integer(0)))
        continue;
      const bool difference = (a.coefficient + b.coefficient).is_integer(0);
      if (!difference && !(a.coefficient == b.coefficient)) continue;
      rest.push_back(2 * a.coefficient * a.factor * (difference ? Shi(a.argument) : Chi(abs(a.argument))));
      a.used = b.used = any = true;
    }
  }
  if (!any) return F;
  for (const Term& t : terms) {
    if (!t.used) rest.push_back(t.coefficient * t.factor * Ei(t.argument));
  }
  return add(rest);
}

}  // namespace boreon
