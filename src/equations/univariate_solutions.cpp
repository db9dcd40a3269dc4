// SPDX-License-Identifier: MIT
#include "equations/univariate_solutions.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "algebra/polynomial/polynomial.hpp"
#include "algebra/polynomial/univariate_mod.hpp"
#include "boreon/algebra.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "equations/roots.hpp"
#include "expr/work.hpp"

namespace boreon::equations {
namespace {

using Rational = std::vector<mpq_class>;  // a polynomial in u, coefficients from the constant on

constexpr std::size_t most_inverted = 12;  // degree up to which a quotient is made a polynomial

// The remainder of a by f, which is not zero.
Rational remainder(Rational a, const Rational& f) {
  poly::trim(a);
  while (a.size() >= f.size()) {
    const mpq_class q = a.back() / f.back();
    for (std::size_t i = 0; i < f.size(); ++i) a[a.size() - f.size() + i] -= q * f[i];
    charge(20 * f.size());
    poly::trim(a);
  }
  return a;
}

Rational product(const Rational& a, const Rational& b) {
  if (a.empty() || b.empty()) return {};
  Rational out(a.size() + b.size() - 1);
  for (std::size_t i = 0; i < a.size(); ++i) {
    for (std::size_t k = 0; k < b.size(); ++k) out[i + k] += a[i] * b[k];
  }
  charge(20 * a.size() * b.size());
  return out;
}

Rational derivative(const Rational& a) {
  Rational out;
  for (std::size_t k = 1; k < a.size(); ++k) out.push_back(a[k] * static_cast<unsigned long>(k));
  return out;
}

// 1/a modulo f, which have no common root, by the extended algorithm of Euclid.
Rational inverse(const Rational& a, const Rational& f) {
  Rational r0 = f;
  Rational r1 = remainder(a, f);
  Rational s0;
  Rational s1{1};
  while (r1.size() > 1) {
    Rational q(r0.size() - r1.size() + 1);
    Rational r = r0;
    while (r.size() >= r1.size()) {
      const mpq_class c = r.back() / r1.back();
      const std::size_t shift = r.size() - r1.size();
      q[shift] = c;
      for (std::size_t i = 0; i < r1.size(); ++i) r[shift + i] -= c * r1[i];
      poly::trim(r);
    }
    Rational s = product(q, s1);
    s.resize(std::max(s.size(), s0.size()));
    for (mpq_class& c : s) c = -c;
    for (std::size_t i = 0; i < s0.size(); ++i) s[i] += s0[i];
    poly::trim(s);
    r0 = std::exchange(r1, std::move(r));
    s0 = std::exchange(s1, std::move(s));
  }
  for (mpq_class& c : s1) c /= r1[0];
  return remainder(std::move(s1), f);
}

Expr number(const mpq_class& c) { return Expr(Number::parse(c.get_str())); }

Expr at(const Rational& p, const Expr& u) {
  std::vector<Expr> terms;
  for (std::size_t k = 0; k < p.size(); ++k) {
    if (p[k] != 0) terms.push_back(number(p[k]) * power(u, Expr(static_cast<std::int64_t>(k))));
  }
  return add(terms);
}

// A variable at the roots of a factor: a polynomial in u, or a quotient of two.
struct Value {
  Rational numerator;
  Rational denominator;
};

Value value_modulo(const std::vector<mpq_class>& numerator, const Rational& denominator, const Rational& factor) {
  Value out{remainder(numerator, factor), remainder(denominator, factor)};
  if (out.denominator.size() > 1 && factor.size() - 1 > most_inverted) return out;
  out.numerator = remainder(product(out.numerator, inverse(out.denominator, factor)), factor);
  out.denominator = {1};
  return out;
}

// How often a factor divides the characteristic polynomial.
unsigned multiplicity_of(const Rational& factor, const poly::UnivariateZeros& zeros) {
  const poly::PrimeField field(zeros.prime);
  poly::Uni of_factor;
  for (const mpq_class& c : factor) of_factor.push_back(mpz_fdiv_ui(c.get_num_mpz_t(), zeros.prime));
  poly::trim(of_factor);
  poly::Uni rest(zeros.characteristic.begin(), zeros.characteristic.end());
  unsigned out = 0;
  while (of_factor.size() > 1 && rest.size() >= of_factor.size()) {
    poly::Uni quotient;
    poly::reduce(field, rest, of_factor, &quotient);
    if (!rest.empty()) break;
    rest = std::move(quotient);
    ++out;
  }
  return out;
}

}  // namespace

std::optional<Candidates> by_one_polynomial(const poly::UnivariateZeros& zeros, const std::vector<Expr>& conditions) {
  Candidates out;
  out.distinct = true;
  out.complete = zeros.complete;
  if (!out.complete) {
    out.incomplete = fmt::format(
        "a Groebner basis from {} primes, which further ones confirm; its proof is too much work", zeros.primes);
  }
  if (zeros.dimension == 0) {
    out.contradiction = "the equations contradict each other: a combination of them says 0 = 1";
    return out;
  }
  out.steps.push_back(fmt::format(
      "polynomials by a Groebner basis: {} solution{}{}; each unknown is a polynomial in one root", zeros.distinct,
      zeros.distinct == 1 ? "" : "s",
      zeros.dimension == zeros.distinct ? "" : fmt::format(", {} counted with multiplicity", zeros.dimension)));
  Rational whole(zeros.polynomial.begin(), zeros.polynomial.end());
  const Rational denominator = zeros.by_derivative ? derivative(whole) : Rational{1};
  const Signs signs(conditions);
  const bool counted = zeros.dimension + 1 == zeros.polynomial.size();  // by the polynomial itself
  for (const poly::Factor& f : poly::factor(poly::from_coefficients(zeros.polynomial, 0, 1)).list) {
    const std::vector<mpz_class> whole_numbers = poly::coefficients_of(f.base, 0);
    const Rational factor(whole_numbers.begin(), whole_numbers.end());
    const unsigned multiplicity = zeros.characteristic.empty() ? f.multiplicity : multiplicity_of(factor, zeros);
    std::vector<Expr> coefficients;
    for (const mpq_class& c : factor) coefficients.push_back(number(c));
    // radicals within the values of other unknowns are hardly ever short beyond square roots
    const auto roots =
        factor.size() <= 3 ? roots_of(coefficients, signs, longest_in_systems) : all_numbered_roots(coefficients);
    if (!roots) return std::nullopt;
    std::vector<Value> values;
    for (const auto& n : zeros.numerators) values.push_back(value_modulo(n, denominator, factor));
    for (const Expr& u : *roots) {
      const bool short_root = !is_call_of(u, "polynomial_root");
      std::vector<std::optional<Expr>> one;
      for (const Value& v : values) {
        const Expr value = at(v.numerator, u) / at(v.denominator, u);
        one.emplace_back(short_root ? expand(value) : value);
      }
      out.values.push_back(std::move(one));
      out.conditions.emplace_back();
      if (counted || !zeros.characteristic.empty()) out.multiplicities.push_back(multiplicity);
    }
  }
  return out;
}

}  // namespace boreon::equations
