// SPDX-License-Identifier: MIT
// The same solve with the derived Jacobian and with what stands in for it elsewhere: difference quotients, an old one.
#pragma once

#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

/// One way to the Jacobian, and where it led.
struct JacobianTrial {
  std::string name;
  bool converged = false;
  std::vector<double> residuals;  ///< of each iterate, the first is the start: the largest one relative to its terms
  double worst_entry = 0;         ///< largest relative difference of an entry from the derived one, at the solution
  std::string worst_name;         ///< "d(energy)/d(T)"
};

struct JacobianComparison {
  std::vector<JacobianTrial> trials;  ///< derived, differences in double, differences in single precision, old one kept
};

/// Newton's method with the same line search and bounds from the start values, four times: with the derived Jacobian,
/// with one-sided differences of double and of single precision values, and with the Jacobian of the start kept for ten
/// steps at a time. At most `most_steps` each. Throws as solve_steady() does; Error(limit) beyond 2,000 unknowns.
[[nodiscard]] JacobianComparison compare_jacobians(const System& system, int most_steps = 60);

}  // namespace BOREON_API
