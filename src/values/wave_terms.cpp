// SPDX-License-Identifier: MIT
#include "values/wave_terms.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_terms = 64;

bool is_wave(const Expr& e, const Expr& x) {
  if (!e.is(Kind::call) || (e.function().name != "sin" && e.function().name != "cos")) return false;
  const Expr& angle = e.operands()[0];
  if (!depends_on(angle, x)) return false;
  try {
    const auto at = [&](int place) { return evaluate(angle, {{x, place}}, Unused::allowed); };
    return std::abs(at(2000) - at(1000)) > 50 && std::abs(at(-2000) - at(-1000)) > 50;
  } catch (const Error&) {  // a root may have no value on one side
    try {
      const auto at = [&](int place) { return evaluate(angle, {{x, place}}, Unused::allowed); };
      return std::abs(at(4000) - at(1000)) > 20;
    } catch (const Error&) {
      return false;
    }
  }
}

// sin(u)^2 and cos(u)^2 as a mean and a wave.
Expr with_double_angle(const Expr& base, const Expr& exponent, const Expr& x) {
  if (exponent.is_integer(2) && is_wave(base, x)) {
    const Expr wave = cos(2 * base.operands()[0]) / 2;
    return base.function().name == "sin" ? Expr(1) / 2 - wave : Expr(1) / 2 + wave;
  }
  return power(base, exponent);
}

bool has_wave_term(const Expr& sum, const Expr& x) {
  for (const Part term : Parts(sum)) {
    if (is_wave(term.key, x)) return true;
    if (term.key.is(Kind::power) && is_wave(term.key.operands()[0], x)) return true;
    if (!term.key.is(Kind::product)) continue;
    for (const Part factor : Parts(term.key)) {
      if (is_wave(factor.key, x)) return true;
    }
  }
  return false;
}

struct Sorter {
  const Expr& x;
  std::vector<Expr> steady;
  std::vector<std::pair<Expr, std::vector<Expr>>> waving;  // by angle
  std::size_t count = 0;

  void add_wave(const Expr& angle, const Expr& term) {
    const auto same = std::find_if(waving.begin(), waving.end(), [&](const auto& w) { return w.first == angle; });
    if (same != waving.end()) {
      same->second.push_back(term);
    } else {
      waving.push_back({angle, {term}});
    }
  }

  static Expr product_of_waves(const Expr& a, const Expr& b) {
    const Expr& u = a.operands()[0];
    const Expr& v = b.operands()[0];
    const bool first = a.function().name == "sin";
    const bool second = b.function().name == "sin";
    if (first && second) return (cos(u - v) - cos(u + v)) / 2;
    if (first || second) return (sin(u + v) + (first ? Expr(sin(u - v)) : -sin(u - v))) / 2;
    return (cos(u - v) + cos(u + v)) / 2;
  }

  // Whether all terms could be told apart.
  bool add(const Expr& term) {
    if (++count > most_terms) return false;
    if (term.is(Kind::sum)) {
      steady.push_back(term.operands()[0]);
      for (const Part t : Parts(term)) {
        if (!add(t.key * t.factor)) return false;
      }
      return true;
    }
    std::optional<Expr> wave;
    if (is_wave(term, x)) wave = term;
    std::vector<Expr> factors;
    std::optional<Expr> sum;
    const auto take = [&](const Expr& base, const Expr& exponent) {
      const Expr factor = with_double_angle(base, exponent, x);
      const bool waves = exponent.is_integer(1) && is_wave(base, x);
      if (!sum && factor.is(Kind::sum) && has_wave_term(factor, x)) {
        sum = factor;
      } else if (!sum && wave && waves) {
        sum = product_of_waves(*wave, base);
        std::erase(factors, *wave);
      } else {
        if (waves) wave = base;
        factors.push_back(factor);
      }
    };
    if (term.is(Kind::product)) {
      factors.push_back(term.operands()[0]);
      for (const Part f : Parts(term)) take(f.key, f.factor);
    } else if (term.is(Kind::power)) {
      take(term.operands()[0], term.operands()[1]);
    }
    if (!sum) {
      if (wave) {
        add_wave(wave->operands()[0], term);
      } else {
        steady.push_back(term);
      }
      return true;
    }
    const Expr rest = multiply(factors);
    if (!sum->is(Kind::sum)) return add(rest * *sum);
    if (!add(rest * sum->operands()[0])) return false;
    for (const Part t : Parts(*sum)) {
      if (!add(rest * t.key * t.factor)) return false;
    }
    return true;
  }
};

}  // namespace

std::optional<WaveTerms> wave_terms(const Expr& f, const Expr& x) {
  Sorter sorter{x, {}, {}};
  if (!sorter.add(f)) return std::nullopt;
  WaveTerms result{boreon::add(sorter.steady), {}};
  for (const auto& [angle, terms] : sorter.waving) {
    if (const Expr sum = boreon::add(terms); !sum.is_integer(0)) result.waving.push_back(sum);
  }
  const std::size_t kinds = result.waving.size() + (result.steady.is_integer(0) ? 0 : 1);
  if (result.waving.empty() || kinds < 2) return std::nullopt;
  return result;
}

}  // namespace boreon
