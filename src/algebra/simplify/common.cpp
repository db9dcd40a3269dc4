// SPDX-License-Identifier: MIT
#include <algorithm>

#include "algebra/kernel_ring.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"

namespace boreon::transforms {

bool contains_call(const Expr& e, std::initializer_list<const char*> names) {
  bool found = false;
  postorder(e, [&](const Expr& x) {
    if (found || !x.is(Kind::call)) return;
    found = std::any_of(names.begin(), names.end(), [&](const char* n) { return x.function().name == n; });
  });
  return found;
}

Expr everywhere(const Expr& e, const std::function<Expr(const Expr&)>& finish) {
  Rebuild rebuild([](const Expr&, Expr&) { return false; }, finish);
  return rebuild(e);
}

Expr absolutes_apart(const Expr& e) {
  return everywhere(e, [](const Expr& x) {
    if (!is_call_of(x, "abs")) return x;
    const Expr& u = x.operands()[0];
    if (u.is(Kind::power) && is_real(u.operands()[1])) return power(abs(u.operands()[0]), u.operands()[1]);
    if (!u.is(Kind::product)) return x;
    std::vector<Expr> factors{abs(u.operands()[0])};
    for (const auto [b, n] : Parts(u)) factors.push_back(is_real(n) ? power(abs(b), n) : abs(power(b, n)));
    return multiply(factors);
  });
}

void rational_forms(const Expr& e, Forms& out) {
  const Expr list[] = {e};
  {
    const KernelRing ring(list, {.term_limit = 20000});
    const Fraction f = ring.fraction_of(e);
    const Expr n = ring.expression(f.numerator);
    const Expr d = ring.expression(f.denominator);
    out.push_back(n / d);
    const Expr fn = ring.factored(f.numerator);
    const Expr fd = ring.factored(f.denominator);
    out.push_back(fn / fd);
    out.push_back(n / fd);
    out.push_back(fn / d);
    // A quotient by a single term, term by term.
    if (f.denominator.size() == 1 && f.numerator.size() < 40) out.push_back(expand(n / d));
    // The whole part of a fraction apart: (2*x + 3)/(x + 1) = 2 + 1/(x + 1), where that is shorter.
    if (!f.is_polynomial() && f.numerator.size() < 60) {
      for (unsigned v = 0; v < ring.vars(); ++v) {
        if (f.denominator.degree(v) == 0 || f.numerator.degree(v) < f.denominator.degree(v)) continue;
        if (!ring.kernels()[v].is(Kind::symbol)) continue;
        out.push_back(partial_fractions(e, ring.kernels()[v]));
        break;
      }
    }
  }
  bool roots = false;
  postorder(e, [&](const Expr& x) {
    if (x.is(Kind::power)) roots = roots || (x.operands()[1].is_number() && !x.operands()[1].word());
    if (x.is(Kind::product)) {
      for (const auto [b, n] : Parts(x)) roots = roots || (n.is_number() && !n.word());
    }
  });
  if (!roots) return;
  const KernelRing ring(list, {.rationalise_all = true, .term_limit = 20000});
  const Fraction f = ring.fraction_of(e);
  out.push_back(ring.expression(f));
  out.push_back(ring.factored(f));
}

}  // namespace boreon::transforms
