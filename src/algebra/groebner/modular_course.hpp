// SPDX-License-Identifier: MIT
// What is computed modulo one prime after the other until it is known over the rationals.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "algebra/groebner/modular_basis.hpp"
#include "algebra/groebner/rational_lift.hpp"

namespace boreon::poly {

/// Lists of numbers computed from the basis modulo a prime; `first` for the prime that was learned from, whose form the
/// others must have. Nothing for an unlucky prime.
using FromImage =
    std::function<std::optional<ModularCoefficients>(std::uint32_t prime, const ModularCoefficients&, bool first)>;

class ModularCourse {
 public:
  /// Another course takes other primes.
  ModularCourse(MonomialTable& table, std::span<const IntegerPolynomial> generators, int course = 0);

  [[nodiscard]] const Supports& supports() const { return basis_.supports(); }
  /// The numbers over the rationals: the reconstruction holds for two primes that had no part in it. Throws
  /// Error(limit) where no choice of a first prime leads to an end.
  RationalLift lifted(const FromImage& f);
  /// The basis modulo the prime that was learned from.
  void look(const std::function<void(std::uint32_t prime, const ModularCoefficients&)>& f) const {
    f(learned_from_, basis_.coefficients());
  }

 private:
  void learn();
  std::uint32_t next();

  ModularBasis basis_;
  std::uint32_t learned_from_ = 0;
  std::uint32_t prime_;
};

}  // namespace boreon::poly
