// SPDX-License-Identifier: MIT
// Canonical powers. Each rule states where it is valid; powers are principal values, x^a = exp(a*log(x)).
#include <cmath>
#include <cstdlib>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"
#include "expr/node.hpp"
#include "expr/orientation.hpp"
#include "expr/two_operands.hpp"

namespace boreon {
namespace {

constexpr std::size_t bit_limit = 200000;  // exact powers larger than this stay unevaluated, such as 2^(10^9)

Expr plain(const Expr& base, const Expr& exponent) { return Node::make(Kind::power, 0, base, exponent); }

// n = outside^q * inside with small prime factors taken out.
struct RootParts {
  Number outside = 1;
  Number inside = 1;
};

RootParts take_out(const Number& n, std::int64_t q) {
  if (const auto root = exact_root(n, q)) return {*root, 1};
  RootParts parts{1, n};
  const auto word = n.word();
  if (!word || q > 62) return parts;
  std::int64_t rest = *word;
  std::int64_t outside = 1;
  std::int64_t inside = 1;
  for (std::int64_t p = 2; p <= 1000 && p * p <= rest; ++p) {
    int count = 0;
    while (rest % p == 0) {
      rest /= p;
      ++count;
    }
    for (int k = 0; k < count / q; ++k) outside *= p;
    for (int k = 0; k < count % q; ++k) inside *= p;
  }
  if (const auto root = exact_root(Number(rest), q)) {
    outside *= *root->word();
    rest = 1;
  }
  return {outside, Number(inside) * Number(rest)};
}

// Positive integer to a fraction strictly between 0 and 1.
Expr integer_root(const Number& n, const Number& fraction) {
  const auto p = fraction.numerator().word();
  const auto q = fraction.denominator().word();
  if (!p || !q || *p > 1000 || *q > 1000) return n.is_one() ? Expr(1) : plain(n, fraction);
  RootParts parts = take_out(n, *q);
  const Expr outside = power(parts.outside, *p);
  if (parts.inside.is_one()) return outside;
  if (*p > 1) {  // 2^(2/3) stays, 4^(1/3) = 2^(2/3) is left as it is typed
    RootParts once_more = take_out(power(parts.inside, *p), *q);
    if (!once_more.outside.is_one() && compare(once_more.inside, parts.inside) < 0) {
      const Expr inside = integer_root(once_more.inside, Number(1, *q));
      return outside * Expr(once_more.outside) * inside;
    }
  }
  const Expr inside = plain(parts.inside, fraction);
  if (outside.is_integer(1)) return inside;
  return Node::make(Kind::product, 0, outside, parts.inside, fraction);
}

Expr number_power(const Number& base, const Number& exponent, const Expr& base_expr, const Expr& exponent_expr) {
  if (exponent.is_double() || base.is_double()) {
    if (base.sign() >= 0 || exponent.is_integer()) {
      const double b = base.to_double();
      const double e = exponent.to_double();
      if (b == 0 && e < 0) return undefined();
      return {std::pow(b, e)};
    }
    return plain(base_expr, exponent_expr);
  }
  if (base.is_zero()) return exponent.sign() > 0 ? Expr(0) : undefined();
  if (base.is_one()) return 1;
  if (const auto n = exponent.word()) {
    const std::uint64_t size = static_cast<std::uint64_t>(*n < 0 ? -*n : *n);
    if (size > bit_limit || size * base.bits() > bit_limit * 64) {
      if (base == Number(-1)) return *n % 2 == 0 ? 1 : -1;
      return plain(base_expr, exponent_expr);
    }
    return {power(base, *n)};
  }
  if (exponent.is_integer()) return plain(base_expr, exponent_expr);
  const Number whole = exponent.floor();
  const Number fraction = exponent - whole;
  if (base.sign() < 0) {
    // (-a)^f = a^f * (-1)^f for a > 0
    const Expr unit = fraction == Number(1, 2) ? imaginary_unit() : plain(-1, fraction);
    const Expr magnitude =
        integer_root((-base).numerator(), fraction) * power(Expr((-base).denominator()), Expr(-fraction));
    return power(base_expr, Expr(whole)) * unit * magnitude;
  }
  const auto w = whole.word();
  if (!w || static_cast<std::size_t>(*w < 0 ? -*w : *w) * base.bits() > bit_limit)
    return plain(base_expr, exponent_expr);
  Expr result = power(base, *w);
  if (!base.numerator().is_one()) result *= integer_root(base.numerator(), fraction);
  if (!base.denominator().is_one()) {
    // 1/d^f = d^(1 - f)/d keeps roots out of denominators
    result *= integer_root(base.denominator(), Number(1) - fraction) / Expr(base.denominator());
  }
  return result;
}

// (1 + i)^2 = 2*i, 1/(1 + i) = 1/2 - i/2
Expr gaussian_power(const Gaussian& z, std::int64_t n) {
  Gaussian result{1, 0};
  for (std::int64_t k = 0; k < std::abs(n); ++k) result = result * z;
  if (n < 0) {
    const Number size = result.re * result.re + result.im * result.im;
    result = {result.re / size, -result.im / size};
  }
  return result.expression();
}

Expr imaginary_power(std::int64_t n) {
  switch (((n % 4) + 4) % 4) {
    case 0: return 1;
    case 1: return imaginary_unit();
    case 2: return -1;
    default: return -imaginary_unit();
  }
}

// Splits the factors that are known to be positive out of a product under a non-integer power.
Expr power_of_product(const Expr& base, const Expr& exponent) {
  const Number c = base.operands()[0].number();
  std::vector<Expr> outside;
  std::vector<Expr> inside;
  // A number comes out of a square root always, sqrt(12*x) = 2*sqrt(3)*sqrt(x), of other powers only where it becomes
  // rational: (300/T)^0.39 reads better as it is.
  const Expr magnitude = power(Expr(c.abs()), exponent);
  const bool comes_out = magnitude.is_number() || exponent.number().denominator() == Number(2);
  if (!comes_out) {
    inside.emplace_back(c);
  } else {
    if (c.sign() < 0) inside.emplace_back(-1);
    if (!c.abs().is_one()) outside.push_back(magnitude);
  }
  for (const auto [b, e] : Parts(base)) {
    const Expr factor = e.is_integer(1) ? b : plain(b, e);
    if (is_nonnegative(factor) && (exponent.number().sign() > 0 || is_positive(factor))) {
      outside.push_back(power(factor, exponent));
    } else {
      inside.push_back(factor);
    }
  }
  if (outside.empty()) return plain(base, exponent);
  if (!inside.empty()) {
    const Expr rest = multiply(inside);
    outside.push_back(rest.is(Kind::product) ? plain(rest, exponent) : power(rest, exponent));
  }
  return multiply(outside);
}

}  // namespace

Expr Gaussian::expression() const { return Expr(re) + Expr(im) * imaginary_unit(); }

std::optional<Gaussian> as_gaussian(const Expr& e) {
  if (!e.is(Kind::sum) || e.operands().size() != 3 || !e.operands()[1].is_constant(ConstantCode::imaginary))
    return std::nullopt;
  const Number& re = e.operands()[0].number();
  const Number& im = e.operands()[2].number();
  if (re.is_zero() || !re.is_exact() || !im.is_exact()) return std::nullopt;
  return Gaussian{re, im};
}

Expr power(const Expr& base, const Expr& exponent) {
  if (exponent.is_integer(1)) return base;
  // Doubles that are whole or half numbers are those numbers: pow(x, 0.5) is sqrt(x), pow(x, 2.0) is x^2.
  if (exponent.is_number() && exponent.number().is_double() && !base.is_number()) {
    const double e = exponent.number().to_double();
    if (std::fabs(e) <= 1024 && 2 * e == std::floor(2 * e)) return power(base, Expr(Number::exact(e)));
  }
  if (base.is_constant(ConstantCode::undefined) || exponent.is_constant(ConstantCode::undefined)) return undefined();
  if (is_condition(base) || is_condition(exponent)) {
    throw Error(ErrorKind::shape,
                "a condition cannot be used as a number in a power; use piecewise(1 if condition, 0 otherwise)");
  }
  if (exponent.is_integer(0)) return is_infinite(base) ? undefined() : Expr(1);
  if (exponent.is_number() && base.is_number()) return number_power(base.number(), exponent.number(), base, exponent);
  if (base.is_integer(1)) return is_infinite(exponent) ? undefined() : Expr(1);
  if (base.is_integer(0) && is_positive(exponent)) return 0;
  if (base.is(Kind::constant)) {
    if (base.is_constant(ConstantCode::imaginary)) {
      if (const auto n = exponent.word()) return imaginary_power(*n);
    }
    if (base.is_constant(ConstantCode::infinity)) {
      if (is_positive(exponent)) return infinity();
      if (is_negative(exponent)) return 0;
    }
  }
  if (is_infinite(base) && exponent.is_number() && exponent.number().sign() < 0) return 0;
  if (base.is(Kind::power)) {
    const Expr& inner_base = base.operands()[0];
    const Expr& inner = base.operands()[1];
    // (x^a)^n for integer n always; (x^a)^b with -1 < a <= 1 always, since arg(x^a) = a*arg(x) stays within (-pi, pi];
    // (x^a)^b for positive x and real a.
    bool joins = is_integer(exponent) ||
                 (is_nonnegative(inner_base) && is_real(inner) && (is_positive(inner_base) || is_positive(inner)));
    if (!joins && inner.is_number() && exponent.is_number()) {
      joins = compare(inner.number(), -1) > 0 && compare(inner.number(), 1) <= 0;
    }
    if (joins) return power(inner_base, inner * exponent);
  }
  if (base.is(Kind::product)) {
    if (exponent.word()) {
      if (Expr result; power_of_plain_product(base, exponent, result)) return result;
      std::vector<Expr> factors;
      factors.push_back(power(base.operands()[0], exponent));
      if (base.operands().size() / 2 <= 32) {
        for (const auto [b, e] : Parts(base)) factors.push_back(power(b, e * exponent));
        return multiply(factors);
      }
      const Scaled s = split_coefficient(base);
      factors.push_back(plain(s.rest, exponent));
      return multiply(factors);
    }
    if (exponent.is_number() && exponent.number().is_exact()) return power_of_product(base, exponent);
  }
  if (base.is(Kind::call) && exponent.word()) {
    if (Expr result;
        base.function().power_rule != nullptr && base.function().power_rule(base.operands(), exponent, result))
      return result;
  }
  if (const auto n = exponent.word(); n && std::abs(*n) <= 64) {
    if (const auto z = as_gaussian(base)) return gaussian_power(*z, *n);
  }
  // (a - b)^2 = (b - a)^2: one of them stands
  if (const auto n = exponent.word(); n && *n % 2 == 0 && base.is(Kind::sum) && points_backwards(base))
    return plain(reversed(base), exponent);
  return plain(base, exponent);
}

}  // namespace boreon
