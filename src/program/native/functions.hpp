// SPDX-License-Identifier: MIT
// What machine code calls: the C library's functions for one number, its vector functions, and the catalogue's rules.
#pragma once

#include <cstddef>
#include <cstdint>

#include "boreon/program.hpp"

namespace boreon::native {

struct LibraryFunction {
  const void* one = nullptr;    ///< double (double) or double (double, double)
  const void* four = nullptr;   ///< the same on __m256d
  const void* eight = nullptr;  ///< the same on __m512d
};

enum class Sine : std::uint8_t { sine, cosine };

/// Of a call, a power; of a sine_cosine its half. Null where the library has none. The vector functions are those of
/// glibc's libmvec, good to 4 units in the last place.
[[nodiscard]] LibraryFunction library_function(OpCode op, std::uint16_t function, Sine half);

/// n calls of a row of the catalogue; NaN where it throws.
extern "C" void boreon_call_row(std::uint64_t function, std::uint64_t arity, const double* a, const double* b,
                                double* result, std::uint64_t n) noexcept;

}  // namespace boreon::native
