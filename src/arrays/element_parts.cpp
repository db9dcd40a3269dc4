// SPDX-License-Identifier: MIT
#include "arrays/element_parts.hpp"

#include "boreon/symbol.hpp"
#include "expr/canonical.hpp"

namespace boreon {

std::optional<ElementParts> element_parts(const Expr& e) {
  if (e.is(Kind::element)) return ElementParts{e.operands()[0], {e.operands().begin() + 1, e.operands().end()}};
  const bool call = e.is(Kind::unknown_call);
  if (!call && !e.is(Kind::symbol)) return std::nullopt;
  const auto name = element_name(e.name());
  if (!name) return std::nullopt;
  ElementParts parts;
  if (call) {
    std::vector<Expr> operands(e.operands().begin(), e.operands().end());
    operands[0] = Symbol(name->array, assumptions_of(operands[0]));
    parts.head = unknown_call(operands);
  } else {
    parts.head = Symbol(name->array, assumptions_of(e));
  }
  for (const std::int64_t i : name->indices) parts.places.emplace_back(i);
  return parts;
}

}  // namespace boreon
