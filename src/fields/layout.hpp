// SPDX-License-Identifier: MIT
// Arrays of a system with numbers for their sizes, and where their elements stand.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/fields.hpp"

namespace boreon {

/// An index or a dimension in numbers, ends included.
struct Extent {
  std::int64_t from = 0;
  std::int64_t to = 0;
  bool periodic = false;
  std::string name = {};  // of the index that counts it
  [[nodiscard]] std::int64_t places() const { return to - from + 1; }
  friend bool operator==(const Extent& a, const Extent& b) {
    return a.from == b.from && a.to == b.to && a.periodic == b.periodic;
  }
};

struct ArrayLayout {
  std::string name;
  Expr head;
  std::size_t array = 0;   ///< the state, or 1 + number of the data
  std::int64_t start = 0;  ///< of the first element in the array
  std::vector<Extent> dimensions;
  std::vector<std::int64_t> strides;  ///< the last index runs fastest
  const std::vector<double>* values = nullptr;
  [[nodiscard]] std::int64_t elements() const;
};

class FieldLayout {
 public:
  /// Throws Error(shape) where an end is no number, a range is empty, or values do not fill their array.
  FieldLayout(const FieldSystem& system, const FieldSizes& sizes);

  /// Whose rows are computed: results, or the unknowns.
  [[nodiscard]] std::span<const ArrayLayout> targets() const {
    return results_.empty() ? std::span<const ArrayLayout>(arrays_.data(), unknowns_) : results_;
  }
  [[nodiscard]] std::int64_t rows() const { return results_.empty() ? columns_ : rows_; }
  [[nodiscard]] std::int64_t columns() const { return columns_; }  ///< of the state
  /// The state and the data.
  [[nodiscard]] std::size_t arrays() const { return 1 + arrays_.size() - unknowns_; }
  [[nodiscard]] const ArrayLayout* find(const Expr& head) const;
  [[nodiscard]] const Extent* index(const Expr& symbol) const;
  [[nodiscard]] Extent extent(const IndexRange& range, const std::string& what) const;
  [[nodiscard]] std::int64_t number(const Expr& e, const std::string& what) const;
  /// Sizes as values of symbols.
  [[nodiscard]] const std::vector<std::pair<Expr, Expr>>& sizes() const { return sizes_; }

 private:
  [[nodiscard]] ArrayLayout layout(const Field& f, std::int64_t& start) const;
  std::vector<std::pair<Expr, Expr>> sizes_;
  std::vector<std::pair<Expr, Extent>> indices_;
  std::vector<ArrayLayout> arrays_;
  std::vector<ArrayLayout> results_;
  std::size_t unknowns_ = 0;
  std::int64_t columns_ = 0;
  std::int64_t rows_ = 0;  // of the results
};

}  // namespace boreon
