// SPDX-License-Identifier: MIT
// Hashing by content: the same expression hashes alike on every run and machine, so canonical order is reproducible.
#pragma once

#include <cstdint>
#include <string_view>

namespace boreon {

/// Finaliser of splitmix64 (Steele, Lea, Flood 2014): every input bit reaches every output bit.
[[nodiscard]] constexpr std::uint64_t mix(std::uint64_t x) noexcept {
  x += 0x9e3779b97f4a7c15U;
  x = (x ^ (x >> 30U)) * 0xbf58476d1ce4e5b9U;
  x = (x ^ (x >> 27U)) * 0x94d049bb133111ebU;
  return x ^ (x >> 31U);
}

[[nodiscard]] constexpr std::uint64_t hash_combine(std::uint64_t h, std::uint64_t v) noexcept {
  h ^= v + 0x9e3779b97f4a7c15U + (h << 6U) + (h >> 2U);
  h *= 0xd6e8feb86659fd93U;
  return h ^ (h >> 32U);
}

[[nodiscard]] constexpr std::uint64_t hash_text(std::string_view text) noexcept {
  std::uint64_t h = 0xcbf29ce484222325U;  // FNV-1a
  for (const char c : text) h = (h ^ static_cast<unsigned char>(c)) * 0x100000001b3U;
  return mix(h);
}

}  // namespace boreon
