// SPDX-License-Identifier: MIT
// What all runs through IDAS share: x' - f(x, z) = 0 for states with a rate, g(x, z) = 0 for the others.
#pragma once

#include <idas/idas.h>

#include <vector>

#include "solvers/sundials_support.hpp"

namespace boreon {

class IdaMemory {
 public:
  explicit IdaMemory(const SundialsContext& context);
  ~IdaMemory();
  IdaMemory(const IdaMemory&) = delete;
  IdaMemory& operator=(const IdaMemory&) = delete;
  [[nodiscard]] void* get() const noexcept { return mem_; }

 private:
  void* mem_;
};

/// f - c*x for states with a rate, where c is the symbol _rate, and g for the others: with c from the solver the
/// negative of its Jacobian is the matrix of the corrector, with c = 0 it is the Jacobian itself.
[[nodiscard]] std::vector<Expr> corrector_functions(const System& system);
/// Fills the matrix of the corrector; false if an entry is not finite.
[[nodiscard]] bool fill_corrector(NumericJacobian& jacobian, std::span<const double* const> inputs, SUNMatrix target);

}  // namespace boreon
