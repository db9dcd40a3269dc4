// Loops that add up entries.
#pragma once

#include <cstdint>
#include <vector>

#include "boreon/program.hpp"

namespace boreon {

/// A loop in whose row r the entries columns[0][r], columns[1][r], ... of one group are added up, by halves, and go to
/// entry to[r] of another.
[[nodiscard]] RowLoop sum_loop(std::vector<std::vector<std::uint32_t>> columns, std::uint32_t from, std::uint32_t group, std::vector<std::uint32_t> to);

}  // namespace boreon
