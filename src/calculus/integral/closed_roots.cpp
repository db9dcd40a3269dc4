// SPDX-License-Identifier: MIT
// Roots of polynomials in closed form, real ones and conjugate pairs apart.
#include <algorithm>
#include <array>

#include "algebra/polynomial/integer.hpp"
#include "algebra/polynomial/univariate_mod.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/shifted_polynomial.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

using Coefficients = std::vector<Expr>;

bool all_numbers(const Coefficients& c) {
  return std::all_of(c.begin(), c.end(), [](const Expr& k) { return k.is_number() && k.number().is_exact(); });
}

// a*x^2 + b*x + c
ClosedRoots quadratic(const Expr& a, const Expr& b, const Expr& c, Signs& signs) {
  ClosedRoots out;
  Expr d = expand(b * b - 4 * a * c);
  if (transforms::contains_call(d, {"sin", "cos"})) d = tidied(d, signs);  // sin(p)^2 + cos(p)^2 is 1
  const int s = signs.of(d);
  if (s >= 0) {
    out.real = {(-b + sqrt(d)) / (2 * a), (-b - sqrt(d)) / (2 * a)};
  } else {
    out.pairs.push_back({-b / (2 * a), sqrt(-d) / (2 * a)});
  }
  return out;
}

// Square roots of the given numbers.
ClosedRoots square_roots(const ClosedRoots& of, Signs& signs) {
  ClosedRoots out;
  for (const Expr& y : of.real) {
    if (signs.of(y) > 0) {
      out.real.push_back(sqrt(y));
      out.real.push_back(-sqrt(y));
    } else {
      out.pairs.push_back({0, sqrt(-y)});
    }
  }
  for (const auto& [p, q] : of.pairs) {
    const Expr size = tidied(sqrt(expand(p * p + q * q)), signs);
    const Expr re = sqrt((size + p) / 2);
    const Expr im = sqrt((size - p) / 2);
    out.pairs.push_back({re, im});
    out.pairs.push_back({-re, im});
  }
  return out;
}

// x^n = c
ClosedRoots binomial(std::int64_t n, const Expr& c, Signs& signs) {
  ClosedRoots out;
  const int s = signs.of(c);
  const Expr size = power(s > 0 ? c : -c, Expr(Number(1, n)));
  for (std::int64_t k = 0; 2 * k <= n; ++k) {
    const Expr angle = s > 0 ? Expr(Number(2 * k, n)) * pi() : Expr(Number(2 * k + 1, n)) * pi();
    if (s > 0 ? k == 0 : false) {
      out.real.push_back(size);
    } else if (s > 0 ? 2 * k == n : 2 * k + 1 == n) {
      out.real.push_back(-size);
    } else if (s > 0 || 2 * k + 1 < n) {
      out.pairs.push_back({size * cos(angle), size * sin(angle)});
    }
  }
  return out;
}

// x^3 + p*x + q with numbers: by angles for three real roots (Viete), else by radicals (Cardano)
ClosedRoots cubic(const Expr& p, const Expr& q, Signs& signs) {
  ClosedRoots out;
  const Expr d = -4 * power(p, 3) - 27 * power(q, 2);
  if (signs.of(d) > 0) {
    const Expr size = 2 * sqrt(-p / 3);
    const Expr angle = acos(3 * q / (p * size)) / 3;
    for (int k = 0; k < 3; ++k) out.real.push_back(size * cos(angle - Expr(Number(2 * k, 3)) * pi()));
    return out;
  }
  const Expr inner = sqrt(power(q, 2) / 4 + power(p, 3) / 27);
  const auto real_cbrt = [&](const Expr& e) {
    return signs.of(e) < 0 ? -power(-e, Expr(1) / 3) : power(e, Expr(1) / 3);
  };
  const Expr u = real_cbrt(-q / 2 + inner);
  const Expr v = real_cbrt(-q / 2 - inner);
  out.real.push_back(u + v);
  out.pairs.push_back({-(u + v) / 2, sqrt(Expr(3)) / 2 * (u - v)});
  return out;
}

void shift(ClosedRoots& r, const Expr& by) {
  for (Expr& x : r.real) x += by;
  for (auto& p : r.pairs) p.re += by;
}

void append(ClosedRoots& to, const ClosedRoots& from) {
  to.real.insert(to.real.end(), from.real.begin(), from.real.end());
  to.pairs.insert(to.pairs.end(), from.pairs.begin(), from.pairs.end());
}

// y^4 + p*y^2 + q*y + r into two quadratics, by a positive rational root of the resolvent (Descartes)
std::optional<ClosedRoots> quartic(const Expr& p, const Expr& q, const Expr& r, Signs& signs) {
  const Symbol z("_z");
  const Expr resolvent = factor(power(z, 3) + 2 * p * power(z, 2) + (power(p, 2) - 4 * r) * z - power(q, 2));
  std::vector<Expr> candidates;
  const auto look = [&](const Expr& e) {
    if (const auto l = linear_in(e, z); l && !l->slope.is_integer(0)) candidates.push_back(-l->constant / l->slope);
  };
  look(resolvent);
  if (resolvent.is(Kind::product)) {
    for (const Part part : Parts(resolvent)) look(part.key);
  }
  for (const Expr& root : candidates) {
    if (signs.of(root) <= 0) continue;
    const Expr s = sqrt(root);
    ClosedRoots out = quadratic(1, s, (p + root - q / s) / 2, signs);
    append(out, quadratic(1, -s, (p + root + q / s) / 2, signs));
    return out;
  }
  return std::nullopt;
}

}  // namespace

std::optional<ClosedRoots> closed_roots(const Coefficients& c, Signs& signs) {
  const std::size_t n = c.size() - 1;
  if (n == 1) return ClosedRoots{{-c[0] / c[1]}, {}};
  if (n == 2) return quadratic(c[2], c[1], c[0], signs);
  const bool numbers = all_numbers(c);
  const auto zero = [&](std::size_t k) { return c[k].is_integer(0); };
  bool middle = true;
  bool even = n % 2 == 0;
  for (std::size_t k = 1; k < n; ++k) middle = middle && zero(k);
  for (std::size_t k = 1; k < n; k += 2) even = even && zero(k);
  if (middle && n <= 12) return binomial(static_cast<std::int64_t>(n), -c[0] / c[n], signs);
  if (even) {
    Coefficients half;
    for (std::size_t k = 0; k <= n; k += 2) half.push_back(c[k]);
    const auto inner = closed_roots(half, signs);
    if (inner) return square_roots(*inner, signs);
  }
  if (!numbers) return std::nullopt;
  if (n == 4 && !zero(0)) {
    const Expr b = c[3] / c[4];
    for (const int s : {1, -1}) {  // x + s/x
      if (!(c[0] == c[4]) || !(c[1] == s * c[3])) continue;
      const ClosedRoots u = quadratic(1, b, c[2] / c[4] - 2 * s, signs);
      if (!u.pairs.empty()) break;
      ClosedRoots out;
      for (const Expr& y : u.real) append(out, quadratic(1, -y, s, signs));
      return out;
    }
  }
  if (n != 3 && n != 4) return std::nullopt;
  // without the next to highest power
  const Expr by = -c[n - 1] / (static_cast<int>(n) * c[n]);
  Coefficients monic;
  for (const Expr& k : c) monic.push_back(k / c[n]);
  const Coefficients d = shifted_coefficients(monic, by);
  if (!zero(n - 1)) {
    auto inner = closed_roots(d, signs);
    if (inner) shift(*inner, by);
    return inner;
  }
  if (n == 3) return cubic(d[1], d[0], signs);
  return quartic(d[2], d[1], d[0], signs);
}

std::optional<NumberedRoots> numbered_roots(const Coefficients& c) {
  if (!all_numbers(c)) return std::nullopt;
  // numbered roots: real ones first, then conjugate pairs; the number of real ones by Sturm's theorem
  Number common(1);
  for (const Expr& k : c) common = common * k.number().denominator();
  std::vector<Expr> args{0};
  std::vector<mpz_class> p;
  for (const Expr& k : c) {
    const Number n = k.number() * common;
    args.emplace_back(n);
    p.push_back(poly::Integer::from(n).mpz());
  }
  // up to a positive factor, without common divisors, so that coefficients stay as short as they can
  const auto remainder = [](std::vector<mpz_class> a, const std::vector<mpz_class>& b) {
    while (a.size() >= b.size()) {
      const mpz_class q = b.back() < 0 ? mpz_class(-a.back()) : a.back();
      const mpz_class by = abs(b.back());
      for (mpz_class& k : a) k *= by;
      for (std::size_t i = 0; i < b.size(); ++i) a[a.size() - b.size() + i] -= q * b[i];
      poly::trim(a);
      mpz_class g = 0;
      for (const mpz_class& k : a) mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), k.get_mpz_t());
      if (g > 1) {
        for (mpz_class& k : a) mpz_divexact(k.get_mpz_t(), k.get_mpz_t(), g.get_mpz_t());
      }
      charge(a.size() * (8 + mpz_size(g.get_mpz_t())));
    }
    return a;
  };
  std::vector<std::vector<mpz_class>> chain{p, {}};
  for (std::size_t i = 1; i < p.size(); ++i) chain[1].push_back(p[i] * static_cast<unsigned long>(i));
  while (chain.back().size() > 1) {
    std::vector<mpz_class> r = remainder(chain[chain.size() - 2], chain.back());
    if (r.empty()) return std::nullopt;
    for (mpz_class& k : r) k = -k;
    chain.push_back(std::move(r));
  }
  const auto changes = [&](bool at_minus_infinity) {
    int count = 0;
    int last = 0;
    for (const auto& q : chain) {
      const int s = sgn(q.back()) * (at_minus_infinity && q.size() % 2 == 0 ? -1 : 1);
      if (last != 0 && s != last) ++count;
      last = s;
    }
    return count;
  };
  const int real = changes(true) - changes(false);
  const int n = static_cast<int>(c.size()) - 1;
  const FunctionRow& row = *find_function("polynomial_root");
  const auto root = [&](int k) {
    args[0] = k;
    return call(row, args);
  };
  NumberedRoots out;
  for (int k = 1; k <= n; ++k) (k <= real ? out.real : out.complex).push_back(root(k));
  return out;
}

std::optional<std::vector<Expr>> real_roots(const Coefficients& c, Signs& signs) {
  if (auto r = closed_roots(c, signs)) return r->real;
  if (auto r = numbered_roots(c)) return r->real;
  return std::nullopt;
}

}  // namespace boreon
