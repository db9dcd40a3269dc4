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
  [[nodiscard]] const Fraction& at(Eigen::Index i, Eigen::Index j) const { return entries[static_cast<std::size_t>(i * cols + j)]; }
  [[nodiscard]] Matrix expressions() const;
  /// Gauss and Jordan on the columns before `limit`; returns the pivot columns. `swaps` counts exchanges of rows.
  std::vector<Eigen::Index> reduce_rows(Eigen::Index limit);
};

void require_square(const Matrix& a, const char* what);

}  // namespace boreon
