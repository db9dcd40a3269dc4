// SPDX-License-Identifier: MIT
// Groebner bases modulo primes below 2^31: the first prime shows which combinations matter, the others repeat only
// those.
#pragma once

#include <gmpxx.h>

#include <cstdint>
#include <span>
#include <vector>

#include "algebra/groebner/monomial_table.hpp"

namespace boreon::poly {

/// Terms in descending order, coefficients not zero.
struct IntegerPolynomial {
  std::vector<MonomialId> monomials;
  std::vector<mpz_class> coefficients;
};

/// Monomials of the elements of a reduced basis, descending, the smallest leading monomial first.
using Supports = std::vector<std::vector<MonomialId>>;
/// Their coefficients modulo a prime; the leading ones are 1.
using ModularCoefficients = std::vector<std::vector<std::uint32_t>>;

/// All pairs of least degree are reduced at once as rows of a sparse matrix whose columns are monomials (Faugere, J.
/// Pure Appl. Algebra 139 (1999) 61), pairs by the criteria of Gebauer and Moeller (J. Symb. Comp. 6 (1988) 275). The
/// rows that gave something new, those they were reduced by, and the columns are kept: another prime goes through the
/// same matrices without any search (compare Traverso, Groebner trace algorithms, ISSAC 1988). Work is counted.
class ModularBasis {
 public:
  ModularBasis(MonomialTable& table, std::span<const IntegerPolynomial> generators)
      : table_(table), generators_(generators) {}

  /// False for a prime that divides a coefficient of a generator: modulo it the system is another one.
  bool learn(std::uint32_t prime);
  /// The basis modulo another prime; false where its course differs, so that one of the two primes is unlucky.
  bool follow(std::uint32_t prime, ModularCoefficients& out) const;

  /// Of the prime that was learned from.
  [[nodiscard]] const Supports& supports() const { return supports_; }
  [[nodiscard]] const ModularCoefficients& coefficients() const { return learned_; }

  struct Row {
    std::uint32_t polynomial;
    std::vector<std::uint32_t> columns;  // of its terms, ascending
  };
  struct Step {
    std::uint32_t columns = 0;
    bool tails = false;  // the leading terms stay: the last step
    std::vector<Row> pivots;
    std::vector<Row> rows;                           // each gives a new polynomial
    std::vector<std::vector<std::uint32_t>> result;  // the columns of its terms
  };

 private:
  friend class BasisSearch;
  [[nodiscard]] bool generators_modulo(std::uint32_t prime, ModularCoefficients& out) const;

  MonomialTable& table_;
  std::span<const IntegerPolynomial> generators_;
  std::vector<Step> steps_;
  Supports supports_;
  ModularCoefficients learned_;
};

}  // namespace boreon::poly
