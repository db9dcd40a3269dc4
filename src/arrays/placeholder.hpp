// SPDX-License-Identifier: MIT
// The open and bound indices of whole arrays: symbols of their own, k1, k2, ..., which no text can name.
#pragma once

#include <cstddef>
#include <span>
#include <utility>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

[[nodiscard]] Expr placeholder(std::size_t number);
[[nodiscard]] bool is_placeholder(const Expr& e);
/// The highest number of a placeholder in these; 0 if there is none.
[[nodiscard]] std::size_t last_placeholder(std::span<const Expr> expressions);
/// Symbols, or other nodes, replaced where they stand, bound ones too; all at once.
[[nodiscard]] Expr renamed(const Expr& e, std::span<const std::pair<Expr, Expr>> names);
/// Every placeholder kN as k(N + by).
[[nodiscard]] Expr shifted(const Expr& e, std::size_t by);
/// Whether these are known to be equal: by number, or in all symbols.
[[nodiscard]] bool same_extent(const Expr& a, const Expr& b);
/// Short text of an extent: whole numbers, symbols, sums of their multiples.
[[nodiscard]] std::string extent_text(const Expr& e);

}  // namespace boreon
