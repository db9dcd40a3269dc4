// SPDX-License-Identifier: MIT
#include "algebra/matrix/rows.hpp"

#include "boreon/linear_algebra.hpp"
#include "boreon/matrix.hpp"

namespace boreon {

Expr determinant_of_rows(const std::vector<std::vector<Expr>>& rows) {
  const auto size = static_cast<Eigen::Index>(rows.size());
  if (size == 0) return 1;
  Matrix m(size, size);
  for (Eigen::Index i = 0; i < size; ++i) {
    for (Eigen::Index j = 0; j < size; ++j) m(i, j) = rows[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)];
  }
  return determinant(m);
}

}  // namespace boreon
