// SPDX-License-Identifier: MIT
#include "solvers/incomplete_factors.hpp"

#include <Eigen/IterativeLinearSolvers>

namespace boreon {

struct IncompleteFactors::Factors {
  Eigen::IncompleteLUT<double, int> lu;
};

IncompleteFactors::IncompleteFactors() : factors_(std::make_unique<Factors>()) {
  constexpr double dropped = 1e-4;  // of the size of the row
  constexpr int fill = 4;           // entries, as a multiple of those there were
  factors_->lu.setDroptol(dropped);
  factors_->lu.setFillfactor(fill);
}

IncompleteFactors::~IncompleteFactors() = default;

bool IncompleteFactors::factor(const SparsityPattern& pattern, const std::vector<double>& values) {
  const std::vector<int> starts(pattern.row_start.begin(), pattern.row_start.end());
  const std::vector<int> columns(pattern.columns.begin(), pattern.columns.end());
  const auto n = static_cast<Eigen::Index>(pattern.rows);
  const Eigen::Map<const Eigen::SparseMatrix<double, Eigen::RowMajor, int>> matrix(
      n, n, static_cast<Eigen::Index>(values.size()), starts.data(), columns.data(), values.data());
  factors_->lu.compute(matrix);
  return factors_->lu.info() == Eigen::Success;
}

void IncompleteFactors::solve(const double* right, double* solution) const {
  const Eigen::Index n = factors_->lu.rows();
  Eigen::Map<Eigen::VectorXd>(solution, n) = factors_->lu.solve(Eigen::Map<const Eigen::VectorXd>(right, n));
}

}  // namespace boreon
