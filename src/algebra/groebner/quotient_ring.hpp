// SPDX-License-Identifier: MIT
// Polynomials modulo a Groebner basis with finitely many common zeros: a vector space whose dimension is the number of
// zeros, with their multiplicities.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "algebra/groebner/modular_basis.hpp"

namespace boreon::poly {

/// The monomials that no leading monomial divides, and how products of them with a variable are reduced. The same for
/// all primes.
class QuotientBasis {
 public:
  /// Throws Error(limit) for dimensions beyond 4000.
  QuotientBasis(MonomialTable& table, const Supports& supports);

  /// Whether a power of each variable leads an element: else there are infinitely many zeros.
  [[nodiscard]] static bool finite(const MonomialTable& table, const Supports& supports);

  [[nodiscard]] std::size_t dimension() const { return standard_.size(); }
  [[nodiscard]] unsigned vars() const { return vars_; }

 private:
  friend class QuotientModulo;
  // A product of a standard monomial and a variable that is not standard: leads an element, or is a variable times one
  // before it.
  struct Border {
    bool leads;
    std::uint32_t element;  // of the basis, or of the border
    unsigned variable;
  };
  struct Place {
    bool standard;
    std::uint32_t index;
  };

  unsigned vars_;
  std::vector<MonomialId> standard_;
  std::vector<Border> border_;
  std::vector<std::vector<Place>> products_;       // by variable, by standard monomial
  std::vector<std::vector<std::uint32_t>> tails_;  // of the elements: which standard monomials they are
};

/// A vector over the standard monomials, modulo a prime.
using Residues = std::vector<std::uint32_t>;

class QuotientModulo {
 public:
  /// O(variables * dimension^3) at worst. The coefficients are those of the elements over their supports.
  QuotientModulo(const QuotientBasis& basis, std::uint32_t prime, const ModularCoefficients& coefficients);

  [[nodiscard]] std::uint32_t prime() const { return prime_; }
  [[nodiscard]] std::size_t dimension() const { return basis_.dimension(); }
  [[nodiscard]] unsigned vars() const { return basis_.vars(); }
  [[nodiscard]] Residues one() const;
  [[nodiscard]] Residues times(const Residues& v, unsigned variable) const;
  /// Times a combination of the variables.
  [[nodiscard]] Residues times(const Residues& v, const std::vector<int>& form) const;

 private:
  const QuotientBasis& basis_;
  std::uint32_t prime_;
  std::vector<Residues> border_;
};

/// Vectors one after the other, each either independent of those before it or a combination of them.
class Dependence {
 public:
  Dependence(std::uint32_t prime, std::size_t dimension) : prime_(prime), dimension_(dimension) {}
  /// Coefficients of the independent vectors before it that give this one; nothing if it is independent, and is kept.
  std::optional<Residues> add(Residues v);
  [[nodiscard]] std::size_t rank() const { return rows_.size(); }

 private:
  struct Row {
    std::size_t pivot;
    Residues values;       // 1 at the pivot
    Residues combination;  // of the vectors kept
  };
  std::uint32_t prime_;
  std::size_t dimension_;
  std::vector<Row> rows_;
};

}  // namespace boreon::poly
