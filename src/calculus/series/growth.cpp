// SPDX-License-Identifier: MIT
// Exponentials and waves in expansions: what grows or falls faster than every power, and waves of what grows, in those
// that are written down.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "calculus/series/expansion.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

constexpr int most_terms_of_a_tail = 200;

const UnknownFunction& remainder_function() {
  static const UnknownFunction f("_remainder");
  return f;
}

using Varies = std::function<bool(const Expr&)>;

bool varying_exponential(const Expr& e, const Varies& varies) {
  if (e.is(Kind::call)) return e.function().name == "exp" && varies(e);
  return e.is(Kind::power) && varies(e.operands()[1]);
}

// Of a factor: the exponent of the exponential function it is, or nothing.
std::optional<Expr> exponent_of(const Expr& base, const Expr& exponent, const Varies& varies) {
  if (base.is(Kind::call) && base.function().name == "exp" && (varies(base) || varies(exponent)))
    return base.operands()[0] * exponent;
  if (varies(exponent)) return exponent * log(base);
  return std::nullopt;
}

bool has_exponential_term(const Expr& sum, const Varies& varies) {
  if (!sum.is(Kind::sum)) return false;
  for (const Part term : Parts(sum)) {
    if (varying_exponential(term.key, varies)) return true;
    if (!term.key.is(Kind::product)) continue;
    for (const Part factor : Parts(term.key)) {
      if (exponent_of(factor.key, factor.factor, varies)) return true;
    }
  }
  return false;
}

}  // namespace

bool Expander::is_remainder(const Expr& e) const { return e.is(Kind::unknown_call) && e == remainder_function()(w_); }

Cut Expander::cut(const Number& step) const {
  const double wanted = std::ceil((target_ / step).to_double()) + 1;
  return {static_cast<int>(std::clamp(wanted, 2.0, static_cast<double>(most_terms_of_a_tail))),
          remainder_function()(w_)};
}

Expansion Expander::beyond_all_orders() const {
  Expansion out;
  out.exact = false;
  out.order = target_;
  return out;
}

const Expander::Wave& Expander::wave_of(const Expr& angle) {
  for (const Wave& w : waves_) {
    if (w.angle == angle) return w;
  }
  const std::string number = std::to_string(waves_.size());
  waves_.push_back({angle, Symbol("_sine" + number), Symbol("_cosine" + number)});
  return waves_.back();
}

bool Expander::has_wave(const Expr& c) const {
  return std::any_of(waves_.begin(), waves_.end(),
                     [&](const Wave& w) { return depends_on(c, w.sine) || depends_on(c, w.cosine); });
}

Expr Expander::with_waves(const Expr& coefficient) const {
  Bindings values;
  for (const Wave& w : waves_) {
    values.set(w.sine, sin(w.angle));
    values.set(w.cosine, cos(w.angle));
  }
  return waves_.empty() ? coefficient : substitute(coefficient, values, Unused::allowed);
}

Expr Expander::growing_part(const Expansion& a, Expansion& rest) const {
  std::vector<Expr> grows;
  rest = a;
  rest.terms.clear();
  for (const Power& t : a.terms) {
    if (t.exponent.sign() > 0) {
      rest.terms.push_back(t);
    } else if (t.exponent.sign() < 0) {
      if (!vanishes(t.coefficient)) grows.push_back(t.coefficient * boreon::power(w_, Expr(t.exponent)));
    } else {
      // squares of the logarithm grow faster than every power of w falls; powers of w are those with numbers
      std::vector<Expr> by_power{t.coefficient};
      if (has_log(t.coefficient)) {
        try {
          by_power = coefficients(expand(t.coefficient), log_w_);
        } catch (const Error&) {
          throw NoExpansion{"nested logarithms"};
        }
      }
      Expr stays = 0;
      for (std::size_t j = 0; j < by_power.size(); ++j) {
        const Expr part = by_power[j] * boreon::power(log_w_, j);
        if (j == 0 || (j == 1 && by_power[j].is_number())) {
          stays += part;
        } else if (!vanishes(by_power[j])) {
          grows.push_back(part);
        }
      }
      if (!stays.is_integer(0)) rest.terms.push_back({t.exponent, stays});
    }
  }
  return boreon::add(grows);
}

Expansion Expander::exponential(const Expansion& a) {
  Expansion rest;
  if (writes_down_ && !growing_part(a, rest).is_integer(0)) {
    try {
      if (sign_of_coefficient(a.leading().coefficient) < 0) return beyond_all_orders();
    } catch (const UnknownSign&) {
    }
    throw NoExpansion{"an essential singularity"};
  }
  const Expr c = finite_part(a, rest);
  Number shift(0);
  Expr factor = 1;
  if (has_log(c)) {
    const Expr probe = expand(c);
    Expr k = 0;
    if (probe == log_w_) {
      k = 1;
    } else if (probe.is(Kind::sum)) {
      for (const auto [term, coefficient] : Parts(probe)) {
        if (term == log_w_) k = coefficient;
      }
    } else if (probe.is(Kind::product) && probe.operands().size() == 3 && probe.operands()[1] == log_w_ &&
               probe.operands()[2].is_integer(1)) {
      k = probe.operands()[0];
    }
    const Expr other = expand(probe - k * log_w_);
    if (!k.is_number() || has_log(other)) throw NoExpansion{"a power whose exponent is no number"};
    shift = k.number();
    factor = exp(other);
  } else {
    factor = exp(c);
  }
  Number factorial(1);
  int at = 0;
  const Number keep = target_;
  if (shift.sign() < 0) target_ = target_ - shift;
  Expansion out = composed(
      [&](int k) -> Expr {
        for (; at < k; ++at) factorial = factorial / Number(at + 1);
        return factorial;
      },
      rest);
  target_ = keep;
  for (Power& t : out.terms) {
    t.exponent = t.exponent + shift;
    t.coefficient *= factor;
  }
  if (!out.exact) out.order = out.order + shift;
  return out;
}

Expansion Expander::sine_or_cosine(const Expr& e, const Expansion& a, bool sine, bool hyperbolic) {
  Expansion rest = a;
  const Expr grows = keeps_waves_ && !hyperbolic ? growing_part(a, rest) : Expr(0);
  const Expr c = finite_part(Expansion(rest), rest);
  if (has_log(c)) throw NoExpansion{fmt::format("{} oscillates", to_text(e, {60, {}}))};
  Expr s = hyperbolic ? sinh(c) : sin(c);
  Expr k = hyperbolic ? cosh(c) : cos(c);
  if (!grows.is_integer(0)) {
    if (has_imaginary_unit(grows) || !is_real(grows)) throw NoExpansion{"an essential singularity"};
    const Wave& w = wave_of(grows);
    const Expr turned = s * w.cosine + k * w.sine;
    k = k * w.cosine - s * w.sine;
    s = turned;
  }
  Number factorial(1);
  int at = 0;
  return composed(
      [&](int n) -> Expr {
        for (; at < n; ++at) factorial = factorial / Number(at + 1);
        const bool odd = n % 2 == 1;
        const Expr& value = sine != odd ? s : k;  // derivatives alternate between the two
        int sign = 1;
        if (!hyperbolic) sign = sine ? (n % 4 >= 2 ? -1 : 1) : ((n + 1) % 4 >= 2 ? -1 : 1);
        return Expr(factorial) * value * sign;
      },
      rest);
}

// Calls that go to infinity as exponentials, waves and powers.
Expr Expander::with_forms(const Expr& e) {
  Rebuild pass(
      [&](const Expr& n, Expr& result) {
        if (depends_on(n, w_)) return false;
        result = n;
        return true;
      },
      [&](const Expr& n) -> Expr {
        if (!n.is(Kind::call) || !depends_on(n.operands().back(), w_)) return n;
        for (std::size_t i = 0; i + 1 < n.operands().size(); ++i) {
          if (depends_on(n.operands()[i], w_)) return n;
        }
        const auto name = n.function().name;
        const bool hyperbolic = name == "sinh" || name == "cosh" || name == "tanh";
        if (!hyperbolic && !form_at_infinity(n, 1, {1, 0}) && !form_at_infinity(n, -1, {1, 0})) return n;
        Expansion u;
        try {
          u = with_leading(n.operands().back());
        } catch (const NoExpansion&) {
          return n;
        }
        if (u.empty() || u.leading().exponent.sign() >= 0) return n;
        if (hyperbolic) {
          const Expr rises = exp(n.operands()[0]);
          const Expr falls = exp(-n.operands()[0]);
          if (name != "tanh") return (rises + (name == "sinh" ? -falls : falls)) / 2;
          return sign_of_coefficient(u.leading().coefficient) > 0 ? 2 / (1 + exp(-2 * n.operands()[0])) - 1
                                                                  : 1 - 2 / (1 + exp(2 * n.operands()[0]));
        }
        return form_at_infinity(n, sign_of_coefficient(u.leading().coefficient), cut(-u.leading().exponent))
            .value_or(n);
      });
  return pass(e);
}

// A product with all its exponentials in one; the same product if there is nothing to be put together.
Expr Expander::grouped(const Expr& e) {
  const Expr formed = with_forms(e);
  if (!formed.is(Kind::product)) return formed;
  const Varies varies = [&](const Expr& c) { return depends_on(c, w_) || has_log(c); };
  std::vector<Expr> exponents;
  std::vector<Expr> others{formed.operands()[0]};
  std::optional<Expr> sum;
  for (const auto [base, exponent] : Parts(formed)) {
    if (const auto x = exponent_of(base, exponent, varies)) {
      exponents.push_back(*x);
    } else if (!sum && exponent.is_integer(1) && has_exponential_term(base, varies)) {
      sum = base;
    } else {
      others.push_back(boreon::power(base, exponent));
    }
  }
  const Expr front = boreon::multiply(others) * (exponents.empty() ? Expr(1) : exp(expand(boreon::add(exponents))));
  if (!sum) return exponents.size() > 1 || formed != e ? front : e;
  std::vector<Expr> terms{front * sum->operands()[0]};
  for (const auto [term, coefficient] : Parts(*sum)) {
    const Expr product = front * term * coefficient;
    terms.push_back(product.is(Kind::product) ? grouped(product) : product);
  }
  return boreon::add(terms);
}

Expr Expander::growth(const Expr& e) {
  if (!depends_on(e, w_)) return 0;
  const Varies varies = [&](const Expr& c) { return depends_on(c, w_) || has_log(c); };
  const auto growing = [&](const Expr& exponent) {
    try {
      Expansion rest;
      return growing_part(of(exponent), rest);
    } catch (const NoExpansion&) {
      return exponent;
    }
  };
  const Expr formed = with_forms(e);
  if (formed.is(Kind::call)) return formed.function().name == "exp" ? growing(formed.operands()[0]) : Expr(0);
  if (formed.is(Kind::power)) {
    if (depends_on(formed.operands()[1], w_)) return growing(formed.operands()[1] * log(formed.operands()[0]));
    return formed.operands()[1].is_number() ? formed.operands()[1] * growth(formed.operands()[0]) : Expr(0);
  }
  if (formed.is(Kind::product)) {
    std::vector<Expr> exponents;
    std::vector<Expr> grows;
    for (const auto [base, exponent] : Parts(formed)) {
      if (const auto x = exponent_of(base, exponent, varies)) {
        exponents.push_back(*x);
      } else if (exponent.is_number()) {
        grows.push_back(exponent * growth(base));
      }
    }
    if (!exponents.empty()) grows.push_back(growing(boreon::add(exponents)));
    return boreon::add(grows);
  }
  if (!formed.is(Kind::sum)) return 0;
  std::optional<Expr> best;
  if (!formed.operands()[0].is_integer(0)) best = 0;
  for (const Part term : Parts(formed)) {
    const Expr g = growth(term.key);
    if (!best || sign_near(g - *best) > 0) best = g;
  }
  return *best;
}

}  // namespace boreon
