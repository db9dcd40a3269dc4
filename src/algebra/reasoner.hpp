// SPDX-License-Identifier: MIT
// A small, sound reasoner: signs and truth of simple conditions from the assumptions of symbols and given relations.
#pragma once

#include <span>
#include <vector>

#include "algebra/linear_inequalities.hpp"
#include "boreon/expr.hpp"

namespace boreon {

class Reasoner {
 public:
  Reasoner() = default;
  /// Relations and conjunctions of them; others are ignored.
  explicit Reasoner(std::span<const Expr> conditions);

  // True means proved. A linear combination of known inequalities with positive numbers is looked for, a few deep.
  [[nodiscard]] bool positive(const Expr& e) const;
  [[nodiscard]] bool nonnegative(const Expr& e) const;
  [[nodiscard]] bool negative(const Expr& e) const { return positive(-e); }
  [[nodiscard]] bool nonpositive(const Expr& e) const { return nonnegative(-e); }
  [[nodiscard]] bool nonzero(const Expr& e) const;

  enum class Truth { no, yes, unknown };
  [[nodiscard]] Truth decide(const Expr& condition) const;

 private:
  using Fact = Inequality;  // known to hold
  [[nodiscard]] bool prove(const Expr& e, bool strict, int depth) const;
  [[nodiscard]] bool nonzero(const Expr& e, int depth) const;
  [[nodiscard]] bool small_product(const Expr& comparison) const;
  [[nodiscard]] bool known(const Expr& e, bool strict, int depth) const;
  std::vector<Fact> facts_;
  std::vector<Expr> nonzero_;
};

}  // namespace boreon
