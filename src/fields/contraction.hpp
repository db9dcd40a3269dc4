// SPDX-License-Identifier: MIT
// Long sums that are products of matrices: recognised by the strides of their entries and left to Eigen.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "boreon/fields.hpp"

namespace boreon {

/// c[m, n] = factor * sum over k of a[m, k]*b[k, n]; m or n may be missing.
class Contraction {
 public:
  /// Nothing where the sum is none, or its arrays have no dimension along which they are contiguous.
  [[nodiscard]] static std::optional<Contraction> of(const FieldSum& sum);
  void operator()(std::span<const double* const> arrays, std::span<double> result, unsigned threads) const;

 private:
  struct Side {
    std::size_t array = 0;
    std::int64_t base = 0;
    std::int64_t along = 0;   // stride of m or n
    std::int64_t summed = 0;  // of k
  };
  double factor_ = 1;
  std::int64_t m_ = 1, n_ = 1, k_ = 1;
  Side a_, b_;
  bool rows_first_ = true;  // of the result
};

}  // namespace boreon
