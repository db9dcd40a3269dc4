// SPDX-License-Identifier: MIT
// Elements taken apart, open ones and those whose places are all numbers, which are symbols or calls of their own.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

struct ElementParts {
  Expr head;  ///< what element() takes: the symbol, or the call of the unknown function, that is the array
  std::vector<Expr> places;
};

/// Nothing for what is no element.
[[nodiscard]] std::optional<ElementParts> element_parts(const Expr& e);

}  // namespace boreon
