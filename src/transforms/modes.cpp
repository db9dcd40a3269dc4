// SPDX-License-Identifier: MIT
#include "transforms/modes.hpp"

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon::transforms {
namespace {

using Coefficients = std::vector<Expr>;

constexpr std::size_t longest_root = 60;

bool rational(const Coefficients& c) {
  return std::all_of(c.begin(), c.end(), [](const Expr& k) { return k.is_number() && k.number().is_exact(); });
}

std::vector<Mode> of_quadratic(const Coefficients& c, Signs& signs) {
  const Expr rate = -c[1] / (2 * c[2]);
  const Expr square = factor(c[0] / c[2] - rate * rate);  // of the frequency
  if (signs.of_whole(expand(square)) > 0) return {{rate, plain_root(square)}};
  const Expr split = plain_root(factor(-square));
  return {{rate - split}, {rate + split}};
}

// z^n = k
std::optional<std::vector<Mode>> of_binomial(const Coefficients& c, Signs& signs) {
  const std::size_t n = c.size() - 1;
  for (std::size_t i = 1; i < n; ++i) {
    if (!c[i].is_integer(0)) return std::nullopt;
  }
  const Expr k = factor(-c[0] / c[n]);
  const bool up = signs.of(k) > 0;
  const Expr size = power(up ? k : -k, Expr(1) / Expr(n));
  std::vector<Mode> out;
  for (std::size_t j = 0; j <= n / 2; ++j) {
    const Expr turn = pi() * Expr(up ? 2 * j : 2 * j + 1) / Expr(n);
    const Expr height = sin(turn);
    if (!up && 2 * j + 1 > n) break;
    out.push_back({size * cos(turn), size * height});
  }
  return out;
}

std::optional<std::vector<Mode>> of_irreducible(const Coefficients& c, Signs& signs) {
  if (c.size() == 2) return std::vector<Mode>{{factor(-c[0] / c[1])}};
  if (c.size() == 3) return of_quadratic(c, signs);
  if (auto b = of_binomial(c, signs)) return b;
  if (!rational(c)) return std::nullopt;
  std::vector<Mode> out;
  if (const auto closed = closed_roots(c, signs)) {
    for (const Expr& r : closed->real) out.push_back({r});
    for (const auto& p : closed->pairs) out.push_back({p.re, p.im});
    const bool readable = std::all_of(out.begin(), out.end(), [](const Mode& m) {
      return to_text(m.rate, {longest_root + 10, {}}).size() + to_text(m.frequency, {longest_root + 10, {}}).size() <=
             longest_root;
    });
    if (readable) return out;
    out.clear();
  }
  const auto numbered = numbered_roots(c);
  if (!numbered) return std::nullopt;
  for (const Expr& r : numbered->real) out.push_back({r});
  if (numbered->complex.size() == 2) {
    // one pair: its sum and product from those of all roots
    Expr sum = -c[c.size() - 2] / c.back();
    Expr product = (c.size() % 2 == 0 ? -1 : 1) * c[0] / c.back();
    for (const Expr& r : numbered->real) {
      sum -= r;
      product /= r;
    }
    out.push_back({sum / 2, sqrt(product - sum * sum / 4)});
    return out;
  }
  for (std::size_t i = 0; i < numbered->complex.size(); i += 2) {
    const Expr& r = numbered->complex[i];
    out.push_back({re(r), im(r), 1, r});
  }
  return out;
}

}  // namespace

Expr plain_root(const Expr& e) {
  Expr root = 1;
  Expr rest = 1;
  const Expr number = leading_number(e);
  const auto take = [&](const Expr& base, const Expr& exponent) {
    const auto n = exponent.word();
    if (n && *n % 2 == 0 && is_real(base)) {
      root *= power(base, Expr(*n / 2));
    } else {
      rest *= power(base, exponent);
    }
  };
  if (e.is_number()) return sqrt(e);
  for_each_factor(e, take);
  return root * sqrt(number * rest);
}

std::optional<std::vector<Mode>> modes_of(const std::vector<Expr>& coefficients, Signs& signs) {
  const Symbol z("_z");
  std::vector<Expr> terms;
  for (std::size_t k = 0; k < coefficients.size(); ++k) terms.push_back(coefficients[k] * power(z, Expr(k)));
  const Expr factored = factor(add(terms));
  std::vector<Mode> out;
  bool all = true;
  for_each_factor(factored, [&](const Expr& base, const Expr& exponent) {
    if (!all || !depends_on(base, z)) return;
    const auto n = exponent.word();
    const auto c = polynomial_in(base, z, 100);
    const auto found = n && *n > 0 && c ? of_irreducible(*c, signs) : std::nullopt;
    if (!found) {
      all = false;
      return;
    }
    for (Mode m : *found) {
      m.multiplicity = static_cast<unsigned>(*n);
      out.push_back(std::move(m));
    }
  });
  if (!all) return std::nullopt;
  return out;
}

std::vector<Expr> solutions_of(const std::vector<Mode>& modes, const Expr& t) {
  std::vector<Expr> out;
  for (const Mode& m : modes) {
    for (unsigned j = 0; j < m.multiplicity; ++j) {
      const Expr front = power(t, Expr(j)) * exp(m.rate * t);
      if (m.frequency.is_integer(0)) {
        out.push_back(front);
      } else {
        out.push_back(front * cos(m.frequency * t));
        out.push_back(front * sin(m.frequency * t));
      }
    }
  }
  return out;
}

}  // namespace boreon::transforms
