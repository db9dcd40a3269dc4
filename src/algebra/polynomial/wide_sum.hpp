// SPDX-License-Identifier: MIT
// Sums of products of machine words, exact beyond 64 bits.
#pragma once

#include "algebra/polynomial/integer.hpp"

namespace boreon::poly {

__extension__ using Wide = __int128;
__extension__ using UWide = unsigned __int128;

inline mpz_class to_mpz(Wide v) {
  const UWide m = v < 0 ? UWide{0} - static_cast<UWide>(v) : static_cast<UWide>(v);
  mpz_class r(static_cast<unsigned long>(m >> 64U));
  r <<= 64;
  r += static_cast<unsigned long>(m);
  return v < 0 ? mpz_class(-r) : r;
}

struct Sum128 {
  Wide value = 0;
  void add_product(std::int64_t a, std::int64_t b) { value += static_cast<Wide>(a) * b; }
  [[nodiscard]] bool is_zero() const { return value == 0; }
  [[nodiscard]] Integer integer() const {
    if (value >= -(Wide{1} << 62) && value < (Wide{1} << 62)) return {static_cast<std::int64_t>(value)};
    return Integer(to_mpz(value));
  }
};

/// Never overflows: the low half of each product and the high half are summed apart.
struct Sum192 {
  UWide low = 0;
  Wide high = 0;
  void add_product(std::int64_t a, std::int64_t b) {
    const Wide p = static_cast<Wide>(a) * b;
    low += static_cast<std::uint64_t>(p);
    high += p >> 64;
  }
  void subtract_product(std::int64_t a, std::int64_t b) { add_product(-a, b); }
  [[nodiscard]] bool is_zero() const {
    return high + static_cast<Wide>(low >> 64U) == 0 && static_cast<std::uint64_t>(low) == 0;
  }
  [[nodiscard]] Integer integer() const {
    const Wide top = high + static_cast<Wide>(low >> 64U);
    if ((top == 0 || top == -1)) {  // one word with its sign
      const auto word = static_cast<std::int64_t>(static_cast<std::uint64_t>(low));
      if ((word < 0) == (top < 0)) return {word};
    }
    return big();
  }
  [[nodiscard]] Integer big() const {
    return Integer(mpz_class((to_mpz(high) << 64U) + (mpz_class(to_mpz(static_cast<Wide>(low >> 1U)) * 2) +
                                                      static_cast<unsigned long>(low & 1U))));
  }
};

}  // namespace boreon::poly
