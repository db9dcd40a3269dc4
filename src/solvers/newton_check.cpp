// SPDX-License-Identifier: MIT
#include "solvers/newton_check.hpp"

#include <Eigen/Dense>
#include <Eigen/SparseLU>
#include <algorithm>
#include <cmath>
#include <limits>

namespace boreon {
namespace {

constexpr std::size_t dense_limit = 400;
constexpr double singular =
    1e-15;  // reciprocal condition of a matrix of which rounding alone keeps the pivots from zero

// Each entry times the size of its unknown; rows then by their largest entry.
struct Scaled {
  std::vector<double> entries;
  std::vector<double> rows;
  bool finite = true;

  Scaled(const SparsityPattern& p, const std::vector<double>& values, const std::vector<double>& columns)
      : entries(values.size()), rows(p.rows, 0.0) {
    for (std::size_t i = 0; i < p.rows; ++i) {
      for (auto k = static_cast<std::size_t>(p.row_start[i]); k < static_cast<std::size_t>(p.row_start[i + 1]); ++k) {
        entries[k] = values[k] * columns[static_cast<std::size_t>(p.columns[k])];
        finite = finite && std::isfinite(entries[k]);
        rows[i] = std::max(rows[i], std::fabs(entries[k]));
      }
      if (rows[i] == 0) rows[i] = 1;
      for (auto k = static_cast<std::size_t>(p.row_start[i]); k < static_cast<std::size_t>(p.row_start[i + 1]); ++k)
        entries[k] /= rows[i];
    }
  }

  [[nodiscard]] Eigen::MatrixXd dense(const SparsityPattern& p) const {
    Eigen::MatrixXd m = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(p.rows), static_cast<Eigen::Index>(p.cols));
    for (std::size_t i = 0; i < p.rows; ++i) {
      for (auto k = static_cast<std::size_t>(p.row_start[i]); k < static_cast<std::size_t>(p.row_start[i + 1]); ++k)
        m(static_cast<Eigen::Index>(i), p.columns[k]) = entries[k];
    }
    return m;
  }
};

}  // namespace

std::optional<NewtonStep> newton_step(const SparsityPattern& pattern, const std::vector<double>& values,
                                      const std::vector<double>& f, const std::vector<double>& magnitudes,
                                      const std::vector<double>& columns) {
  const Scaled scaled(pattern, values, columns);
  if (!scaled.finite) return std::nullopt;
  const auto n = static_cast<Eigen::Index>(pattern.rows);
  // The residuals, and roundings of their terms with three patterns of signs.
  Eigen::MatrixXd right(n, 4);
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto at = static_cast<std::size_t>(i);
    right(i, 0) = f[at] / scaled.rows[at];
    const double rounding = std::numeric_limits<double>::epsilon() * magnitudes[at] / scaled.rows[at];
    right(i, 1) = rounding;
    right(i, 2) = i % 2 == 0 ? rounding : -rounding;
    right(i, 3) = i / 2 % 2 == 0 ? rounding : -rounding;
  }
  Eigen::MatrixXd d;
  if (pattern.rows <= dense_limit) {
    const Eigen::PartialPivLU<Eigen::MatrixXd> lu(scaled.dense(pattern));
    const auto pivots = lu.matrixLU().diagonal().cwiseAbs();
    if (!(pivots.minCoeff() > 0) || !(lu.rcond() > singular)) return std::nullopt;
    d = lu.solve(right);
  } else {
    std::vector<Eigen::Triplet<double>> entries;
    entries.reserve(values.size());
    for (std::size_t i = 0; i < pattern.rows; ++i) {
      for (auto k = static_cast<std::size_t>(pattern.row_start[i]);
           k < static_cast<std::size_t>(pattern.row_start[i + 1]); ++k) {
        entries.emplace_back(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(pattern.columns[k]),
                             scaled.entries[k]);
      }
    }
    Eigen::SparseMatrix<double> m(n, n);
    m.setFromTriplets(entries.begin(), entries.end());
    Eigen::SparseLU<Eigen::SparseMatrix<double>> lu;
    lu.compute(m);
    if (lu.info() != Eigen::Success) return std::nullopt;
    d = lu.solve(right);
  }
  if (!d.allFinite()) return std::nullopt;
  NewtonStep result;
  for (Eigen::Index i = 0; i < n; ++i) {
    const double size = columns[static_cast<std::size_t>(i)];
    result.step.push_back(d(i, 0) * size);
    result.noise.push_back(d.row(i).tail(3).cwiseAbs().maxCoeff() * size);
  }
  return result;
}

Dependence dependence(const SparsityPattern& pattern, const std::vector<double>& values,
                      const std::vector<double>& columns) {
  Dependence result;
  if (pattern.rows > dense_limit || pattern.rows == 0) return result;
  const Scaled scaled(pattern, values, columns);
  if (!scaled.finite) return result;
  // The factorisation is cheap and settles all but nearly singular ones.
  const Eigen::MatrixXd matrix = scaled.dense(pattern);
  const Eigen::PartialPivLU<Eigen::MatrixXd> lu(matrix);
  if (lu.matrixLU().diagonal().cwiseAbs().minCoeff() > 0 && lu.rcond() > 1e-9) return result;
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(matrix, Eigen::ComputeFullV | Eigen::ComputeFullU);
  const Eigen::Index last = static_cast<Eigen::Index>(pattern.rows) - 1;
  if (svd.singularValues()(last) > 1e-11 * svd.singularValues()(0)) return result;
  for (Eigen::Index i = 0; i <= last; ++i) {
    if (std::fabs(svd.matrixV()(i, last)) > 0.05) result.unknowns.push_back(static_cast<std::size_t>(i));
    if (std::fabs(svd.matrixU()(i, last)) > 0.05) result.equations.push_back(static_cast<std::size_t>(i));
  }
  return result;
}

}  // namespace boreon
