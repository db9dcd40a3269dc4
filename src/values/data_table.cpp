// SPDX-License-Identifier: MIT
#include "boreon/data_table.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace boreon {

std::optional<std::size_t> DataTable::find(std::string_view name) const {
  const auto at = std::find(names.begin(), names.end(), name);
  if (at == names.end()) return std::nullopt;
  return static_cast<std::size_t>(at - names.begin());
}

std::optional<std::size_t> DataTable::find(const Expr& symbol) const {
  const auto at = std::find(symbols.begin(), symbols.end(), symbol);
  if (at == symbols.end()) return std::nullopt;
  return static_cast<std::size_t>(at - symbols.begin());
}

std::string DataTable::place(std::size_t row) const {
  return lines.empty() ? fmt::format("row {}", row + 1)
                       : fmt::format("row {} (line {}{}{})", row + 1, lines[row], file.empty() ? "" : " of ", file);
}

}  // namespace boreon
