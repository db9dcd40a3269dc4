// SPDX-License-Identifier: MIT
#include "calculus/integral/univariate.hpp"

#include "boreon/error.hpp"

namespace boreon::univariate {

using poly::Poly;

Univariate from(const Poly& p, unsigned v) {
  Univariate out;
  for (const Poly& c : poly::coefficients_in(p, v)) out.push_back(fraction(c));
  trim(out);
  return out;
}

Poly to_poly(const Univariate& p, unsigned v, unsigned vars, Fraction& factor) {
  Poly common = poly::constant(vars, 1);
  for (const Fraction& c : p) {
    const Fraction q = fraction(c.denominator, poly::constant(vars, 1));
    const Poly g = poly::gcd(common, q.numerator);
    common = poly::multiply(common, *poly::divide_exactly(q.numerator, g));
  }
  Poly out = poly::constant(vars, 0);
  for (std::size_t i = 0; i < p.size(); ++i) {
    const Fraction c = multiply(p[i], boreon::fraction(common));
    out = poly::add(out, poly::multiply(c.numerator, poly::variable(vars, v, static_cast<poly::Degree>(i))));
  }
  factor = boreon::fraction(poly::constant(vars, 1), common);
  return out;
}

void trim(Univariate& p) {
  while (!p.empty() && p.back().is_zero()) p.pop_back();
}

Univariate add(const Univariate& a, const Univariate& b) {
  Univariate out = a.size() >= b.size() ? a : b;
  const Univariate& other = a.size() >= b.size() ? b : a;
  for (std::size_t i = 0; i < other.size(); ++i) out[i] = boreon::add(out[i], other[i]);
  trim(out);
  return out;
}

Univariate subtract(const Univariate& a, const Univariate& b) {
  Univariate minus = b;
  for (Fraction& c : minus) c = negate(c);
  return add(a, minus);
}

Univariate multiply(const Univariate& a, const Univariate& b) {
  if (a.empty() || b.empty()) return {};
  Univariate out(a.size() + b.size() - 1, fraction(Number(0), a[0].vars()));
  for (std::size_t i = 0; i < a.size(); ++i) {
    for (std::size_t j = 0; j < b.size(); ++j) out[i + j] = boreon::add(out[i + j], boreon::multiply(a[i], b[j]));
  }
  trim(out);
  return out;
}

Univariate scale(const Univariate& a, const Fraction& c) {
  Univariate out = a;
  for (Fraction& x : out) x = boreon::multiply(x, c);
  trim(out);
  return out;
}

Univariate derivative(const Univariate& a) {
  Univariate out;
  for (std::size_t i = 1; i < a.size(); ++i)
    out.push_back(boreon::multiply(a[i], fraction(Number(static_cast<std::int64_t>(i)), a[i].vars())));
  trim(out);
  return out;
}

Division divide(const Univariate& a, const Univariate& b) {
  if (b.empty()) throw Error(ErrorKind::domain, "division by a polynomial that is zero");
  Division d;
  d.remainder = a;
  if (a.size() < b.size()) return d;
  d.quotient.assign(a.size() - b.size() + 1, fraction(Number(0), b[0].vars()));
  for (std::size_t k = d.quotient.size(); k-- > 0;) {
    if (d.remainder.size() < b.size() + k) continue;
    const Fraction q = boreon::divide(d.remainder[b.size() - 1 + k], b.back());
    for (std::size_t i = 0; i < b.size(); ++i)
      d.remainder[i + k] = boreon::subtract(d.remainder[i + k], boreon::multiply(q, b[i]));
    d.quotient[k] = q;
    d.remainder.resize(b.size() - 1 + k);
  }
  trim(d.remainder);
  trim(d.quotient);
  return d;
}

Univariate inverse_modulo(const Univariate& a, const Univariate& b, Univariate& gcd) {
  Univariate r0 = b;
  Univariate r1 = divide(a, b).remainder;
  Univariate s0;
  Univariate s1{fraction(Number(1), b[0].vars())};
  while (!r1.empty()) {
    Division d = divide(r0, r1);
    Univariate s = subtract(s0, multiply(d.quotient, s1));
    r0 = std::move(r1);
    r1 = std::move(d.remainder);
    s0 = std::move(s1);
    s1 = std::move(s);
  }
  const Fraction lead = boreon::divide(fraction(Number(1), b[0].vars()), r0.back());
  gcd = scale(r0, lead);
  return divide(scale(s0, lead), b).remainder;
}

}  // namespace boreon::univariate
