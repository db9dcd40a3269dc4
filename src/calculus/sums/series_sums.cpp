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

namespace {

// im(digamma(p + i*q)) where p is a half of a whole number: 5.4.16 to 5.4.18 with the recurrence.
std::optional<Expr> imaginary_part_of_digamma(const Expr& p, const Expr& q) {
  const auto twice = (2 * p).word();
  if (!twice || *twice < 0 || *twice > 60) return std::nullopt;
  if (*twice == 0) return pi() / 2 / tanh(pi() * q) + 1 / (2 * q);
  const bool half = *twice % 2 != 0;
  Expr out = half ? pi() / 2 * tanh(pi() * q) : pi() / 2 / tanh(pi() * q) - 1 / (2 * q);
  for (Expr a = half ? Expr(1) / 2 : Expr(1); !(a == p); a = a + 1) out -= q / (a * a + q * q);
  return out;
}

// (n0 + n1*k)/(scale*(k^2 + b*k + c)) with complex poles -p +- i*q: the imaginary and real part of digamma.
std::optional<Expr> pair_of_poles(const std::vector<Expr>& n, const Expr& scale, const Expr& base, const Symbol& k,
                                  const Expr& from, const Expr& to, Expr& harmonic) {
  const auto c = polynomial_in(base, k, 2);
  if (!c || c->size() != 3) return std::nullopt;
  const Expr p = (*c)[1] / (2 * (*c)[2]);
  const Expr square = factor(combine_fractions((*c)[0] / (*c)[2] - p * p));
  const Expr slope = n.size() > 1 ? n[1] : Expr(0);
  const bool endless = to.is_constant(ConstantCode::infinity);
  if (is_negative(square)) {
    // real poles at -p -+ q
    const Expr q = sqrt(-square);
    Expr value = 0;
    for (const int sign : {1, -1}) {
      const Expr residue = (n[0] - slope * (p + sign * q)) / (-2 * sign * q * scale * (*c)[2]);
      value += residue * ((endless ? Expr(0) : digamma(to + 1 + p + sign * q)) - digamma(from + p + sign * q));
    }
    harmonic += slope / (scale * (*c)[2]);
    return value;
  }
  const Expr q = sqrt(square);
  const Expr along = slope / (scale * (*c)[2]);                    // of (k + p)/((k + p)^2 + q^2)
  const Expr across = (n[0] - slope * p) / (scale * (*c)[2] * q);  // of q/((k + p)^2 + q^2)
  const auto imaginary = [&](const Expr& place) {
    const auto short_form = imaginary_part_of_digamma(place + p, q);
    return short_form ? *short_form : im(digamma(place + p + imaginary_unit() * q));
  };
  const auto real = [&](const Expr& place) { return re(digamma(place + p + imaginary_unit() * q)); };
  Expr value = 0;
  if (!across.is_integer(0)) value += across * (imaginary(from) - (endless ? Expr(0) : imaginary(to + 1)));
  if (!along.is_integer(0)) {
    harmonic += along;
    value += along * ((endless ? Expr(0) : real(to + 1)) - real(from));
  }
  return value;
}

}  // namespace

std::optional<Expr> rational_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to) {
  if (!is_rational_in(term, k)) return std::nullopt;
  const Expr parts = partial_fractions(term, k);
  if (parts.is(Kind::sum) && !parts.operands()[0].is_integer(0)) return std::nullopt;
  const bool endless = to.is_constant(ConstantCode::infinity);
  Expr value = 0;
  Expr harmonic = 0;  // coefficients of 1/k must cancel in an endless sum
  for (const Expr& t : terms_of(parts)) {
    const Quotient q = quotient(t);
    const auto n = polynomial_in(q.numerator, k, 1);
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
    if (!l && m == 1) {
      const auto pair = pair_of_poles(*n, scale, base, k, from, to, harmonic);
      if (!pair) return std::nullopt;
      value += *pair;
      continue;
    }
    if (!l || m < 1 || m > 30 || n->size() != 1) return std::nullopt;
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
