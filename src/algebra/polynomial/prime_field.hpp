// SPDX-License-Identifier: MIT
// Arithmetic modulo a prime below 2^62.
#pragma once

#include <cstdint>

namespace boreon::poly {

using Residue = std::uint64_t;

class PrimeField {
 public:
  explicit PrimeField(Residue p) : p_(p), inverse_(1.0L / static_cast<long double>(p)) {}
  [[nodiscard]] Residue prime() const noexcept { return p_; }
  [[nodiscard]] Residue add(Residue a, Residue b) const noexcept {
    const Residue s = a + b;
    return s >= p_ ? s - p_ : s;
  }
  [[nodiscard]] Residue sub(Residue a, Residue b) const noexcept { return a >= b ? a - b : a + p_ - b; }
  [[nodiscard]] Residue neg(Residue a) const noexcept { return a == 0 ? 0 : p_ - a; }
  /// The quotient in extended precision is off by one at most; the remainder is taken modulo 2^64.
  [[nodiscard]] Residue mul(Residue a, Residue b) const noexcept {
    const auto q = static_cast<Residue>(static_cast<long double>(a) * static_cast<long double>(b) * inverse_);
    auto r = static_cast<std::int64_t>(a * b - q * p_);
    if (r < 0) r += static_cast<std::int64_t>(p_);
    const auto u = static_cast<Residue>(r);
    return u >= p_ ? u - p_ : u;
  }
  [[nodiscard]] Residue pow(Residue a, std::uint64_t n) const noexcept {
    Residue r = 1;
    for (; n != 0; n >>= 1U) {
      if ((n & 1U) != 0) r = mul(r, a);
      a = mul(a, a);
    }
    return r;
  }
  [[nodiscard]] Residue inv(Residue a) const noexcept { return pow(a, p_ - 2); }
  /// The representative between -p/2 and p/2.
  [[nodiscard]] std::int64_t balanced(Residue a) const noexcept {
    return a > p_ / 2 ? static_cast<std::int64_t>(a) - static_cast<std::int64_t>(p_) : static_cast<std::int64_t>(a);
  }

 private:
  Residue p_;
  long double inverse_;
};

/// The k-th of a fixed sequence of primes just below 2^61, without end.
[[nodiscard]] Residue large_prime(unsigned k);
/// The smallest prime above n.
[[nodiscard]] Residue next_prime(Residue n);

/// Reproducible pseudo-random numbers for evaluation points (splitmix64).
class Dice {
 public:
  explicit Dice(std::uint64_t seed) : state_(seed) {}
  std::uint64_t operator()() {
    std::uint64_t x = (state_ += 0x9e3779b97f4a7c15U);
    x = (x ^ (x >> 30U)) * 0xbf58476d1ce4e5b9U;
    x = (x ^ (x >> 27U)) * 0x94d049bb133111ebU;
    return x ^ (x >> 31U);
  }
  std::uint64_t below(std::uint64_t n) { return (*this)() % n; }

 private:
  std::uint64_t state_;
};

}  // namespace boreon::poly
