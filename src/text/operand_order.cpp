// SPDX-License-Identifier: MIT
#include "boreon/operand_order.hpp"

namespace boreon {

void OperandOrder::keep(const Expr& node, const std::vector<Expr>& operands) {
  if (!node.is(Kind::sum) && !node.is(Kind::product)) return;
  const auto [list, fresh] = known_.insert(node);
  if (!fresh) return;
  *list = operands;
  nodes_.push_back(node);
}

void OperandOrder::note(const Expr& node, std::vector<Expr> operands) {
  keep(node, operands);
  // in a sum the coefficient of a product is kept apart from it
  if (node.is(Kind::product) && !node.operands()[0].is_integer(1)) keep(node / node.operands()[0], operands);
}

OperandOrder OperandOrder::rewritten(const std::function<Expr(const Expr&)>& rewrite) const {
  OperandOrder result;
  for (const Expr& node : nodes_) {
    std::vector<Expr> operands;
    for (const Expr& e : *known_.find(node)) operands.push_back(rewrite(e));
    result.keep(rewrite(node), operands);
  }
  return result;
}

}  // namespace boreon
