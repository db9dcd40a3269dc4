// SPDX-License-Identifier: MIT
#include "values/worst_entry.hpp"

#include <utility>

#include "boreon/text.hpp"

namespace boreon {

void keep_worst(Evidence& evidence, std::string entry, double derived, double reference, std::span<const Expr> leaves,
                std::span<const double> point) {
  evidence.worst_entry = std::move(entry);
  evidence.worst_derived = derived;
  evidence.worst_reference = reference;
  evidence.worst_point.clear();
  for (std::size_t i = 0; i < leaves.size(); ++i) evidence.worst_point.emplace_back(to_text(leaves[i]), point[i]);
}

}  // namespace boreon
