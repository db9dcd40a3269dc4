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
/// From -infinity to infinity.
[[nodiscard]] Result on_line(const Expr& f, const Symbol& x, Signs& signs);

}  // namespace boreon::families
