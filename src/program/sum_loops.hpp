// SPDX-License-Identifier: MIT
// Loops that add up entries.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "boreon/program.hpp"

namespace boreon {

/// Appends stretches of one length to the columns: part r of the list is list[r], list[r + rows], list[r + 2*rows],
/// ..., so that neighbouring parts read neighbouring places. Returns `rows`; what is left at the end belongs to no
/// part.
std::size_t cut_into_columns(std::span<const std::uint32_t> list, std::vector<std::vector<std::uint32_t>>& columns);

/// A loop in whose row r the entries columns[0][r], columns[1][r], ... of one group are added up, by halves, and go to
/// entry to[r] of another.
[[nodiscard]] RowLoop sum_loop(std::vector<std::vector<std::uint32_t>> columns, std::uint32_t from, std::uint32_t group,
                               std::vector<std::uint32_t> to);

}  // namespace boreon
