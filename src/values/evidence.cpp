// SPDX-License-Identifier: MIT
#include "boreon/evidence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace boreon {

double agreeing_digits(double apart, double size) noexcept {
  constexpr double most = 15;
  if (apart == 0) return most;
  const double digits = -std::log10(apart / size);
  return std::isnan(digits) ? 0 : std::clamp(digits, 0.0, most);
}

const char* to_string(Verdict v) noexcept {
  switch (v) {
    case Verdict::agrees: return "agrees";
    case Verdict::disagrees: return "disagrees";
    case Verdict::untested: return "untested";
  }
  return "untested";
}

std::string Evidence::to_string() const {
  if (verdict == Verdict::untested && entries == 0) return "untested: there is no entry to compare";
  if (verdict == Verdict::untested)
    return fmt::format("untested: no point was found where the {} could be compared",
                       entries == 1 ? "derivative" : "entries");
  std::string text = fmt::format("{} to {:.1f} digits at {} points ({})",
                                 verdict == Verdict::agrees ? "agrees" : "DISAGREES: only", digits, points, method);
  if (verdict == Verdict::disagrees) {
    text += fmt::format("; worst: {} derived {:.10g}, independent {:.10g}, at ", worst_entry, worst_derived,
                        worst_reference);
    for (std::size_t i = 0; i < worst_point.size() && i < 8; ++i)
      text += fmt::format("{}{} = {:.6g}", i > 0 ? ", " : "", worst_point[i].first, worst_point[i].second);
    if (worst_point.size() > 8) text += ", ...";
  }
  if (skipped > 0) text += fmt::format("; {} entries could be compared at no point", skipped);
  return text;
}

}  // namespace boreon
