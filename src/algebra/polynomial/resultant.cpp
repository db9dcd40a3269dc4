// SPDX-License-Identifier: MIT
// Resultants and square-free parts.
#include "algebra/polynomial/polynomial.hpp"

namespace boreon::poly {

Poly resultant(const Poly& a, const Poly& b, unsigned v) {
  const unsigned vars = a.vars();
  if (a.is_zero() || b.is_zero()) return Poly(a.layout);
  if (a.degree(v) < b.degree(v)) {
    const Poly r = resultant(b, a, v);
    return (a.degree(v) * b.degree(v)) % 2 == 0 ? r : negate(r);
  }
  if (b.degree(v) == 0) return power(b, a.degree(v));
  // Subresultants: the pseudo-remainders are divided by what is known to divide them.
  Poly p = a;
  Poly q = b;
  Poly g = constant(vars, 1);
  Poly h = constant(vars, 1);
  bool negative = false;
  while (q.degree(v) > 0) {
    const Degree delta = p.degree(v) - q.degree(v);
    if (p.degree(v) % 2 == 1 && q.degree(v) % 2 == 1) negative = !negative;
    const Poly r = pseudo_remainder(p, q, v);
    p = q;
    q = *divide_exactly(r, multiply(g, power(h, delta)));
    if (q.is_zero()) return q;
    g = leading_in(p, v);
    if (delta == 1) {
      h = g;
    } else if (delta > 1) {
      h = *divide_exactly(power(g, delta), power(h, delta - 1));
    }
  }
  const Degree d = p.degree(v);
  const Poly r = d == 1 ? q : *divide_exactly(power(q, d), power(h, d - 1));
  return negative ? negate(r) : r;
}

Factors square_free(const Poly& a) {
  Factors out;
  if (a.is_zero()) {
    out.unit = 0;
    return out;
  }
  Poly rest = primitive_part(a, &out.unit);
  const std::vector<Degree> monomial = monomial_content(rest);
  rest = divide_monomial(rest, monomial);
  for (unsigned v = 0; v < a.vars(); ++v) {
    if (monomial[v] != 0) out.list.push_back({variable(a.vars(), v), monomial[v]});
  }
  for (unsigned v = 0; v < a.vars() && !rest.is_constant(); ++v) {
    if (rest.degree(v) == 0) continue;
    // Split off what does not contain v; it is treated by the variables that follow.
    const Poly c = content_in(rest, v);
    const Poly f = is_one(c) ? rest : *divide_exactly(rest, c);
    const Poly df = derivative(f, v);
    const Poly g = gcd(f, df);
    Poly w = *divide_exactly(f, g);
    Poly y = *divide_exactly(df, g);
    Poly z = subtract(y, derivative(w, v));
    unsigned k = 1;
    while (!z.is_zero()) {
      const Poly part = gcd(w, z);
      if (!part.is_constant()) out.list.push_back({part, k});
      w = *divide_exactly(w, part);
      y = *divide_exactly(z, part);
      z = subtract(y, derivative(w, v));
      ++k;
    }
    if (!w.is_constant()) out.list.push_back({primitive_part(w), k});
    rest = c;
  }
  if (rest.is_constant() && !rest.is_zero()) out.unit *= rest.coefficients[0];
  return out;
}

}  // namespace boreon::poly
