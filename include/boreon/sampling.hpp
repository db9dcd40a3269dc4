// SPDX-License-Identifier: MIT
// Random points that respect assumptions and ranges, for checks by numbers.
#pragma once

#include <complex>
#include <cstdint>
#include <limits>
#include <map>
#include <optional>
#include <random>
#include <span>
#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

/// Where a variable is sampled.
struct SampleRange {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
  double typical = std::numeric_limits<double>::quiet_NaN();  ///< a value like those to expect, if known
};
using SampleRanges = std::map<std::string, SampleRange, std::less<>>;  ///< by name of the symbol, or text of the call

/// Free symbols and calls of unknown functions: what needs a value.
[[nodiscard]] std::vector<Expr> sampled_leaves(std::span<const Expr> expressions);

/// Whether a condition holds, by its form, else by its numbers in double precision (3*pi/2 < 1 keeps its form); nothing
/// where that is not known, because symbols stand in it. A relation without real values, such as sqrt(-1) > 0, does not
/// hold.
[[nodiscard]] std::optional<bool> known_truth(const Expr& condition);
/// Whether a condition is known not to hold.
[[nodiscard]] bool is_false(const Expr& condition);

/// Draws values for leaves; the same seed gives the same points on every machine.
class Sampler {
 public:
  /// `leaves` and `ranges` have to outlive the sampler; a symbol without a range is sampled by its assumptions.
  Sampler(std::span<const Expr> leaves, const SampleRanges& ranges, std::uint64_t seed)
      : leaves_(leaves), ranges_(ranges), random_(seed) {}
  [[nodiscard]] std::vector<double> draw();
  /// A point that makes none of the conditions false, looked for further and further out; empty if none is found.
  /// Their symbols are leaves.
  [[nodiscard]] std::vector<double> draw(std::span<const Expr> conditions);
  [[nodiscard]] double uniform(double low, double high);

 private:
  [[nodiscard]] double one(const Expr& leaf);
  std::span<const Expr> leaves_;
  const SampleRanges& ranges_;
  std::mt19937_64 random_;
  double scale_ = 1;  // of what has no range
};

}  // namespace BOREON_API
