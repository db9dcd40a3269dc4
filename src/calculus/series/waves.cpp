// SPDX-License-Identifier: MIT
#include "calculus/series/waves.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {
namespace {

struct Wave {
  Expr argument;
  Symbol sine;
  Symbol cosine;
};

// exp(u) as exp(p) times a wave of q for u = p + i*q; nothing for real u and where parts are not told apart.
std::optional<std::pair<Expr, Expr>> modulus_and_angle(const Expr& u) {
  Expr p = 0;
  Expr q = 0;
  for (const Expr& term : terms_of(expand(u)))
    (has_imaginary_unit(term) ? q : p) += has_imaginary_unit(term) ? term / imaginary_unit() : term;
  q = expand(q);
  if (q.is_integer(0) || has_imaginary_unit(q)) return std::nullopt;
  return std::pair(p, q);
}

class Rewriting {
 public:
  Rewriting(const Symbol& x, const Expr& place, bool above, Signs& signs)
      : x_(x), place_(place), above_(above), signs_(signs) {}

  std::optional<WaveForm> operator()(const Expr& f) {
    Rebuild pass([](const Expr&, Expr&) { return false; }, [&](const Expr& n) { return replaced(n); });
    // smaller arguments first, of which others may be multiples
    std::vector<std::pair<double, Expr>> calls;
    postorder(f, [&](const Expr& n) {
      if (!is_call_of(n, "sin") && !is_call_of(n, "cos")) return;
      const std::vector<Expr> symbols{x_};
      const std::vector<double> near{has_infinity(place_) ? 1000.0 : 1e-3};
      const auto v = value_at(n.operands()[0], symbols, near);
      calls.emplace_back(v ? std::abs(*v) : INFINITY, n);
    });
    std::stable_sort(calls.begin(), calls.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (const auto& [size, call] : calls) (void)replaced(call);
    const Expr g = pass(f);
    if (!possible_ || g == f) return std::nullopt;
    WaveForm form;
    form.rest = 0;
    // (-1)^x first: its square is one
    Expr plain = expand(g);
    Expr alternating = 0;
    if (alternates_) {
      const auto c = powers_of(alternate_, plain);
      if (!c) return std::nullopt;
      plain = 0;
      for (std::size_t i = 0; i < c->size(); ++i) (i % 2 == 0 ? plain : alternating) += (*c)[i];
    }
    if (!split(plain, 0, false, form.rest, form.of_waves)) return std::nullopt;
    Expr alone = 0;
    if (!split(alternating, 0, false, alone, form.of_waves)) return std::nullopt;
    if (!alone.is_integer(0)) form.of_alternate = alone;
    return form;
  }

 private:
  Expr replaced(const Expr& n) {
    if (n.is(Kind::power) || n.is(Kind::product)) return alternations(n);
    if (is_call_of(n, "exp") && depends_on(n, x_)) return turned(n);
    if ((!is_call_of(n, "sin") && !is_call_of(n, "cos")) || !depends_on(n, x_)) return n;
    const Expr& u = n.operands()[0];
    if (has_imaginary_unit(u) || has_finite_limit(u)) return n;
    const bool sine = is_call_of(n, "sin");
    if (is_integer(x_)) {  // u = k*pi*x + what has a limit
      const auto turns = limit(u / (pi() * x_));
      if (turns && turns->word()) {
        const Expr rest = expand(u - *turns * pi() * x_);
        if (!depends_on(rest, x_) || has_finite_limit(rest)) {
          const Expr w = *turns->word() % 2 == 0 ? Expr(1) : Expr(alternate_);
          alternates_ = alternates_ || *turns->word() % 2 != 0;
          return w * (sine ? sin(rest) : cos(rest));
        }
      }
    }
    for (const Wave& w : waves_) {
      for (const int k : {1, -1, 2, -2, 3, -3, 4, -4}) {  // u = k*(argument of w) + what has a limit
        const Expr d = expand(u - k * w.argument);
        if (depends_on(d, x_) && !has_finite_limit(d)) continue;
        Expr c = 1;  // cosine and sine of k times the argument
        Expr s = 0;
        for (int turn = 0; turn < std::abs(k); ++turn) {
          const Expr next = c * w.cosine - s * w.sine;
          s = s * w.cosine + c * w.sine;
          c = next;
        }
        if (k < 0) s = -s;
        return sine ? s * cos(d) + c * sin(d) : c * cos(d) - s * sin(d);
      }
    }
    if (waves_.size() >= 4) {
      possible_ = false;
      return n;
    }
    const std::string number = fmt::format("{}", waves_.size());
    waves_.push_back({u, Symbol("_sine" + number), Symbol("_cosine" + number)});
    return sine ? Expr(waves_.back().sine) : Expr(waves_.back().cosine);
  }

  Expr turned(const Expr& n) {
    const auto parts = modulus_and_angle(n.operands()[0]);
    if (!parts) return n;
    return exp(parts->first) * (replaced(cos(parts->second)) + imaginary_unit() * replaced(sin(parts->second)));
  }

  // (-2)^x for real x as 2^x and two waves
  Expr of_negative_bases(const Expr& n) {
    Expr result = 1;
    bool changed = false;
    for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
      const bool negative = base.is_number() && base.number().sign() < 0 && depends_on(exponent, x_);
      changed = changed || negative;
      result *=
          negative ? power(-base, exponent) * turned(exp(imaginary_unit() * pi() * exponent)) : power(base, exponent);
    });
    return changed ? leading_number(n) * result : n;
  }

  // (-1)^(k*x + c); (-2)^x is 2^x*(-1)^x
  Expr alternations(const Expr& n) {
    if (!is_integer(x_)) return of_negative_bases(n);
    Expr result = leading_number(n);
    bool changed = false;
    for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
      if (base.is_number() && base.number().sign() < 0 && depends_on(exponent, x_)) {
        const Expr at_zero = substitute(exponent, {{x_, 0}}, Unused::allowed);
        const auto k = (expand(exponent - at_zero) / x_).word();
        if (k) {
          result *= power(-base, exponent) * power(-1, at_zero);
          if (*k % 2 != 0) {
            result *= alternate_;
            alternates_ = true;
          }
          changed = true;
          return;
        }
      }
      result *= power(base, exponent);
    });
    return changed ? result : n;
  }

  std::optional<Expr> limit(const Expr& e) {
    try {
      return one_sided_limit(e, x_, place_, above_, signs_);
    } catch (const NoLimit&) {
    } catch (const NoExpansion&) {
    } catch (const UnknownSign&) {
    } catch (const Error&) {
    }
    return std::nullopt;
  }

  bool has_finite_limit(const Expr& e) {
    const auto v = limit(e);
    return v && !has_infinity(*v);
  }

  // Coefficients by powers of s; nothing if s stands elsewhere than in powers.
  static std::optional<std::vector<Expr>> powers_of(const Symbol& s, const Expr& e) {
    if (!depends_on(e, s)) return std::vector<Expr>{e};
    try {
      std::vector<Expr> c = coefficients(e, s);
      for (const Expr& k : c) {
        if (depends_on(k, s)) return std::nullopt;
      }
      return c;
    } catch (const Error&) {
      return std::nullopt;
    }
  }

  // Wave by wave: even powers of sines become cosines, then powers of both are separated.
  bool split(const Expr& e, std::size_t wave, bool waved, Expr& rest, std::vector<Expr>& of_waves) {
    if (e.is_integer(0)) return true;
    if (wave == waves_.size()) {
      if (waved) {
        of_waves.push_back(e);
      } else {
        rest += e;
      }
      return true;
    }
    const Wave& w = waves_[wave];
    const auto by_sine = powers_of(w.sine, e);
    if (!by_sine) return false;
    Expr halves[] = {0, 0};  // without and with one sine
    const Expr square = 1 - power(w.cosine, 2);
    for (std::size_t i = 0; i < by_sine->size(); ++i) halves[i % 2] += (*by_sine)[i] * power(square, Expr(i / 2));
    for (std::size_t odd = 0; odd < 2; ++odd) {
      const auto by_cosine = powers_of(w.cosine, expand(halves[odd]));
      if (!by_cosine) return false;
      for (std::size_t i = 0; i < by_cosine->size(); ++i) {
        if (!split((*by_cosine)[i], wave + 1, waved || odd == 1 || i > 0, rest, of_waves)) return false;
      }
    }
    return true;
  }

  const Symbol& x_;
  const Expr& place_;
  bool above_;
  Signs& signs_;
  std::vector<Wave> waves_;
  Symbol alternate_{"_alternate"};
  bool alternates_ = false;
  bool possible_ = true;
};

}  // namespace

Expr with_waves(const Expr& f, const Symbol& x) {
  const auto waves = [&](const Expr& u, const Expr& otherwise) {
    const auto parts = modulus_and_angle(u);
    if (!parts) return otherwise;
    return exp(parts->first) * (cos(parts->second) + imaginary_unit() * sin(parts->second));
  };
  return Rebuild([](const Expr&, Expr&) { return false; },
                 [&](const Expr& n) -> Expr {
                   if (is_call_of(n, "exp")) return waves(n.operands()[0], n);
                   if (!n.is(Kind::power) && !n.is(Kind::product)) return n;
                   Expr out = leading_number(n);
                   for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
                     out *= depends_on(exponent, x) ? waves(exponent * log(base), power(base, exponent))
                                                    : power(base, exponent);
                   });
                   return out;
                 })(f);
}

std::optional<WaveForm> in_waves(const Expr& f, const Symbol& x, const Expr& place, bool above, Signs& signs) {
  return Rewriting(x, place, above, signs)(f);
}

std::optional<Expr> squeezed_limit(const Expr& f, const Symbol& x, const Expr& place, bool above, Signs& signs) {
  const auto form = in_waves(f, x, place, above, signs);
  if (!form) return std::nullopt;
  const auto limit = [&](const Expr& e) { return one_sided_limit(e, x, place, above, signs); };
  for (const Expr& c : form->of_waves) {
    if (!limit(c).is_integer(0)) return std::nullopt;
  }
  const Expr rest = limit(form->rest);
  if (form->of_alternate) {
    const Expr amount = limit(*form->of_alternate);
    if (!amount.is_integer(0) && !has_infinity(rest)) {
      throw NoLimit{fmt::format("it tends to {} for even {} and to {} for odd ones", to_text(rest + amount), x.name(),
                                to_text(rest - amount))};
    }
    if (!amount.is_integer(0)) return std::nullopt;
  }
  return rest;
}

}  // namespace boreon
