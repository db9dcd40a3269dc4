// SPDX-License-Identifier: MIT
// One equation for one unknown: candidates by factors, inverse functions and substitutions. Whoever asks substitutes
// them back; some ways (squaring, both signs of an amount) give candidates that are none.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"
#include "equations/roots.hpp"

namespace boreon::equations {

class SingleSolver {
 public:
  explicit SingleSolver(std::vector<Expr> conditions, std::size_t longest = longest_radicals)
      : signs_(std::move(conditions)), longest_(longest) {}

  /// All x with e = 0: over the complex numbers where e is rational in x or x is complex, else over the real ones.
  /// Nothing where no way leads to an end.
  [[nodiscard]] std::optional<std::vector<Root>> operator()(const Expr& e, const Symbol& x);

  /// Cubics with symbols by radicals, in which real roots cannot be told from others.
  void allow_cubics() { cubics_ = true; }
  /// Whether e was zero for every x.
  [[nodiscard]] bool identity() const { return identity_; }
  /// What must not be zero for the answer to be general: leading coefficients.
  [[nodiscard]] const std::vector<Expr>& nonzero() const { return nonzero_; }
  /// Factors without x: where one is zero, every x is a solution.
  [[nodiscard]] const std::vector<Expr>& free_factors() const { return free_factors_; }
  [[nodiscard]] const std::vector<Expr>& integers() const { return integers_; }
  [[nodiscard]] const std::vector<std::string>& steps() const { return steps_; }
  /// Whether complex solutions are among those found: the equation was rational in the unknown, or that is complex.
  [[nodiscard]] bool over_complex() const { return rational_ || complex_; }
  /// Why there may be solutions beside those found; empty if there are none.
  [[nodiscard]] const std::string& left_out() const { return left_out_; }

 private:
  using Found = std::optional<std::vector<Root>>;

  [[nodiscard]] Found zeros(const Expr& e, const Symbol& x);
  [[nodiscard]] Found of_factors(const Expr& e, const Symbol& x);
  [[nodiscard]] Found of_kernels(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found in_exponential(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found in_kernel(const std::vector<Expr>& coefficients, const Expr& kernel, const Symbol& x);
  [[nodiscard]] Found where_kernel_is(const Expr& kernel, const Expr& v, const Symbol& x);
  [[nodiscard]] Found by_branches(const Expr& e, const Symbol& x);
  [[nodiscard]] Found without_root(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found of_logarithms(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found of_power_times_exponential(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found of_two_powers(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found of_waves(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found by_lambert(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Found by_logarithm_of_unknown(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x);
  [[nodiscard]] Symbol integer_for(const Expr& v);
  void step(std::string text);

  Signs signs_;
  std::size_t longest_;
  bool rational_ = false;
  bool complex_ = false;
  bool cubics_ = false;
  bool identity_ = false;
  int depth_ = 0;
  std::vector<Expr> nonzero_;
  std::vector<Expr> free_factors_;
  std::vector<Expr> integers_;
  std::vector<std::string> steps_;
  std::string left_out_;
};

}  // namespace boreon::equations
