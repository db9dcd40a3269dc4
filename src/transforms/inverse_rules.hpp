// SPDX-License-Identifier: MIT
// Inverse Laplace transforms by rules, before anything is compared with numbers.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon::transforms {

/// constant*base^power, where only base depends on x.
struct SinglePower {
  Expr constant = 1;
  Expr base;
  unsigned power = 0;
};
/// A denominator of partial fractions, factored; nothing unless one factor depends on x, with a whole power.
[[nodiscard]] std::optional<SinglePower> single_power(const Expr& denominator, const Symbol& x);

class InverseRules {
 public:
  /// `t` is positive; impulses are written in `given_time`, of which nothing is assumed.
  InverseRules(Symbol s, Symbol t, Symbol given_time, std::vector<Expr> conditions)
      : s_(std::move(s)), t_(std::move(t)), given_time_(std::move(given_time)), signs_(std::move(conditions), true) {}

  [[nodiscard]] std::optional<Expr> operator()(const Expr& F);
  [[nodiscard]] const std::vector<std::string>& steps() const { return steps_; }
  [[nodiscard]] std::vector<Expr> assumed() const;
  /// Whether a convolution was left as an integral.
  [[nodiscard]] bool open() const { return open_; }

 private:
  using Found = std::optional<Expr>;

  [[nodiscard]] Found whole(const Expr& F);
  [[nodiscard]] Found with_delays(const Expr& F);
  [[nodiscard]] Found repeated(const Expr& F);
  [[nodiscard]] Found rational(const Expr& F);
  [[nodiscard]] Found fraction(const Expr& term);
  [[nodiscard]] Found over_modes(const std::vector<Expr>& top, const std::vector<Expr>& bottom, unsigned power);
  [[nodiscard]] Found term(const Expr& F);
  [[nodiscard]] Found in_root(const Expr& F);
  [[nodiscard]] Found exponential_in_root(const Expr& R, const Symbol& root);
  [[nodiscard]] Found fraction_in_root(const Expr& piece, const Symbol& root);
  [[nodiscard]] Found known(const Expr& kernel, const Expr& power);
  /// lead*((s + rate)^2 + sign*width^2), with a positive lead and a width that is not zero.
  struct CompletedSquare {
    Expr lead;
    Expr rate;
    Expr square;  ///< sign*width^2
    Expr width;
    int sign = 0;
  };
  [[nodiscard]] std::optional<CompletedSquare> completed_square(const Expr& base);
  [[nodiscard]] std::optional<Expr> the_root_of_square(const Expr& F) const;
  [[nodiscard]] Found special_pair(const Expr& F);
  [[nodiscard]] Found pair_at_zero(const Expr& kernel, const Expr& s_power);
  [[nodiscard]] Found gamma_quotient(const Expr& F);
  [[nodiscard]] Found front(const Expr& F);
  [[nodiscard]] Found powers_of_gap(const Expr& F);
  [[nodiscard]] Found differences_of_powers(const Expr& F);
  [[nodiscard]] Found shifted_pole(const Expr& F);
  [[nodiscard]] bool vanishes_far_out(const Expr& F) const;
  [[nodiscard]] Found by_derivative(const Expr& F);
  [[nodiscard]] Found by_integral(const Expr& F);
  [[nodiscard]] Found by_factor(const Expr& F);
  [[nodiscard]] Found by_convolution(const Expr& F);
  [[nodiscard]] Expr delayed(const Expr& f, const Expr& by) const;
  void step(std::string text);

  Symbol s_;
  Symbol t_;
  Symbol given_time_;
  Signs signs_;
  std::vector<std::string> steps_;
  bool open_ = false;
  int depth_ = 0;
};

}  // namespace boreon::transforms
