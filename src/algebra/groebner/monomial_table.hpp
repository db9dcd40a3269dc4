// SPDX-License-Identifier: MIT
// Monomials with numbers: each is kept once, so that products, quotients and divisors are looked up by number.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace boreon::poly {

enum class MonomialOrder : std::uint8_t {
  lexicographic,  ///< by the first variable in which two differ
  degree,         ///< by the degree, then the smaller power of the last variable in which two differ
};

using MonomialId = std::uint32_t;
using Exponent = std::uint16_t;

/// All operations are O(variables). Degrees beyond 65535 throw Error(limit).
class MonomialTable {
 public:
  MonomialTable(unsigned vars, MonomialOrder order);

  [[nodiscard]] unsigned vars() const noexcept { return vars_; }
  [[nodiscard]] MonomialOrder order() const noexcept { return order_; }
  [[nodiscard]] std::size_t size() const noexcept { return degree_.size(); }
  [[nodiscard]] std::span<const Exponent> exponents(MonomialId m) const {
    return {exponents_.data() + std::size_t{m} * vars_, vars_};
  }
  [[nodiscard]] std::uint32_t degree(MonomialId m) const { return degree_[m]; }

  /// The number of a monomial; a new one if it was not met before.
  MonomialId id(std::span<const Exponent> exponents);
  MonomialId one() { return one_; }
  MonomialId variable(unsigned v);
  MonomialId product(MonomialId a, MonomialId b);
  MonomialId quotient(MonomialId dividend, MonomialId divisor);  ///< the divisor divides it
  MonomialId least_common_multiple(MonomialId a, MonomialId b);

  [[nodiscard]] bool divides(MonomialId divisor, MonomialId m) const;
  [[nodiscard]] bool coprime(MonomialId a, MonomialId b) const;
  [[nodiscard]] bool larger(MonomialId a, MonomialId b) const;
  /// Some bits that are among those of each multiple: a quick test before divides().
  [[nodiscard]] std::uint64_t mask(MonomialId m) const { return mask_[m]; }

 private:
  [[nodiscard]] std::uint32_t hash_of(std::span<const Exponent> exponents) const;
  void grow();

  unsigned vars_;
  MonomialOrder order_;
  std::vector<Exponent> exponents_;
  std::vector<std::uint32_t> degree_;
  std::vector<std::uint64_t> mask_;
  std::vector<std::uint32_t> hash_;
  std::vector<MonomialId> slots_;
  std::vector<std::uint32_t> weights_;
  std::vector<Exponent> scratch_;
  MonomialId one_ = 0;
};

}  // namespace boreon::poly
