// SPDX-License-Identifier: MIT
#include "equations/roots.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/shifted_polynomial.hpp"

namespace boreon::equations {
namespace {

using Coefficients = std::vector<Expr>;
using Roots = std::optional<std::vector<Expr>>;

bool rational(const Coefficients& c) {
  return std::all_of(c.begin(), c.end(), [](const Expr& k) { return k.is_number() && k.number().is_exact(); });
}

bool readable(const std::vector<Expr>& roots, std::size_t longest) {
  return std::all_of(roots.begin(), roots.end(), [&](const Expr& r) {
    return to_text(r, {longest + 10, {}}).size() <= longest;
  });
}

std::vector<Expr> quadratic(const Coefficients& c, const Signs& signs) {
  // the middle coefficient halved where that is shorter: (-b +- sqrt(b^2 - a*c))/a
  const Expr& a = c[2];
  const Expr half = c[1] / 2;
  const bool even = (half / a).is_number() ? (half / a).number().is_integer() : half.is(Kind::symbol);
  const Expr b = even ? half : c[1];
  const Expr under = expand(b * b - (even ? 1 : 4) * a * c[0]);
  const Expr below = even ? a : 2 * a;
  const auto sign = signs.known(under);
  Expr root;
  if (sign && *sign < 0) {
    root = imaginary_unit() * sqrt(factor(-under));
  } else {
    root = sqrt(factor(under));
  }
  const auto one = [&](const Expr& r) {
    // numbers term by term, symbols over one denominator
    return c[0].has_symbols() || c[1].has_symbols() || a.has_symbols() ? (-b + r) / below : -b / below + r / below;
  };
  return {one(root), one(-root)};
}

// x^n = k for a k of unknown sign
std::vector<Expr> binomial(std::int64_t n, const Expr& k, const Signs& signs) {
  const auto sign = signs.known(k);
  const Expr size = power(sign && *sign < 0 ? -k : k, Expr(Number(1, n)));
  std::vector<Expr> out;
  for (std::int64_t j = 0; j < n; ++j) {
    const Expr angle = Expr(Number(2 * j + (sign && *sign < 0 ? 1 : 0), n)) * pi();
    out.push_back(expand(size * (cos(angle) + imaginary_unit() * sin(angle))));
  }
  return out;
}

Roots by_radicals(const Coefficients& c, const Signs& signs) {
  Signs inner(signs.given());
  try {
    const auto closed = closed_roots(c, inner);
    if (!closed) return std::nullopt;
    std::vector<Expr> out;
    for (const Expr& r : closed->real) out.push_back(tidied(r, inner));
    for (const auto& p : closed->pairs) {
      const Expr re = tidied(p.re, inner);
      const Expr im = tidied(p.im, inner);
      out.push_back(re + imaginary_unit() * im);
      out.push_back(re - imaginary_unit() * im);
    }
    return out;
  } catch (const UnknownSign&) {
    return std::nullopt;
  }
}

// A polynomial in x^k, k > 1: the roots of each x^k = y.
Roots decomposed(const Coefficients& c, const Signs& signs, std::size_t longest) {
  std::size_t k = 0;
  for (std::size_t i = 1; i < c.size(); ++i) {
    if (!c[i].is_integer(0)) k = std::gcd(k, i);
  }
  if (k < 2 || k + 1 == c.size()) return std::nullopt;
  Coefficients inner;
  for (std::size_t i = 0; i < c.size(); i += k) inner.push_back(c[i]);
  const Roots values = roots_of(inner, signs, longest);
  if (!values) return std::nullopt;
  std::vector<Expr> out;
  for (const Expr& y : *values) {
    const std::vector<Expr> part = binomial(static_cast<std::int64_t>(k), y, signs);
    out.insert(out.end(), part.begin(), part.end());
  }
  return out;
}

// a*x^4 + b*x^3 + c*x^2 + m*b*x + m^2*a: a quadratic for x + m/x.
Roots reciprocal(const Coefficients& c, const Signs& signs) {
  if (c.size() != 5 || c[3].is_integer(0)) return std::nullopt;
  const Expr m = simplify(c[1] / c[3]);
  if (m.is_integer(0) || !vanishes(c[0] - m * m * c[4])) return std::nullopt;
  std::vector<Expr> out;
  for (const Expr& u : quadratic({c[2] - 2 * m * c[4], c[3], c[4]}, signs)) {
    const std::vector<Expr> part = quadratic({m, -u, 1}, signs);
    out.insert(out.end(), part.begin(), part.end());
  }
  return out;
}

// A polynomial in (x + s)^k, k > 1.
Roots moved(const Coefficients& c, const Signs& signs, std::size_t longest) {
  const std::size_t n = c.size() - 1;
  if (n < 4 || c[n - 1].is_integer(0)) return std::nullopt;
  const Expr by = simplify(-c[n - 1] / (Expr(n) * c[n]));
  Coefficients without = shifted_coefficients(c, by);
  if (without.size() != c.size()) return std::nullopt;
  for (Expr& k : without) k = vanishes(k) ? Expr(0) : simplify(k);
  Roots inner = decomposed(without, signs, longest);
  if (!inner) return std::nullopt;
  for (Expr& r : *inner) r += by;
  return inner;
}

// a*x^3 + b*x^2 + c*x + d with symbols, by radicals (Cardano): one cube root, the principal one, for all three; the
// coefficient of x without the square must not be zero.
std::vector<Expr> cubic(const Coefficients& k) {
  const Expr& a = k[3];
  const Expr p = third_of_linear(k);
  const Expr shift = k[2] / (3 * a);
  const Expr q = combine_fractions(2 * power(shift, 3) - shift * k[1] / a + k[0] / a);
  const Expr u = power(sqrt(power(q, 2) / 4 + power(p, 3)) - q / 2, Expr(1) / 3);
  const Expr turn = (imaginary_unit() * sqrt(Expr(3)) - 1) / 2;
  const Expr back = (-imaginary_unit() * sqrt(Expr(3)) - 1) / 2;
  return {u - p / u - shift, turn * u - back * p / u - shift, back * u - turn * p / u - shift};
}

}  // namespace

// p/3 of x^3 + p*x + q, to which a cubic is moved.
Expr third_of_linear(const Coefficients& k) {
  return combine_fractions(k[1] / (3 * k[3]) - power(k[2] / (3 * k[3]), 2));
}

Roots all_numbered_roots(const Coefficients& c) {
  const auto numbered = numbered_roots(c);
  if (!numbered) return std::nullopt;
  std::vector<Expr> out = numbered->real;
  out.insert(out.end(), numbered->complex.begin(), numbered->complex.end());
  return out;
}

Roots cubic_roots(const Coefficients& c, std::size_t longest) {
  Roots out = cubic(c);
  return readable(*out, longest) ? out : std::nullopt;
}

Roots roots_of(const Coefficients& c, const Signs& signs, std::size_t longest) {
  const std::size_t n = c.size() - 1;
  if (n == 1) return std::vector<Expr>{-c[0] / c[1]};
  if (n == 2) return quadratic(c, signs);
  if (rational(c)) {
    if (n <= 12) {
      if (const Roots r = by_radicals(c, signs); r && readable(*r, longest)) return r;
    }
    return all_numbered_roots(c);
  }
  const bool only_ends = std::all_of(c.begin() + 1, c.end() - 1, [](const Expr& k) { return k.is_integer(0); });
  if (only_ends) return binomial(static_cast<std::int64_t>(n), -c[0] / c[n], signs);
  if (const Roots r = by_radicals(c, signs); r && readable(*r, longest)) return r;
  if (const Roots r = decomposed(c, signs, longest); r && readable(*r, longest)) return r;
  if (const Roots r = reciprocal(c, signs); r && readable(*r, longest)) return r;
  if (const Roots r = moved(c, signs, longest); r && readable(*r, longest)) return r;
  return std::nullopt;
}

bool looks_real(const Expr& v) {
  if (is_real(v)) return true;
  if (v.has_symbols()) return !has_imaginary_unit(v);
  const auto value = certified_value(v, {}, {});
  return value && std::abs(value->imag()) <= 1e-14 * std::abs(*value);
}

bool require_sign(const Expr& e, bool strict, const Signs& signs, std::vector<Expr>& conditions) {
  if (const auto s = signs.known(e)) return strict ? *s > 0 : *s >= 0;
  if (!strict && is_nonnegative(e)) return true;
  const Expr front = leading_number(e);
  const bool scaled = front.is_number() && front.number().is_exact() && front.number().sign() != 0;
  const Expr positive = condition_of({scaled ? e / Expr(front.number().abs()) : e, 1});  // a - 1 > 0 is said as a > 1
  // numbers to the right: a <= 1
  Expr left = positive.operands()[0];
  Expr right = positive.operands()[1];
  if (left.is(Kind::sum)) {
    const Expr number = left.operands()[0];
    left -= number;
    right -= number;
  }
  conditions.push_back(strict ? less(left, right) : less_equal(left, right));
  return true;
}

std::optional<std::vector<Root>> real_roots_of(const Coefficients& c, const Signs& signs, std::size_t longest) {
  const std::size_t n = c.size() - 1;
  const bool symbols = std::any_of(c.begin(), c.end(), [](const Expr& k) { return k.has_symbols(); });
  std::vector<Root> out;
  if (n == 1 || !symbols) {
    const Roots all = roots_of(c, signs, longest);
    if (!all) return std::nullopt;
    for (const Expr& v : *all) {
      if (looks_real(v)) out.push_back({v});
    }
    return out;
  }
  std::vector<Expr> conditions;
  if (n == 2) {
    if (!require_sign(expand(c[1] * c[1] - 4 * c[0] * c[2]), false, signs, conditions)) return out;
    for (const Expr& v : quadratic(c, signs)) out.push_back({v, 1, conditions});
    return out;
  }
  if (!std::all_of(c.begin() + 1, c.end() - 1, [](const Expr& k) { return k.is_integer(0); })) return std::nullopt;
  const Expr k = -c[0] / c[n];
  const Expr exponent(Number(1, static_cast<std::int64_t>(n)));
  if (n % 2 == 0) {
    if (!require_sign(k, false, signs, conditions)) return out;
    out.push_back({power(k, exponent), 1, conditions});
    out.push_back({-power(k, exponent), 1, conditions});
  } else if (const auto s = signs.known(k)) {
    out.push_back({*s < 0 ? -power(-k, exponent) : power(k, exponent)});
  } else {
    out.push_back({n == 3 ? cbrt(k) : sign(k) * power(abs(k), exponent)});
  }
  return out;
}

}  // namespace boreon::equations
