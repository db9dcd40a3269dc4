// SPDX-License-Identifier: MIT
// Numbers for other starts and for points around: the same on every machine, which distributions of the library are not.
#pragma once

#include <random>

namespace boreon {

/// Between -1 and 1.
[[nodiscard]] inline double either_side(std::mt19937_64& random) {
  return static_cast<double>(random() >> 11U) * 0x1.0p-52 - 1;
}

}  // namespace boreon
