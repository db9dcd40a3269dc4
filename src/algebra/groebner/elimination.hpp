// SPDX-License-Identifier: MIT
// Rows of a sparse matrix modulo a prime, reduced one after the other.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "algebra/polynomial/work.hpp"

namespace boreon::poly {

/// Spans must outlive it. The prime is below 2^31, so that products are subtracted from sums below its square.
class RowElimination {
 public:
  RowElimination(std::uint32_t prime, std::size_t columns)
      : prime_(prime), square_(std::int64_t{prime} * prime), pivots_(columns), used_(columns, 0), dense_(columns, 0) {}

  /// A row with leading coefficient 1.
  void pivot(std::span<const std::uint32_t> columns, std::span<const std::uint32_t> values) {
    pivots_[columns[0]] = {columns, values};
  }
  [[nodiscard]] bool used(std::size_t column) const { return used_[column] != 0; }

  /// Subtracts multiples of the pivots from a row; what is left, as columns with their values. With `keep_first` the
  /// leading term stays and only those after it are reduced.
  void reduce(std::span<const std::uint32_t> columns, std::span<const std::uint32_t> values, bool keep_first,
              std::vector<std::uint32_t>& left, std::vector<std::uint32_t>& left_values) {
    for (std::size_t i = 0; i < columns.size(); ++i) dense_[columns[i]] = values[i];
    left.clear();
    left_values.clear();
    std::size_t c = columns[0];
    std::uint64_t work = dense_.size() - c;
    if (keep_first) {
      left.push_back(columns[0]);
      left_values.push_back(values[0]);
      dense_[c++] = 0;
    }
    for (; c < dense_.size(); ++c) {
      if (dense_[c] == 0) continue;
      const auto v = static_cast<std::uint32_t>(dense_[c] % prime_);
      dense_[c] = 0;
      if (v == 0) continue;
      const Pivot& p = pivots_[c];
      if (p.columns.empty()) {
        left.push_back(static_cast<std::uint32_t>(c));
        left_values.push_back(v);
        continue;
      }
      used_[c] = 1;
      work += p.columns.size();
      subtract(p, v);
    }
    charge(work);
  }

 private:
  struct Pivot {
    std::span<const std::uint32_t> columns;
    std::span<const std::uint32_t> values;
  };

  void subtract(const Pivot& p, std::int64_t factor) {
    const std::size_t n = p.columns.size();
    const std::uint32_t* const at = p.columns.data();
    const std::uint32_t* const by = p.values.data();
    for (std::size_t k = 1; k < n; ++k) {
      std::int64_t t = dense_[at[k]] - factor * by[k];
      t += (t >> 63) & square_;
      dense_[at[k]] = t;
    }
  }

  std::uint32_t prime_;
  std::int64_t square_;
  std::vector<Pivot> pivots_;
  std::vector<char> used_;
  std::vector<std::int64_t> dense_;
};

}  // namespace boreon::poly
