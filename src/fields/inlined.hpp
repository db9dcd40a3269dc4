// SPDX-License-Identifier: MIT
// Equations in the places of their rows: sizes as numbers, formulas put in, short sums written out.
#pragma once

#include <vector>

#include "arrays/write_out.hpp"
#include "fields/layout.hpp"

namespace boreon {

class Inliner {
 public:
  static constexpr std::int64_t longest_body_sum = 64;  ///< terms; longer ones become loops
  /// `places` are the ranges of the places that stand in `values`.
  Inliner(const FieldSystem& system, const FieldLayout& layout, std::int64_t longest = longest_body_sum,
          std::span<const Extent> places = {})
      : system_(system), layout_(layout), longest_(longest), places_(places) {}
  /// Indices stand for what `values` gives. Sums of more terms than a body should have stay.
  [[nodiscard]] Expr operator()(const Expr& e, const WriteOut::Numbers& values);

 private:
  Expr element_of(const Expr& head, std::span<const Expr> indices);
  Expr member(const FieldFormula& f, std::size_t k, std::span<const Expr> places, WriteOut::Numbers values);
  [[nodiscard]] std::pair<std::int64_t, std::int64_t> wraps_of(const Expr& place, const Extent& range) const;
  [[nodiscard]] Expr plain_names(const Expr& e);

  const FieldSystem& system_;
  const FieldLayout& layout_;
  std::int64_t longest_;
  std::span<const Extent> places_;
  int depth_ = 0;
};

}  // namespace boreon
