// SPDX-License-Identifier: MIT
// How many random cases a search takes: the usual number, the full one that is asked for, few under sanitizers.
#pragma once

#include <cstdlib>

namespace test {

/// `full` where the environment variable BOREON_FULL_TESTS is set.
inline int cases([[maybe_unused]] int usual, [[maybe_unused]] int full, [[maybe_unused]] int sanitized) {
#if defined(BOREON_SANITIZES_ADDRESSES)
  return sanitized;
#else
  return std::getenv("BOREON_FULL_TESTS") != nullptr ? full : usual;
#endif
}

}  // namespace test
