// SPDX-License-Identifier: MIT
// Where along each dimension an equation changes: conditions on places, wrapped indices, places with equations of their
// own.
#pragma once

#include <set>
#include <vector>

#include "fields/affine.hpp"
#include "fields/layout.hpp"

namespace boreon {

/// A first place of an interval, by dimension.
class Cuts {
 public:
  explicit Cuts(std::span<const Extent> dimensions);
  /// Places from..to of a dimension are told apart from the others.
  void interval(std::size_t dimension, std::int64_t from, std::int64_t to);
  /// All conditions on one place and all wraps in an expression.
  void add(const Expr& e, const FieldLayout& layout);

  struct Interval {
    std::int64_t from;
    std::int64_t to;
  };
  [[nodiscard]] const std::vector<Extent>& dimensions() const { return dimensions_; }
  [[nodiscard]] std::vector<Interval> intervals(std::size_t dimension) const;

 private:
  void at(std::size_t dimension, std::int64_t place);
  void relation(const Expr& e);
  void wraps(const Expr& element, const FieldLayout& layout);
  std::vector<Extent> dimensions_;
  std::vector<std::set<std::int64_t>> starts_;
};

/// All products of intervals. Throws Error(unsupported) where they are too many; `what` names them.
[[nodiscard]] std::vector<FieldBox> boxes_of(const Cuts& cuts, const std::string& what);

}  // namespace boreon
