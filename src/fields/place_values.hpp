// SPDX-License-Identifier: MIT
// Whole numbers that expressions in places have at each place of a box: indices found in arrays.
#pragma once

#include <cstdint>
#include <functional>
#include <span>

#include "fields/layout.hpp"

namespace boreon {

class PlaceValues {
 public:
  explicit PlaceValues(const FieldLayout& layout) : layout_(layout) {}
  /// f(number of the place, value), the last dimension running fastest. Throws Error(shape) where the value is no whole
  /// number that is known now.
  void each(const Expr& e, std::span<const std::int64_t> from, std::span<const std::int64_t> to,
            const std::function<void(std::size_t, std::int64_t)>& f) const;

 private:
  [[nodiscard]] double value(const Expr& e, std::span<const std::int64_t> place) const;
  const FieldLayout& layout_;
};

}  // namespace boreon
