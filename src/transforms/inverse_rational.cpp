// SPDX-License-Identifier: MIT
// Rational functions of s: partial fractions, each with its exponentials and waves.
#include <algorithm>

#include "algebra/conjugated.hpp"
#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/exponential_terms.hpp"
#include "transforms/inverse_rules.hpp"
#include "transforms/modes.hpp"

namespace boreon::transforms {
namespace {

Expr horner(const std::vector<Expr>& c, const Expr& x) {
  Expr v = 0;
  for (std::size_t k = c.size(); k-- > 0;) v = expand(v * x + c[k]);
  return v;
}

// Taylor coefficients about r up to e^(n - 1).
std::vector<Expr> about(std::vector<Expr> c, const Expr& r, std::size_t n) {
  std::vector<Expr> out;
  Expr factorial_k = 1;
  for (std::size_t k = 0; k < n; ++k) {
    out.push_back(c.empty() ? Expr(0) : horner(c, r) / factorial_k);
    factorial_k *= Expr(k + 1);
    for (std::size_t i = 1; i < c.size(); ++i) c[i - 1] = c[i] * Expr(i);
    if (!c.empty()) c.pop_back();
  }
  return out;
}

std::vector<Expr> product(const std::vector<Expr>& a, const std::vector<Expr>& b, std::size_t n) {
  std::vector<Expr> out(n, 0);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; i + j < n; ++j) out[i + j] += a[i] * b[j];
  }
  return out;
}

std::vector<Expr> reciprocal(const std::vector<Expr>& a, std::size_t n) {
  std::vector<Expr> out{1 / a[0]};
  for (std::size_t k = 1; k < n; ++k) {
    Expr sum = 0;
    for (std::size_t j = 1; j <= k; ++j) sum += a[j] * out[k - j];
    out.push_back(-sum / a[0]);
  }
  return out;
}

// L^-1 of 1/(s^2 + w^2)^k and s/(s^2 + w^2)^k.
struct Waves {
  Expr plain;
  Expr with_s;
};
Waves waves_of(const Expr& square, int sign, unsigned k, const Expr& t) {
  const Expr w = plain_root(sign > 0 ? square : factor(-square));
  Waves at{(sign > 0 ? sin(w * t) : sinh(w * t)) / w, sign > 0 ? cos(w * t) : cosh(w * t)};
  for (unsigned j = 1; j < k; ++j) {
    const Expr next = (Expr(2 * j - 1) * at.plain - t * at.with_s) / (Expr(2 * j) * square);
    at = {next, t * at.plain / Expr(2 * j)};
  }
  return {expand(at.plain), expand(at.with_s)};
}

// The product of the roots of a pair.
Expr product_of(const Mode& pair) { return pair.rate * pair.rate + pair.frequency * pair.frequency; }

}  // namespace

std::optional<SinglePower> single_power(const Expr& denominator, const Symbol& x) {
  const Expr factored = factor(denominator);
  SinglePower out{leading_number(factored), 0, 0};
  bool one = true;
  for_each_factor(factored, [&](const Expr& f, const Expr& exponent) {
    if (!depends_on(f, x)) {
      out.constant *= power(f, exponent);
      return;
    }
    one = one && out.power == 0;
    out.base = f;
    out.power = static_cast<unsigned>(exponent.word().value_or(0));
  });
  if (!one || out.power == 0) return std::nullopt;
  return out;
}

InverseRules::Found InverseRules::rational(const Expr& F) {
  if (!is_rational_in(F, s_)) return std::nullopt;
  std::vector<Expr> parts;
  for (const Expr& term : terms_of(partial_fractions(F, s_))) {
    const Found one = fraction(term);
    if (!one) return std::nullopt;
    parts.push_back(*one);
  }
  return boreon::add(parts);
}

// A term of partial fractions: top/(bottom^power), or a power of s.
InverseRules::Found InverseRules::fraction(const Expr& term) {
  const Quotient q = quotient(term);
  if (!depends_on(q.denominator, s_)) {
    const auto c = polynomial_in(q.numerator / q.denominator, s_);
    if (!c) return std::nullopt;
    Expr sum = 0;
    for (std::size_t k = 0; k < c->size(); ++k) {
      if ((*c)[k].is_integer(0)) continue;
      Expr impulse = dirac_delta(given_time_);
      if (k > 0) {
        const Expr by[] = {given_time_, Expr(k)};
        impulse = unevaluated_derivative(impulse, by);
      }
      sum += (*c)[k] * impulse;
    }
    step("a constant gives an impulse at t = 0, powers of s its derivatives");
    return sum;
  }
  const auto below = single_power(q.denominator, s_);
  if (!below) return std::nullopt;
  const unsigned power = below->power;
  const auto top = polynomial_in(q.numerator / below->constant, s_);
  const auto bottom = polynomial_in(below->base, s_);
  if (!top || !bottom) return std::nullopt;
  step("partial fractions: 1/(s - r)^k gives t^(k - 1)*exp(r*t)/(k - 1)!");
  if (bottom->size() == 2) {
    const Expr rate = factor(-(*bottom)[0] / (*bottom)[1]);
    return top->at(0) / boreon::power((*bottom)[1], Expr(power)) * boreon::power(t_, Expr(power - 1)) /
           factorial(Expr(power - 1)) * exp(rate * t_);
  }
  if (bottom->size() == 3) {
    const Expr& a = (*bottom)[2];
    const Expr rate = -(*bottom)[1] / (2 * a);
    const Expr square = factor((*bottom)[0] / a - rate * rate);
    const Waves w = waves_of(square, signs_.of_whole(expand(square)), power, t_);
    const Expr slope = top->size() > 1 ? (*top)[1] : Expr(0);
    return exp(rate * t_) * (slope * w.with_s + factor((*top)[0] + slope * rate) * w.plain) /
           boreon::power(a, Expr(power));
  }
  return over_modes(*top, *bottom, power);
}

// Residues at the roots of a polynomial of degree three or more.
InverseRules::Found InverseRules::over_modes(const std::vector<Expr>& top, const std::vector<Expr>& bottom,
                                             unsigned power) {
  const auto modes = modes_of(bottom, signs_);
  if (!modes) return std::nullopt;
  std::vector<Expr> parts;
  const auto pairs =
      std::count_if(modes->begin(), modes->end(), [](const Mode& m) { return !m.frequency.is_integer(0); });
  if (power == 1 && pairs == 1) {
    // residues at the real roots; what is left is (A*s + B)/((s - rate)^2 + frequency^2)
    std::vector<Expr> slope;
    for (std::size_t k = 1; k < bottom.size(); ++k) slope.push_back(Expr(k) * bottom[k]);
    Expr A = top.size() == bottom.size() - 1 ? top.back() / bottom.back() : Expr(0);
    Expr B = top[0] / bottom[0];
    const Mode* pair = nullptr;
    for (const Mode& m : *modes) {
      if (!m.frequency.is_integer(0)) {
        pair = &m;
        continue;
      }
      const Expr residue = horner(top, m.rate) / horner(slope, m.rate);
      parts.push_back(residue * exp(m.rate * t_));
      A -= residue;
      B += residue / m.rate;
    }
    B *= product_of(*pair);
    parts.push_back(exp(pair->rate * t_) * (A * cos(pair->frequency * t_) +
                                            (B + A * pair->rate) / pair->frequency * sin(pair->frequency * t_)));
    step("residues at the real roots of the denominator, and the pair that is left");
    return boreon::add(parts);
  }
  for (const Mode& m : *modes) {
    const bool pair = !m.frequency.is_integer(0);
    const Expr root = m.root ? *m.root : pair ? m.rate + imaginary_unit() * m.frequency : m.rate;
    // top/(bottom/(s - root))^power about the root
    std::vector<Expr> rest = about(bottom, root, power + 1);
    rest.erase(rest.begin());
    std::vector<Expr> inverse = reciprocal(rest, power);
    std::vector<Expr> series = about(top, root, power);
    for (unsigned k = 0; k < power; ++k) series = product(series, inverse, power);
    for (unsigned k = 0; k < power; ++k) {
      const Expr& c = series[power - 1 - k];
      const Expr time = boreon::power(t_, Expr(k)) / factorial(Expr(k)) * exp(m.rate * t_);
      if (!pair) {
        parts.push_back(c * time);
        continue;
      }
      Expr real = re(c);
      Expr imaginary = im(c);
      if (!m.root) {
        const Expr other = conjugated(c);
        real = combine_fractions((c + other) / 2);
        imaginary = combine_fractions((c - other) / (2 * imaginary_unit()));
      }
      parts.push_back(2 * time * (real * cos(m.frequency * t_) - imaginary * sin(m.frequency * t_)));
    }
  }
  step("residues at the roots of the denominator");
  return boreon::add(parts);
}

}  // namespace boreon::transforms
