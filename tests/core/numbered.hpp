// SPDX-License-Identifier: MIT
// Symbols x0, x1, ... for tests.
#pragma once

#include <string>
#include <vector>

#include "boreon/symbol.hpp"

namespace test {

inline std::vector<boreon::Expr> numbered(const std::string& name, std::size_t n) {
  std::vector<boreon::Expr> list;
  for (std::size_t i = 0; i < n; ++i) list.emplace_back(boreon::Symbol(name + std::to_string(i)));
  return list;
}

}  // namespace test
