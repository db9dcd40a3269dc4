// SPDX-License-Identifier: MIT
#include "transforms/exponential_terms.hpp"

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon::transforms {
namespace {

using Terms = std::vector<ExponentialTerm>;

constexpr std::size_t most_terms = 2000;

// Of sin(b*t) and sin(-b*t) one is written with a minus sign.
void orient(ExponentialTerm& e) {
  if (e.frequency.is_integer(0)) {
    if (e.sine) e.coefficient = 0;
    e.sine = false;
    return;
  }
  const Expr wave = boreon::sin(e.frequency);
  const bool flipped = wave.is(Kind::product) && wave.operands()[0].is_integer(-1);
  if (!flipped) return;
  e.frequency = -e.frequency;
  if (e.sine) e.coefficient = -e.coefficient;
}

// a*b as one term, or two where waves meet.
void multiply(const ExponentialTerm& a, const ExponentialTerm& b, Terms& out) {
  ExponentialTerm p{a.coefficient * b.coefficient, a.power + b.power, a.rate + b.rate, 0, false};
  const bool wave_a = !a.frequency.is_integer(0);
  const bool wave_b = !b.frequency.is_integer(0);
  if (!wave_a || !wave_b) {
    p.frequency = wave_a ? a.frequency : b.frequency;
    p.sine = wave_a ? a.sine : b.sine;
    out.push_back(std::move(p));
    return;
  }
  p.coefficient = p.coefficient / 2;
  ExponentialTerm sum = p;
  ExponentialTerm difference = p;
  sum.frequency = expand(a.frequency + b.frequency);
  difference.frequency = expand(a.frequency - b.frequency);
  sum.sine = difference.sine = a.sine != b.sine;
  if (a.sine && b.sine) sum.coefficient = -sum.coefficient;
  if (!a.sine && b.sine) difference.coefficient = -difference.coefficient;
  orient(sum);
  orient(difference);
  out.push_back(std::move(sum));
  out.push_back(std::move(difference));
}

std::optional<Terms> multiplied(const Terms& a, const Terms& b) {
  Terms out;
  for (const ExponentialTerm& x : a) {
    for (const ExponentialTerm& y : b) multiply(x, y, out);
    if (out.size() > most_terms) return std::nullopt;
  }
  return gathered(std::move(out));
}

// A function of a linear argument.
std::optional<Terms> of_call(const Expr& e, const Symbol& t) {
  if (!e.is(Kind::call) || e.operands().size() != 1) return std::nullopt;
  const auto argument = linear_in(e.operands()[0], t);
  if (!argument) return std::nullopt;
  const Expr& c = argument->constant;
  const Expr& k = argument->slope;
  const auto name = e.function().name;
  if (name == "exp") return Terms{{exp(c), 0, k, 0, false}};
  if (name == "sinh" || name == "cosh") {
    const Expr sign = name == "sinh" ? -1 : 1;
    return Terms{{exp(c) / 2, 0, k, 0, false}, {sign * exp(-c) / 2, 0, -k, 0, false}};
  }
  if (name == "sin" || name == "cos") {
    const bool sine = name == "sin";
    Terms out{{cos(c), 0, 0, k, sine}, {(sine ? 1 : -1) * sin(c), 0, 0, k, !sine}};
    for (ExponentialTerm& o : out) orient(o);
    return gathered(std::move(out));
  }
  return std::nullopt;
}

std::optional<Terms> of_factor(const Expr& base, const Expr& exponent, const Symbol& t) {
  if (!depends_on(exponent, t)) {
    if (!depends_on(base, t)) return Terms{{boreon::power(base, exponent), 0, 0, 0, false}};
    if (base == t) return Terms{{1, exponent, 0, 0, false}};
    const auto n = exponent.word();
    if (is_call_of(base, "exp")) {
      if (const auto l = linear_in(base.operands()[0], t); l && is_real(base.operands()[0]))
        return Terms{{exp(l->constant * exponent), 0, l->slope * exponent, 0, false}};
    }
    if (!n || *n < 1 || *n > 40) return std::nullopt;
    if (!base.is(Kind::call) && !base.is(Kind::sum)) return std::nullopt;
    const auto one = base.is(Kind::call) ? of_call(base, t) : exponential_terms(base, t);
    if (!one) return std::nullopt;
    std::optional<Terms> out = one;
    for (std::int64_t k = 1; k < *n && out; ++k) out = multiplied(*out, *one);
    return out;
  }
  if (depends_on(base, t)) return std::nullopt;
  const auto l = linear_in(exponent, t);
  if (!l || !is_positive(base)) return std::nullopt;
  return Terms{{boreon::power(base, l->constant), 0, l->slope * log(base), 0, false}};
}

}  // namespace

Expr ExponentialTerm::expression(const Expr& t) const {
  Expr e = coefficient * boreon::power(t, power) * exp(rate * t);
  if (!frequency.is_integer(0)) e *= sine ? boreon::sin(frequency * t) : boreon::cos(frequency * t);
  return e;
}

std::vector<ExponentialTerm> gathered(std::vector<ExponentialTerm> terms) {
  std::vector<ExponentialTerm> out;
  for (ExponentialTerm& t : terms) {
    const auto known = std::find_if(out.begin(), out.end(), [&](const ExponentialTerm& o) { return o.like(t); });
    if (known == out.end()) {
      out.push_back(std::move(t));
    } else {
      known->coefficient += t.coefficient;
    }
  }
  std::erase_if(out, [](const ExponentialTerm& t) { return t.coefficient.is_integer(0); });
  return out;
}

std::optional<std::vector<ExponentialTerm>> exponential_terms(const Expr& f, const Symbol& t) {
  if (!depends_on(f, t)) {
    if (f.is_integer(0)) return Terms{};
    return Terms{{f, 0, 0, 0, false}};
  }
  Terms out;
  for (const Expr& term : terms_of(expand(f))) {
    std::optional<Terms> product = Terms{{leading_number(term), 0, 0, 0, false}};
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (!product) return;
      const auto factor = exponent.is_integer(1) && base.is(Kind::call) && depends_on(base, t)
                              ? of_call(base, t)
                              : of_factor(base, exponent, t);
      product = factor ? multiplied(*product, *factor) : std::nullopt;
    });
    if (!product) return std::nullopt;
    out.insert(out.end(), product->begin(), product->end());
  }
  return gathered(std::move(out));
}

Expr sum_of(std::span<const ExponentialTerm> terms, const Expr& t) {
  std::vector<Expr> all;
  for (const ExponentialTerm& e : terms) all.push_back(e.expression(t));
  return boreon::add(all);
}

ComplexPair operator*(const ComplexPair& a, const ComplexPair& b) {
  return {a.re * b.re - a.im * b.im, a.re * b.im + a.im * b.re};
}

ComplexPair operator+(const ComplexPair& a, const ComplexPair& b) { return {a.re + b.re, a.im + b.im}; }

ComplexPair power(const ComplexPair& a, std::size_t n) {
  ComplexPair out{1, 0};
  for (std::size_t k = 0; k < n; ++k) {
    out = out * a;
    out = {expand(out.re), expand(out.im)};
  }
  return out;
}

}  // namespace boreon::transforms
