// SPDX-License-Identifier: MIT
// Matrices of cancelled quotients of polynomials.
#pragma once

#include <memory>
#include <vector>

#include "algebra/kernel_ring.hpp"
#include "boreon/matrix.hpp"

namespace boreon {

struct FractionMatrix {
  std::shared_ptr<const KernelRing> ring;
  Eigen::Index rows = 0;
  Eigen::Index cols = 0;
  std::vector<Fraction> entries;  // by rows

  [[nodiscard]] static FractionMatrix of(const Matrix& a, RingOptions options);
  [[nodiscard]] Fraction& at(Eigen::Index i, Eigen::Index j) { return entries[static_cast<std::size_t>(i * cols + j)]; }
  [[nodiscard]] const Fraction& at(Eigen::Index i, Eigen::Index j) const {
    return entries[static_cast<std::size_t>(i * cols + j)];
  }
  [[nodiscard]] Matrix expressions() const;
  /// The row from `first` on whose entry in the column is not zero and has the fewest terms; -1 if all are zero.
  [[nodiscard]] Eigen::Index simplest_pivot(Eigen::Index first, Eigen::Index column) const;
  void swap_rows(Eigen::Index i, Eigen::Index j);
  /// Gauss and Jordan on the columns before `limit`; returns the pivot columns.
  std::vector<Eigen::Index> reduce_rows(Eigen::Index limit);
};

void require_square(const Matrix& a, const char* what);

}  // namespace boreon
