// SPDX-License-Identifier: MIT
// OperandOrder: in which order sums and products are written.
#pragma once

#include <functional>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/traverse.hpp"

namespace boreon BOREON_API {

/// Sums and products keep no order of their own. This remembers for some of them in which order their operands stood,
/// in a text or in a series, for printing them the same way.
class OperandOrder {
 public:
  /// The operands of a sum (with their signs and coefficients) or of a product (1/x for a divisor). A node that is
  /// known keeps its first order.
  void note(const Expr& node, std::vector<Expr> operands);
  /// Null: not known.
  [[nodiscard]] const std::vector<Expr>* of(const Expr& node) const { return known_.find(node); }
  [[nodiscard]] bool empty() const noexcept { return nodes_.empty(); }
  /// The same order of expressions that have been rewritten by `rewrite`.
  [[nodiscard]] OperandOrder rewritten(const std::function<Expr(const Expr&)>& rewrite) const;

 private:
  void keep(const Expr& node, const std::vector<Expr>& operands);
  std::vector<Expr> nodes_;  // keeps the keys alive
  NodeMap<std::vector<Expr>> known_;
};

}  // namespace boreon
