// SPDX-License-Identifier: MIT
// How often each of a few numbers occurs.
#pragma once

#include <algorithm>
#include <cstdint>
#include <utility>
#include <vector>

namespace boreon {

class Tally {
 public:
  void clear() { counts_.clear(); }
  void add(double value) {
    const auto known = std::find_if(counts_.begin(), counts_.end(), [&](const auto& c) { return c.first == value; });
    if (known != counts_.end()) {
      ++known->second;
    } else {
      counts_.emplace_back(value, 1);
    }
  }
  [[nodiscard]] std::size_t values() const { return counts_.size(); }
  /// The number that occurs most often, of equals the first, and how often. There must be one.
  [[nodiscard]] std::pair<double, std::uint32_t> most() const {
    return *std::max_element(counts_.begin(), counts_.end(),
                             [](const auto& x, const auto& y) { return x.second < y.second; });
  }

 private:
  std::vector<std::pair<double, std::uint32_t>> counts_;
};

}  // namespace boreon
