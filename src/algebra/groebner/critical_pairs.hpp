// SPDX-License-Identifier: MIT
// Which pairs of polynomials are still to be looked at.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "algebra/groebner/monomial_table.hpp"

namespace boreon::poly {

/// Polynomials whose multiples meet in one least common multiple of leading monomials.
struct PairGroup {
  MonomialId lcm;
  std::vector<std::uint32_t> polynomials;
};

/// The pairs of a growing basis by the criteria of Gebauer and Moeller (J. Symb. Comp. 6 (1988) 275), and the elements
/// that are not superseded by one whose leading monomial divides theirs.
class CriticalPairs {
 public:
  explicit CriticalPairs(MonomialTable& table) : table_(table) {}

  /// O(pairs + active elements squared).
  void insert(std::uint32_t polynomial, MonomialId leading);

  [[nodiscard]] bool empty() const { return pairs_.empty(); }
  [[nodiscard]] std::uint32_t least_degree() const;
  /// All pairs of that degree, which leave the list: groups in ascending order of their common multiples.
  std::vector<PairGroup> take(std::uint32_t degree);

  [[nodiscard]] std::span<const std::uint32_t> active() const { return active_; }
  [[nodiscard]] MonomialId leading(std::uint32_t polynomial) const { return leading_[polynomial]; }
  /// The oldest active element whose leading monomial divides m.
  [[nodiscard]] std::optional<std::uint32_t> divisor_of(MonomialId m) const;

 private:
  struct Pair {
    MonomialId lcm;
    std::uint32_t i;
    std::uint32_t j;
  };

  MonomialTable& table_;
  std::vector<Pair> pairs_;
  std::vector<std::uint32_t> active_;
  std::vector<MonomialId> leading_;  // by polynomial
};

}  // namespace boreon::poly
