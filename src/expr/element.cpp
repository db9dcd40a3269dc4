// SPDX-License-Identifier: MIT
// Elements of arrays: nodes while an index is open, symbols with a name of their own when all are numbers.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>

#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "expr/node.hpp"

namespace boreon {

std::string to_string(const ElementName& name) {
  return fmt::format("{}[{}]", name.array, fmt::join(name.indices, ", "));
}

std::optional<ElementName> element_name(std::string_view name) {
  const std::size_t open = name.find('[');
  if (open == std::string_view::npos || !name.ends_with(']') || !is_identifier(name.substr(0, open)))
    return std::nullopt;
  ElementName e;
  e.array = name.substr(0, open);
  const char* at = name.data() + open + 1;
  const char* end = name.data() + name.size() - 1;
  for (;;) {
    while (at != end && *at == ' ') ++at;
    std::int64_t index = 0;
    const auto [next, fault] = std::from_chars(at, end, index);
    if (fault != std::errc()) return std::nullopt;
    e.indices.push_back(index);
    at = next;
    while (at != end && *at == ' ') ++at;
    if (at == end) return e;
    if (*at++ != ',') return std::nullopt;
  }
}

Expr element(const Expr& head, std::span<const Expr> indices) {
  const bool call = head.is(Kind::unknown_call);
  if (!call && !head.is(Kind::symbol))
    throw Error(ErrorKind::shape, "only a named array has elements: give the array a name as a definition first");
  if (indices.empty()) throw Error(ErrorKind::shape, fmt::format("an element of {} needs an index", head.name()));
  ElementName name{head.name(), {}};
  for (const Expr& i : indices) {
    if (is_condition(i))
      throw Error(ErrorKind::shape, fmt::format("a condition stands where an index of {} is expected", head.name()));
    if (!i.is_number()) continue;
    if (!i.word())
      throw Error(ErrorKind::shape, fmt::format("{:.40} is no place in {}: an index must be a whole number, an integer",
                                                i.number().to_string(), head.name()));
    name.indices.push_back(*i.word());
  }
  if (name.indices.size() < indices.size()) {
    std::vector<Expr> operands{head};
    operands.insert(operands.end(), indices.begin(), indices.end());
    return Node::intern(Kind::element, 0, operands);
  }
  if (!call) return Node::intern_symbol(to_string(name), assumptions_of(head));
  std::vector<Expr> operands(head.operands().begin(), head.operands().end());
  operands[0] = Node::intern_symbol(to_string(name), assumptions_of(operands[0]));
  return unknown_call(operands);
}

}  // namespace boreon
