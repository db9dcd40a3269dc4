// SPDX-License-Identifier: MIT
// Operands as keys.
#pragma once

#include <cstdint>

#include "boreon/program.hpp"

namespace boreon {

/// An operand as one number: its space (for inputs the group) above, its index below. Neighbours in a group are
/// neighbours here.
[[nodiscard]] constexpr std::uint64_t packed(Operand o) {
  return (static_cast<std::uint64_t>(o.space) << 32U) | o.index;
}

}  // namespace boreon
