// SPDX-License-Identifier: MIT
// Rational numbers from their residues modulo several primes.
#pragma once

#include <gmpxx.h>

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace boreon::poly {

/// Lists of rational numbers, known modulo a growing product of primes by the Chinese remainder theorem. The numbers of
/// one list tend to share a denominator.
class RationalLift {
 public:
  /// The same lengths each time. The prime is below 2^32 and new.
  void add(std::uint32_t prime, const std::vector<std::vector<std::uint32_t>>& residues);
  /// The rational numbers with the smallest numerators and denominators (Wang 1981) that fit all primes so far, as
  /// integers over one denominator for each list; nothing where some number has none. They are right only once further
  /// primes agree.
  [[nodiscard]] bool reconstruct();
  /// Whether the last reconstruction holds modulo a prime that was not part of it.
  [[nodiscard]] bool agrees(std::uint32_t prime, const std::vector<std::vector<std::uint32_t>>& residues) const;

  struct List {
    std::vector<mpz_class> numerators;
    mpz_class denominator = 1;
  };
  [[nodiscard]] const std::vector<List>& lists() const { return lists_; }
  [[nodiscard]] std::size_t primes() const { return primes_; }

 private:
  bool reconstruct(std::size_t list);

  std::vector<std::vector<mpz_class>> known_;  // from 0 to the modulus
  mpz_class modulus_ = 1;
  std::size_t primes_ = 0;
  std::vector<List> lists_;
  std::size_t hardest_ = 0;  // the list that failed last is tried first
};

}  // namespace boreon::poly
