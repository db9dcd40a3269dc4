// SPDX-License-Identifier: MIT
// Sums too long for a body become arrays of their own, computed by nests of their own.
#pragma once

#include <map>
#include <utility>
#include <vector>

#include "boreon/traverse.hpp"
#include "fields/layout.hpp"

namespace boreon {

class SumPlanner {
 public:
  SumPlanner(const FieldLayout& layout, std::vector<FieldSum>& sums) : layout_(layout), sums_(sums) {}
  /// The entry of a reduction in the places of these dimensions; the sum is planned if it is met for the first time.
  /// Throws Error(unsupported) where its range depends on a place.
  [[nodiscard]] FieldEntry entry(const Expr& reduction, std::span<const Extent> dimensions);

 private:
  [[nodiscard]] static Expr with_inner_sums(Expr body, std::vector<std::pair<Expr, Expr>>& names,
                                            std::vector<Extent>& all, std::size_t free);
  [[nodiscard]] std::size_t plan(const Expr& body, ReductionOp op, std::span<const Extent> all, std::size_t free);

  const FieldLayout& layout_;
  std::vector<FieldSum>& sums_;
  struct Known {
    Expr body;
    ReductionOp op;
    std::vector<Extent> all;
    std::size_t free;
    std::size_t number;
  };
  std::vector<Known> known_;
  int depth_ = 0;
};

}  // namespace boreon
