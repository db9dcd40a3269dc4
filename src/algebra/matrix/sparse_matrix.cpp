// SPDX-License-Identifier: MIT
#include <numeric>

#include "boreon/matrix.hpp"

namespace boreon {

Matrix SparseMatrix::dense() const {
  Matrix m(static_cast<Eigen::Index>(pattern.rows), static_cast<Eigen::Index>(pattern.cols));
  for (std::size_t i = 0; i < pattern.rows; ++i) {
    for (auto k = pattern.row_start[i]; k < pattern.row_start[i + 1]; ++k) {
      m(static_cast<Eigen::Index>(i), pattern.columns[static_cast<std::size_t>(k)]) =
          values[static_cast<std::size_t>(k)];
    }
  }
  return m;
}

SparseMatrix::Columns SparseMatrix::columns() const {
  Columns c;
  c.column_start.assign(pattern.cols + 1, 0);
  for (const auto j : pattern.columns) ++c.column_start[static_cast<std::size_t>(j) + 1];
  std::partial_sum(c.column_start.begin(), c.column_start.end(), c.column_start.begin());
  c.rows.resize(pattern.nonzeros());
  c.entry.resize(pattern.nonzeros());
  std::vector<std::int64_t> next(c.column_start.begin(), c.column_start.end() - 1);
  for (std::size_t i = 0; i < pattern.rows; ++i) {
    for (auto k = pattern.row_start[i]; k < pattern.row_start[i + 1]; ++k) {
      const auto at =
          static_cast<std::size_t>(next[static_cast<std::size_t>(pattern.columns[static_cast<std::size_t>(k)])]++);
      c.rows[at] = static_cast<std::int64_t>(i);
      c.entry[at] = k;
    }
  }
  return c;
}

}  // namespace boreon
