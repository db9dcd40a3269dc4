// SPDX-License-Identifier: MIT
// All roots of a system of equations within bounds, each certified where that succeeds.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

struct RootsOptions {
  std::size_t starts = 0;          ///< of Newton's method, spread over the box; 0: by the number of unknowns
  std::size_t most_boxes = 40000;  ///< that may be looked at to show that there are no others
};

struct Root {
  std::vector<double> values;
  std::vector<double> outputs;
  bool certified = false;  ///< an interval Newton test shows: one root, and one only, within `radius` of each value
  std::vector<double> radius;
  double digits = 0;  ///< that one more Newton step leaves alone
  bool on_bound = false;
};

struct RootsResult {
  std::vector<Root> roots;  ///< in order of the first unknown, then the second, ...
  bool complete = false;    ///< ball arithmetic has excluded all the rest of the box
  std::string message;      ///< why not, if not
  std::size_t starts = 0;   ///< searches
  std::size_t boxes = 0;    ///< looked at
  Evidence evidence;
};

/// Roots of the residuals within the bounds of the states; where a bound is infinite, a box around the start is
/// searched and the answer is not complete. Newton's method from many starts finds; bisection with the test of Krawczyk
/// in ball arithmetic finds what was missed, certifies, and shows what is left to be empty. Throws as solve_steady()
/// does. Sources: Krawczyk, Computing 4 (1969) 187; Neumaier, Interval Methods for Systems of Equations, 1990,
/// chapter 5.
[[nodiscard]] RootsResult find_roots(const System& system, const RootsOptions& options = {});

}  // namespace BOREON_API
