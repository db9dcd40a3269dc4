// SPDX-License-Identifier: MIT
#include "arrays/placeholder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "expr/node.hpp"

namespace boreon {
namespace {

constexpr std::uint16_t placeholder_mark = 0x1000;

std::size_t number_of(const Expr& e) {
  std::size_t n = 0;
  const std::string& name = e.name();
  std::from_chars(name.data() + 1, name.data() + name.size(), n);
  return n;
}

}  // namespace

Expr placeholder(std::size_t number) {
  const Assumptions whole{Assumption::integer, Assumption::nonnegative};
  return Node::intern_symbol(fmt::format("k{}", number),
                             Assumptions::from_bits(static_cast<std::uint16_t>(whole.bits() | placeholder_mark)));
}

bool is_placeholder(const Expr& e) {
  return e.is(Kind::symbol) && !is_function_head(e) && (assumptions_of(e).bits() & placeholder_mark) != 0;
}

std::size_t last_placeholder(std::span<const Expr> expressions) {
  std::size_t last = 0;
  postorder(expressions, [&](const Expr& e) {
    if (is_placeholder(e)) last = std::max(last, number_of(e));
  });
  return last;
}

Expr renamed(const Expr& e, std::span<const std::pair<Expr, Expr>> names) {
  Rebuild pass([&](const Expr& x, Expr& result) {
    for (const auto& [from, to] : names) {
      if (x == from) {
        result = to;
        return true;
      }
    }
    return false;
  });
  return pass(e);
}

Expr shifted(const Expr& e, std::size_t by) {
  Rebuild pass([&](const Expr& x, Expr& result) {
    if (!is_placeholder(x)) return false;
    result = placeholder(number_of(x) + by);
    return true;
  });
  return pass(e);
}

bool same_extent(const Expr& a, const Expr& b) { return a == b || (a - b).is_integer(0); }

std::string extent_text(const Expr& e) {
  if (e.is_number()) return e.number().to_string();
  if (e.is(Kind::symbol)) return e.name();
  if (!e.is(Kind::sum)) return "?";
  std::string text;
  for (const auto [term, c] : Parts(e)) {
    const bool minus = c.number().sign() < 0;
    const Number size = c.number().abs();
    text += text.empty() ? (minus ? "-" : "") : (minus ? " - " : " + ");
    text += (size.is_one() ? "" : size.to_string() + "*") + extent_text(term);
  }
  if (const Number c = e.operands()[0].number(); !c.is_zero())
    text += (c.sign() < 0 ? " - " : " + ") + c.abs().to_string();
  return text;
}

}  // namespace boreon
