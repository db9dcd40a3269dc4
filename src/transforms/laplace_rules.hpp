// SPDX-License-Identifier: MIT
// Laplace transforms by rules, before anything is compared with numbers.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon::transforms {

/// A transform and what s has to be greater than; none: it converges everywhere.
struct Image {
  Expr value;
  std::vector<Expr> bounds = {};
};

class LaplaceRules {
 public:
  /// `t` is positive; impulses may be written in `given_time`, of which nothing is assumed. `conditions` relate
  /// parameters.
  LaplaceRules(Symbol t, Symbol given_time, Symbol s, std::vector<Expr> conditions)
      : t_(std::move(t)), given_time_(std::move(given_time)), s_(std::move(s)), signs_(std::move(conditions), true) {}

  [[nodiscard]] std::optional<Image> operator()(const Expr& f);
  [[nodiscard]] const std::vector<std::string>& steps() const { return steps_; }
  /// Signs of parameters that were taken for granted.
  [[nodiscard]] std::vector<Expr> assumed() const;

 private:
  using Found = std::optional<Image>;

  [[nodiscard]] Found whole(const Expr& f);
  [[nodiscard]] Found term(const Expr& f);
  [[nodiscard]] Found divided_by_time(const Expr& f, std::int64_t n);
  [[nodiscard]] Found of_exponentials(const Expr& f);
  [[nodiscard]] Found impulse(const Expr& place, const Expr& weight, const Expr& rest);
  [[nodiscard]] Found pieces(const Expr& f, const Expr& end);
  [[nodiscard]] Found periodic(const Expr& f);
  [[nodiscard]] Found of_kernel(const Expr& f);
  [[nodiscard]] Found of_function(const Expr& kernel, const Expr& power);
  [[nodiscard]] Found of_exponential(const Expr& kernel, const Expr& power);
  [[nodiscard]] Found of_cylinder_function(const Expr& kernel, const Expr& power);
  [[nodiscard]] Found of_error_function(const Expr& kernel);
  [[nodiscard]] std::optional<Expr> scale_of(const Expr& kernel, const Expr& q) const;
  [[nodiscard]] Found of_unknown(const Expr& call);
  [[nodiscard]] Found of_integral(const Expr& node);
  [[nodiscard]] Found by_definition(const Expr& f);
  [[nodiscard]] Found shifted(const Found& image, const Expr& rate);
  [[nodiscard]] Found differentiated(const Found& image, std::int64_t times);
  void step(std::string text);

  Symbol t_;
  Symbol given_time_;
  Symbol s_;
  Signs signs_;
  std::vector<std::string> steps_;
  int depth_ = 0;
};

/// Adds a lower bound of s unless another implies it, and drops those it implies.
void add_bound(std::vector<Expr>& bounds, const Expr& bound, const Signs& signs);

}  // namespace boreon::transforms
