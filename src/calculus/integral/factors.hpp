// SPDX-License-Identifier: MIT
// Integrands as products, for the families of definite integrals.
#pragma once

#include <algorithm>
#include <initializer_list>
#include <optional>
#include <utility>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon::families {

using Result = std::optional<Expr>;

/// constant * x^power * base^exponent * ..., with the exponentials joined to one.
struct Factors {
  Expr constant = 1;
  Expr power = 0;
  std::vector<std::pair<Expr, Expr>> others;

  [[nodiscard]] bool only(std::initializer_list<const char*> names) const {
    return std::all_of(others.begin(), others.end(), [&](const auto& o) {
      return std::any_of(names.begin(), names.end(), [&](const char* n) { return is_call_of(o.first, n); });
    });
  }
  [[nodiscard]] const std::pair<Expr, Expr>* find(const char* name) const {
    for (const auto& o : others) {
      if (is_call_of(o.first, name)) return &o;
    }
    return nullptr;
  }
};

[[nodiscard]] Factors factors_of(const Expr& f, const Symbol& x);

[[nodiscard]] inline bool positive(Signs& s, const Expr& e) { return s.of(e) > 0; }

/// a + b*x^p with one such power.
struct Binomial {
  Expr a;
  Expr b;
  Expr p;
};
[[nodiscard]] std::optional<Binomial> binomial_of(const Expr& e, const Symbol& x);

/// From 0 to infinity: families_half_line.cpp.
[[nodiscard]] Result on_half_line(const Expr& f, const Symbol& x, Signs& signs);
[[nodiscard]] Result principal_on_half_line(const Expr& f, const Symbol& x, Signs& signs);
/// From -infinity to infinity.
[[nodiscard]] Result on_line(const Expr& f, const Symbol& x, Signs& signs);

// Waves: families_waves.cpp.
/// Sums of sines and cosines of k*x over powers of x, from 0 to infinity; any real k.
[[nodiscard]] Result waves_over_powers(const Expr& f, const Symbol& x);
/// x^m*cos(c*x^p) and the sine, from 0 to infinity.
[[nodiscard]] Result stretched_wave(const Factors& f, const Symbol& x, Signs& signs);
/// cos(a*x^2 + b*x + c) and the sine over the line.
[[nodiscard]] Result quadratic_phase(const Expr& f, const Symbol& x, Signs& signs);
/// Cosines of whole multiples of x over a + b*cos(x), over a period or half of one.
[[nodiscard]] Result waves_over_cosine(const Expr& f, const Symbol& x, const Expr& length, Signs& signs);
/// exp(z*cos(x))*cos(z*sin(x) - n*x) over a period.
[[nodiscard]] Result exponential_on_circle(const Factors& f, const Symbol& x);

}  // namespace boreon::families
