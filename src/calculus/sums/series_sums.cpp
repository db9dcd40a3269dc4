// SPDX-License-Identifier: MIT
// Sums of rational terms, and the classical series.
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/sums/sum_methods.hpp"
#include "expr/canonical.hpp"

namespace boreon::sums {

std::optional<Expr> rational_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to) {
  if (!is_rational_in(term, k)) return std::nullopt;
  const Expr parts = partial_fractions(term, k);
  if (parts.is(Kind::sum) && !parts.operands()[0].is_integer(0)) return std::nullopt;
  const bool endless = to.is_constant(ConstantCode::infinity);
  Expr value = 0;
  Expr harmonic = 0;  // coefficients of 1/k must cancel in an endless sum
  for (const Expr& t : terms_of(parts)) {
    const Quotient q = quotient(t);
    const auto n = polynomial_in(q.numerator, k, 0);
    if (!n) return std::nullopt;
    const Expr d = factor(q.denominator);
    Expr base = d;
    std::int64_t m = 1;
    Expr scale = 1;
    if (d.is(Kind::product)) {
      scale = d.operands()[0];
      int varying = 0;
      for (const auto [b, e] : Parts(d)) {
        if (!depends_on(b, k)) {
          scale *= power(b, e);
          continue;
        }
        ++varying;
        base = b;
        m = e.word().value_or(0);
      }
      if (varying != 1) return std::nullopt;
    } else if (d.is(Kind::power)) {
      base = d.operands()[0];
      m = d.operands()[1].word().value_or(0);
    }
    const auto l = linear_in(base, k);
    if (!l || m < 1 || m > 30) return std::nullopt;
    const Expr a = l->constant / l->slope;
    const Expr c = (*n)[0] / (scale * power(l->slope, m));
    if (m == 1) {
      harmonic += c;
      value += c * ((endless ? Expr(0) : digamma(to + 1 + a)) - digamma(from + a));
      continue;
    }
    Expr front = m % 2 == 0 ? 1 : -1;
    for (std::int64_t i = 2; i < m; ++i) front = front / i;
    value += c * front * (polygamma(m - 1, from + a) - (endless ? Expr(0) : polygamma(m - 1, to + 1 + a)));
  }
  if (endless && !vanishes(harmonic)) return std::nullopt;
  return value;
}

std::optional<Expr> classical_series(const Expr& term, const Symbol& k, const Expr& from, Signs& signs,
                                     std::vector<Expr>& conditions) {
  if (!from.word()) return std::nullopt;
  Expr constant = leading_number(term);
  Expr x = 1;
  Expr s = 0;
  Expr factorial;
  bool has_factorial = false;
  bool fine = true;
  for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
    if (!depends_on(base, k) && !depends_on(exponent, k)) {
      constant *= power(base, exponent);
    } else if (base == k && !depends_on(exponent, k)) {
      s += exponent;
    } else if (!depends_on(base, k)) {
      const auto l = linear_in(exponent, k);
      if (l) {
        constant *= power(base, l->constant);
        x *= power(base, l->slope);
      } else {
        fine = false;
      }
    } else if (is_call_of(base, "gamma") && exponent.is_integer(-1) && !has_factorial) {
      has_factorial = true;
      factorial = base.operands()[0];
    } else if (is_call_of(base, "exp") && exponent.word()) {
      const auto l = linear_in(base.operands()[0] * exponent, k);
      if (l) {
        constant *= exp(l->constant);
        x *= exp(l->slope);
      } else {
        fine = false;
      }
    } else {
      fine = false;
    }
  });
  if (!fine) return std::nullopt;
  const auto missing = [&](std::int64_t start) {  // terms between the standard start and `from`
    Expr sum = 0;
    for (std::int64_t j = std::min(start, *from.word()); j < std::max(start, *from.word()); ++j)
      sum += substitute(term, {{k, j}}, Unused::allowed);
    return *from.word() >= start ? -sum : sum;
  };
  if (std::abs(*from.word()) > 60) return std::nullopt;
  if (has_factorial) {
    const auto l = linear_in(factorial, k);
    if (!l || !s.is_integer(0)) return std::nullopt;
    if (l->slope.is_integer(1) && l->constant.word()) {  // x^k/(k + c - 1)!
      const std::int64_t start = 1 - *l->constant.word();
      return constant * power(x, start) * exp(x) + missing(start);
    }
    if (l->slope.is_integer(2) && (l->constant.is_integer(1) || l->constant.is_integer(2))) {
      const auto sign = signs.known(x);
      if (!sign) return std::nullopt;
      const Expr r = sqrt(*sign < 0 ? -x : x);
      const Expr v = l->constant.is_integer(1) ? (*sign < 0 ? cos(r) : cosh(r)) : (*sign < 0 ? sin(r) : sinh(r)) / r;
      return constant * v + missing(0);
    }
    return std::nullopt;
  }
  if (s.is_integer(0)) return std::nullopt;  // geometric: by Gosper
  const Expr order = -s;
  if (x.is_integer(1)) {
    const int above = signs.of(order - 1);
    if (above <= 0) return std::nullopt;
    return constant * zeta(order) + missing(1);
  }
  if (x.is_integer(-1)) {
    if (order.is_integer(1)) return -constant * log(Expr(2)) + missing(1);
    if (signs.of(order) <= 0) return std::nullopt;
    return constant * (power(2, 1 - order) - 1) * zeta(order) + missing(1);
  }
  if (!x.is_number()) conditions.push_back(less(abs(x), 1));
  if (x.is_number() && compare(x.number().abs(), Number(1)) >= 0) return std::nullopt;
  return constant * polylog(order, x) + missing(1);
}

}  // namespace boreon::sums
