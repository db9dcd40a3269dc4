// SPDX-License-Identifier: MIT
// Tables of numbers from CSV files (RFC 4180).
#pragma once

#include <string>
#include <vector>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

/// Columns of equal length, with the names of the first line and their units, from "name [unit]".
struct CsvTable {
  std::vector<std::string> names;
  std::vector<std::string> units;  ///< empty where none is given
  std::vector<std::vector<double>> columns;
  std::vector<std::size_t> lines;  ///< of the file, in which each row stands

  [[nodiscard]] std::size_t rows() const { return columns.empty() ? 0 : columns[0].size(); }
  /// The column of a name; throws Error(name) with the names there are.
  [[nodiscard]] const std::vector<double>& column(const std::string& name) const;
};

/// Reads a file whose first line has the names of the columns. Throws Error(io) if it cannot be read, Error(syntax)
/// with line and column for what is no number, a line of another length, or a name that stands twice. An empty field is
/// NaN.
[[nodiscard]] CsvTable read_csv(const std::string& path);

/// The numbers of a CSV file without names: one row for each line. Throws Error(io) or Error(syntax) with the line.
[[nodiscard]] std::vector<std::vector<double>> read_csv_numbers(const std::string& path);

}  // namespace BOREON_API
