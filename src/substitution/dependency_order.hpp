// SPDX-License-Identifier: MIT
// Ordering of things that use each other.
#pragma once

#include <cstddef>
#include <vector>

namespace boreon {

struct DependencyOrder {
  std::vector<std::size_t> order;   ///< everything after what it uses; empty if there is a circle
  std::vector<std::size_t> circle;  ///< a, b, c, a when a uses b, b uses c and c uses a; empty if there is none
};

/// Depth-first order with an explicit stack. `uses[i]` lists what thing i uses. O(things and uses).
[[nodiscard]] DependencyOrder dependency_order(const std::vector<std::vector<std::size_t>>& uses);

}  // namespace boreon
