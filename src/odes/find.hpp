// SPDX-License-Identifier: MIT
// Candidates for the solutions of differential equations.
#pragma once

#include <optional>
#include <vector>

#include "odes/conditions.hpp"
#include "odes/context.hpp"
#include "odes/jet.hpp"
#include "odes/parametric.hpp"

namespace boreon::odes {

struct Found {
  std::vector<Member> functions;
  std::vector<Family> relations;
  std::optional<Curve> curve;  ///< with the symbol of y' as parameter
  bool linear = false;         ///< one linear equation: its solution is the general one
};

/// By the classical forms, linear methods and systems; where none fits, with the variable and the unknown counted from
/// other places. Nothing if that fails too.
[[nodiscard]] std::optional<Found> find_solutions(Context& context, const Jet& jet);

}  // namespace boreon::odes
