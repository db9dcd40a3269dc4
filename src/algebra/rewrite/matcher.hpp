// SPDX-License-Identifier: MIT
// Matching of patterns modulo the order of sums and products, by backtracking.
#pragma once

#include <functional>
#include <vector>

#include "algebra/reasoner.hpp"
#include "boreon/rewrite.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

class Matcher {
 public:
  Matcher(const Rule& rule, const Reasoner& reasoner, std::size_t steps);

  /// Matches the subject; with `partial`, a sum or product pattern may leave operands over, which go to `left_over`
  /// (0 or 1 if none). The bindings are in `values()`.
  bool match(const Expr& subject, bool partial, Expr& left_over);
  [[nodiscard]] const Matches& values() const { return values_; }
  [[nodiscard]] bool exhausted() const { return steps_ == 0; }

 private:
  using Next = std::function<bool()>;
  bool one(const Expr& pattern, const Expr& subject, const Next& next);
  bool operands(const Expr& pattern, const Expr& subject, std::size_t from, const Next& next);
  bool unordered(std::vector<Expr> patterns, std::vector<Expr> subjects, bool sum, bool partial, Expr* left_over,
                 const Next& next);
  bool bind(const Expr& placeholder, const Expr& value, const Next& next);
  bool conditions_hold() const;
  [[nodiscard]] bool is_placeholder(const Expr& e) const;
  [[nodiscard]] bool is_rest(const Expr& e) const;
  [[nodiscard]] bool is_open(const Expr& e) const;  // contains a placeholder

  const Rule& rule_;
  const Reasoner& reasoner_;
  std::size_t steps_;
  Matches values_;
};

}  // namespace boreon
