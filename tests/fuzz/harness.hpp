// SPDX-License-Identifier: MIT
// What all harnesses share: a small budget of work, and errors as the only way to fail.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>

#include "boreon/error.hpp"
#include "boreon/work.hpp"

namespace fuzz {

/// Carries out `f` within the budget; an Error is an answer, everything else is a fault that the fuzzer sees.
inline void within_budget(std::uint64_t units, const std::function<void()>& f) {
  try {
    boreon::with_budget(units, f);
  } catch (const boreon::Error&) {  // an answer
  }
}

inline std::string_view text_of(const std::uint8_t* data, std::size_t size) {
  return {reinterpret_cast<const char*>(data), size};
}

[[noreturn]] inline void fault() { __builtin_trap(); }

}  // namespace fuzz
