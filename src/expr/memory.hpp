// SPDX-License-Identifier: MIT
// What the process occupies.
#pragma once

#include <cstdint>

namespace boreon {

/// Bytes of memory that belong to the process now; 0 where the system does not tell. Takes some microseconds.
[[nodiscard]] std::uint64_t occupied_bytes() noexcept;

}  // namespace boreon
