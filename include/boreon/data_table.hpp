// SPDX-License-Identifier: MIT
// DataTable: measured numbers in columns, with the places they come from.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

/// Columns of equal length. In expressions a column is a symbol, which takes its values row by row.
struct DataTable {
  std::string file;  ///< where they come from, for messages; may be empty
  std::vector<std::string> names;
  std::vector<std::string> units;            ///< empty, or one for each column
  std::vector<Expr> symbols;                 ///< of the columns
  std::vector<std::vector<double>> columns;  ///< NaN where a value is missing
  std::vector<std::size_t> lines;            ///< of each row in the file; may be empty
  bool skip_missing = false;                 ///< leave out rows in which a value that is needed is missing

  [[nodiscard]] std::size_t rows() const { return columns.empty() ? 0 : columns[0].size(); }
  [[nodiscard]] std::optional<std::size_t> find(std::string_view name) const;
  [[nodiscard]] std::optional<std::size_t> find(const Expr& symbol) const;
  /// "row 3 (line 4 of decay.csv)".
  [[nodiscard]] std::string place(std::size_t row) const;
};

}  // namespace BOREON_API
