// SPDX-License-Identifier: MIT
#include "solvers/fresh_symbols.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/traverse.hpp"

namespace boreon {

std::vector<Expr> fresh_symbols(std::string name, std::size_t count, const std::vector<Expr>& taken) {
  const std::vector<Symbol> symbols = free_symbols(taken);
  name += "_";
  while (std::any_of(symbols.begin(), symbols.end(), [&](const Symbol& s) { return s.name().starts_with(name); }))
    name += "_";
  std::vector<Expr> list;
  for (std::size_t i = 0; i < count; ++i) list.emplace_back(Symbol(fmt::format("{}{}", name, i)));
  return list;
}

}  // namespace boreon
