// SPDX-License-Identifier: MIT
#include "fields/affine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <numeric>

#include "algebra/linear_terms.hpp"
#include "arrays/placeholder.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

// Far beyond the open indices of any whole array.
constexpr std::size_t first_place = 1'000'000'000;
// Products of a place and a factor stay far from the end of 64 bits.
constexpr std::int64_t largest = std::int64_t{1} << 40;

}  // namespace

std::optional<std::size_t> Affine::single() const {
  std::optional<std::size_t> at;
  for (std::size_t k = 0; k < factors.size(); ++k) {
    if (factors[k] == 0) continue;
    if (at) return std::nullopt;
    at = k;
  }
  return at;
}

bool Affine::is_constant() const {
  return std::all_of(factors.begin(), factors.end(), [](std::int64_t f) { return f == 0; });
}

Expr place_symbol(std::size_t dimension) { return placeholder(first_place + dimension); }

std::optional<std::size_t> dimension_of_place(const Expr& e) {
  if (!is_placeholder(e)) return std::nullopt;
  std::size_t n = 0;
  const std::string& name = e.name();
  std::from_chars(name.data() + 1, name.data() + name.size(), n);
  if (n < first_place) return std::nullopt;
  return n - first_place;
}

bool depends_on_places(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& x) { found = found || dimension_of_place(x).has_value(); });
  return found;
}

std::optional<Affine> affine_in_places(const Expr& e, std::size_t dimensions) {
  Affine a;
  a.factors.assign(dimensions, 0);
  if (const auto whole = e.word()) {
    if (*whole > largest || *whole < -largest) return std::nullopt;
    a.constant = *whole;
    return a;
  }
  std::vector<std::pair<std::optional<std::size_t>, Number>> parts;
  Number common = 1;
  for (const auto& [term, coefficient] : linear_terms(e)) {
    const auto k = dimension_of_place(term);
    if (!coefficient.is_exact() || (!k && !term.is_integer(1)) || (k && *k >= dimensions)) return std::nullopt;
    parts.emplace_back(k, coefficient);
    const Number below = coefficient.denominator();
    const auto word = below.word();
    const auto so_far = common.word();
    if (!word || !so_far || *word > largest || *so_far > largest) return std::nullopt;
    common = Number(std::lcm(*word, *so_far));
  }
  const auto divisor = common.word();
  if (!divisor || *divisor > largest) return std::nullopt;
  a.divisor = *divisor;
  for (const auto& [k, coefficient] : parts) {
    const auto value = (coefficient * common).word();
    if (!value || *value > largest || *value < -largest) return std::nullopt;
    (k ? a.factors[*k] : a.constant) += *value;
  }
  return a;
}

std::pair<std::int64_t, std::int64_t> range_of(const Affine& a, std::span<const std::int64_t> from,
                                               std::span<const std::int64_t> to) {
  std::int64_t least = a.constant;
  std::int64_t greatest = a.constant;
  for (std::size_t k = 0; k < a.factors.size(); ++k) {
    const std::int64_t f = a.factors[k];
    if (f == 0) continue;
    least += f * (f > 0 ? from[k] : to[k]);
    greatest += f * (f > 0 ? to[k] : from[k]);
  }
  return {least, greatest};
}

}  // namespace boreon
