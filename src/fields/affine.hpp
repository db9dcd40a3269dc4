// SPDX-License-Identifier: MIT
// Whole numbers that go with the places of a box: constant + sum of factors[k]*r[k].
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

struct Affine {
  std::int64_t constant = 0;
  std::vector<std::int64_t> factors;  // by dimension
  std::int64_t divisor = 1;           // of all of it; 1 for whole numbers

  /// The only dimension it goes with; nothing for none or several.
  [[nodiscard]] std::optional<std::size_t> single() const;
  [[nodiscard]] bool is_constant() const;
};

/// Symbols of places beyond these stand for other indices while an expression is being made.
inline constexpr std::size_t most_dimensions_of_a_field = 16;

/// The symbol of a place by its dimension.
[[nodiscard]] Expr place_symbol(std::size_t dimension);
[[nodiscard]] std::optional<std::size_t> dimension_of_place(const Expr& e);
/// Whether places occur.
[[nodiscard]] bool depends_on_places(const Expr& e);

/// Nothing for what is no such number, or overflows.
[[nodiscard]] std::optional<Affine> affine_in_places(const Expr& e, std::size_t dimensions);
/// Least and greatest value, times the divisor, for from[k] <= r[k] <= to[k].
[[nodiscard]] std::pair<std::int64_t, std::int64_t> range_of(const Affine& a, std::span<const std::int64_t> from,
                                                             std::span<const std::int64_t> to);

/// Rounded towards minus infinity.
[[nodiscard]] constexpr std::int64_t floor_divide(std::int64_t a, std::int64_t b) {
  return a / b - ((a % b != 0 && (a < 0) != (b < 0)) ? 1 : 0);
}

}  // namespace boreon
