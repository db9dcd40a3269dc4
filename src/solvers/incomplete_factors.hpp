// SPDX-License-Identifier: MIT
// Incomplete factors of a large sparse matrix, for GMRES: the largest entries of each row (Saad, Numerical Linear
// Algebra with Applications 1 (1994) 387).
#pragma once

#include <memory>
#include <vector>

#include "boreon/sparse_matrix.hpp"

namespace boreon {

class IncompleteFactors {
 public:
  IncompleteFactors();
  ~IncompleteFactors();
  /// False where a pivot vanishes or is not finite.
  [[nodiscard]] bool factor(const SparsityPattern& pattern, const std::vector<double>& values);
  void solve(const double* right, double* solution) const;

 private:
  struct Factors;
  std::unique_ptr<Factors> factors_;
};

}  // namespace boreon
