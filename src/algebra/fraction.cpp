// SPDX-License-Identifier: MIT
#include "algebra/fraction.hpp"

namespace boreon {

using poly::Integer;
using poly::Poly;

Fraction fraction(const Poly& numerator) { return {numerator, poly::constant(numerator.vars(), 1)}; }

Fraction fraction(const Number& value, unsigned vars) {
  return {poly::constant(vars, Integer::from(value.numerator())),
          poly::constant(vars, Integer::from(value.denominator()))};
}

Fraction fraction(Poly n, Poly d) {
  if (d.is_zero()) throw Error(ErrorKind::domain, "division by an expression that is zero");
  if (n.is_zero()) return {n, poly::constant(n.vars(), 1)};
  if (d.is_constant()) {
    Integer g = Integer::gcd(poly::content(n), d.coefficients[0]);
    if (d.coefficients[0].sign() < 0) g = -g;
    return {poly::divide_scalar(n, g), poly::divide_scalar(d, g)};
  }
  const Poly g = poly::gcd(n, d);
  if (!poly::is_one(g)) {
    n = *poly::divide_exactly(n, g);
    d = *poly::divide_exactly(d, g);
  }
  if (d.coefficients[0].sign() < 0) {
    n = poly::negate(n);
    d = poly::negate(d);
  }
  return {std::move(n), std::move(d)};
}

Fraction negate(const Fraction& a) { return {poly::negate(a.numerator), a.denominator}; }

Fraction add(const Fraction& a, const Fraction& b) {
  if (a.is_zero()) return b;
  if (b.is_zero()) return a;
  if (poly::equal(a.denominator, b.denominator)) {
    if (poly::is_one(a.denominator)) return {poly::add(a.numerator, b.numerator), a.denominator};
    return fraction(poly::add(a.numerator, b.numerator), a.denominator);
  }
  // Over the least common denominator; what can cancel divides the common part of the denominators.
  const Poly g = poly::gcd(a.denominator, b.denominator);
  const Poly da = *poly::divide_exactly(a.denominator, g);
  const Poly db = *poly::divide_exactly(b.denominator, g);
  const Poly n = poly::add(poly::multiply(a.numerator, db), poly::multiply(b.numerator, da));
  if (n.is_zero()) return fraction(n);
  const Poly common = poly::is_one(g) ? g : poly::gcd(n, g);
  const Poly d = poly::multiply(poly::multiply(da, db), poly::is_one(common) ? g : *poly::divide_exactly(g, common));
  return {poly::is_one(common) ? n : *poly::divide_exactly(n, common), d};
}

Fraction subtract(const Fraction& a, const Fraction& b) { return add(a, negate(b)); }

Fraction sum(const std::vector<Fraction>& terms, unsigned vars) {
  Integer scale = 1;
  std::uint64_t degree = 0;
  for (const Fraction& t : terms) {
    if (!t.is_polynomial()) continue;
    const Integer d = t.denominator.coefficients[0];
    Integer q;
    (void)Integer::divide(scale, Integer::gcd(scale, d), q);
    scale = q * d;
    degree = std::max<std::uint64_t>(degree, t.numerator.largest_degree());
  }
  Poly all(poly::Layout::for_degree(vars, degree));
  std::vector<const Fraction*> others;
  for (const Fraction& t : terms) {
    if (!t.is_polynomial()) {
      others.push_back(&t);
      continue;
    }
    Integer q;
    (void)Integer::divide(scale, t.denominator.coefficients[0], q);
    const Poly p = poly::scale(t.numerator.repacked(all.layout), q);
    all.exponents.insert(all.exponents.end(), p.exponents.begin(), p.exponents.end());
    all.coefficients.insert(all.coefficients.end(), p.coefficients.begin(), p.coefficients.end());
  }
  all.normalise([](Integer& x, const Integer& y) { x += y; }, [](const Integer& x) { return x.is_zero(); });
  Fraction result = fraction(all, poly::constant(vars, scale));
  for (const Fraction* t : others) result = add(result, *t);
  return result;
}

Fraction multiply(const Fraction& a, const Fraction& b) {
  if (a.is_zero() || b.is_zero()) return fraction(Poly(a.numerator.layout));
  // Only across: a and b are cancelled.
  const Fraction x =
      poly::is_one(b.denominator) ? Fraction{a.numerator, b.denominator} : fraction(a.numerator, b.denominator);
  const Fraction y =
      poly::is_one(a.denominator) ? Fraction{b.numerator, a.denominator} : fraction(b.numerator, a.denominator);
  return {poly::multiply(x.numerator, y.numerator), poly::multiply(x.denominator, y.denominator)};
}

Fraction divide(const Fraction& a, const Fraction& b) {
  if (b.is_zero()) throw Error(ErrorKind::domain, "division by an expression that is zero");
  const bool negative = b.numerator.coefficients[0].sign() < 0;
  return multiply(a, negative ? Fraction{poly::negate(b.denominator), poly::negate(b.numerator)}
                              : Fraction{b.denominator, b.numerator});
}

Fraction power(const Fraction& a, std::int64_t n) {
  const auto m = static_cast<unsigned>(n < 0 ? -n : n);
  const Fraction p{poly::power(a.numerator, m), poly::power(a.denominator, m)};
  return n < 0 ? divide(fraction(Number(1), a.vars()), p) : p;
}

}  // namespace boreon
