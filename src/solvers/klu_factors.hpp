// SPDX-License-Identifier: MIT
// Sparse factors of a square matrix, whose sizes of rows and columns do not decide about pivots.
#pragma once

#include <klu.h>

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "boreon/sparse_matrix.hpp"

namespace boreon {

/// Each entry times the size of its unknown; rows then by their largest entry.
struct ScaledRows {
  std::vector<double> entries;
  std::vector<double> rows;
  bool finite = true;

  ScaledRows(const SparsityPattern& p, const std::vector<double>& values, const std::vector<double>& columns)
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
};

/// Factors of a matrix kept by rows, which for the library are the columns of its transpose.
class KluFactors {
 public:
  KluFactors(std::vector<int> starts, std::vector<int> columns, std::vector<double> entries)
      : n_(static_cast<int>(starts.size()) - 1),
        starts_(std::move(starts)),
        columns_(std::move(columns)),
        entries_(std::move(entries)) {
    klu_defaults(&common_);
    symbolic_ = klu_analyze(n_, starts_.data(), columns_.data(), &common_);
    if (symbolic_ != nullptr)
      numeric_ = klu_factor(starts_.data(), columns_.data(), entries_.data(), symbolic_, &common_);
    if (numeric_ != nullptr && common_.status == KLU_OK &&
        klu_condest(starts_.data(), entries_.data(), symbolic_, numeric_, &common_) != 0)
      reciprocal_condition_ = 1 / common_.condest;
  }
  KluFactors(const SparsityPattern& p, std::vector<double> entries)
      : KluFactors({p.row_start.begin(), p.row_start.end()}, {p.columns.begin(), p.columns.end()}, std::move(entries)) {
  }
  KluFactors(const KluFactors&) = delete;
  KluFactors& operator=(const KluFactors&) = delete;
  ~KluFactors() {
    if (numeric_ != nullptr) klu_free_numeric(&numeric_, &common_);
    if (symbolic_ != nullptr) klu_free_symbolic(&symbolic_, &common_);
  }

  /// Zero if a pivot vanished; NaN, which no comparison lets through, if the estimate overflowed.
  [[nodiscard]] double reciprocal_condition() const { return reciprocal_condition_; }

  /// In place, `count` right sides one after the other.
  bool solve(std::vector<double>& right, int count = 1) {
    return klu_tsolve(symbolic_, numeric_, n_, count, right.data(), &common_) != 0;
  }
  bool solve_transposed(std::vector<double>& right) {
    return klu_solve(symbolic_, numeric_, n_, 1, right.data(), &common_) != 0;
  }

 private:
  int n_;
  std::vector<int> starts_;
  std::vector<int> columns_;
  std::vector<double> entries_;
  klu_common common_{};
  klu_symbolic* symbolic_ = nullptr;
  klu_numeric* numeric_ = nullptr;
  double reciprocal_condition_ = 0;
};

}  // namespace boreon
