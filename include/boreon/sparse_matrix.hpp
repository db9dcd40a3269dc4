// SPDX-License-Identifier: MIT
// Sparse matrices of expressions, without Eigen.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/fwd.hpp"

namespace boreon BOREON_API {

/// Where a matrix can be nonzero, by rows: columns[row_start[i]] ... columns[row_start[i + 1] - 1] are the columns of
/// row i in ascending order.
struct SparsityPattern {
  std::size_t rows = 0;
  std::size_t cols = 0;
  std::vector<std::int64_t> row_start;
  std::vector<std::int64_t> columns;
  [[nodiscard]] std::size_t nonzeros() const noexcept { return columns.size(); }
  /// f(entry, column) for the entries of a row, in order.
  template <class F>
  void each(std::size_t row, F&& f) const {
    for (auto k = static_cast<std::size_t>(row_start[row]); k < static_cast<std::size_t>(row_start[row + 1]); ++k)
      f(k, static_cast<std::size_t>(columns[k]));
  }
};

/// A sparse matrix of expressions in compressed rows: entry k belongs to column pattern.columns[k].
struct SparseMatrix {
  SparsityPattern pattern;
  std::vector<Expr> values;
  [[nodiscard]] Matrix dense() const;  ///< needs boreon/matrix.hpp
  /// The same matrix by columns: starts, row indices, and for each entry its place in `values`.
  struct Columns {
    std::vector<std::int64_t> column_start;
    std::vector<std::int64_t> rows;
    std::vector<std::int64_t> entry;
  };
  [[nodiscard]] Columns columns() const;
};

}  // namespace boreon
