// SPDX-License-Identifier: MIT
// All places of a box, one after the other.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace boreon {

/// f(place, number of the place), the last dimension running fastest.
template <class F>
void for_each_place(std::span<const std::int64_t> from, std::span<const std::int64_t> to, const F& f) {
  std::vector<std::int64_t> place(from.begin(), from.end());
  for (std::size_t number = 0;; ++number) {
    f(std::span<const std::int64_t>(place), number);
    std::size_t k = place.size();
    while (k > 0 && place[k - 1] == to[k - 1]) {
      place[k - 1] = from[k - 1];
      --k;
    }
    if (k == 0) return;
    ++place[k - 1];
  }
}

/// base + sum of strides[k]*place[k].
[[nodiscard]] inline std::int64_t number_at(std::int64_t base, std::span<const std::int64_t> strides,
                                            std::span<const std::int64_t> place) {
  for (std::size_t k = 0; k < strides.size(); ++k) base += strides[k] * place[k];
  return base;
}

}  // namespace boreon
