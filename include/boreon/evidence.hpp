// SPDX-License-Identifier: MIT
// What a check found: the same kind of evidence for every kind of answer.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

enum class Verdict : std::uint8_t { agrees, disagrees, untested };
[[nodiscard]] const char* to_string(Verdict v) noexcept;

/// Decimal digits, from 0 to 15, to which two numbers of this size agree that are so far apart; 0 where either is not a
/// number.
[[nodiscard]] double agreeing_digits(double apart, double size = 1) noexcept;

/// What a check found.
struct Evidence {
  std::string method;
  std::size_t points = 0;      ///< points at which something could be compared
  std::size_t entries = 0;     ///< entries compared
  std::size_t skipped = 0;     ///< entries that could be compared at no point
  double digits = 0;           ///< smallest number of decimal digits to which an entry agrees, at most 15
  std::string worst_entry;     ///< the entry with the fewest digits
  double worst_derived = 0;    ///< its value as derived
  double worst_reference = 0;  ///< its value by independent numerics
  std::vector<std::pair<std::string, double>> worst_point;
  Verdict verdict = Verdict::untested;
  [[nodiscard]] std::string to_string() const;
};

}  // namespace boreon
