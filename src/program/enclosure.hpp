// SPDX-License-Identifier: MIT
// Programs over boxes: intervals that surely hold the outputs wherever in a box the inputs are.
#pragma once

#include <vector>

#include "boreon/program.hpp"

namespace boreon {

/// The real numbers from low to high. Operations round outwards.
struct RealInterval {
  double low = 0;
  double high = 0;

  [[nodiscard]] bool contains(double v) const { return low <= v && v <= high; }
  [[nodiscard]] bool finite() const;
  [[nodiscard]] double middle() const { return low + 0.5 * (high - low); }
  [[nodiscard]] double width() const { return high - low; }
};
[[nodiscard]] RealInterval operator+(const RealInterval& a, const RealInterval& b);
[[nodiscard]] RealInterval operator-(const RealInterval& a, const RealInterval& b);
[[nodiscard]] RealInterval operator*(const RealInterval& a, const RealInterval& b);

struct Enclosed {
  std::vector<std::vector<RealInterval>> outputs;  ///< infinite where nothing is known
  bool outside = false;                            ///< nowhere in the box do all operations have a real value
};

/// Evaluation in ball arithmetic; conditions that are not the same all over the box, and functions without rigorous
/// evaluation, leave their outputs infinite. Constants of the program count as exact.
[[nodiscard]] Enclosed enclose(const Program& program, const std::vector<std::vector<RealInterval>>& inputs);

}  // namespace boreon
