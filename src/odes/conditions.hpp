// SPDX-License-Identifier: MIT
// Constants of integration from values at places.
#pragma once

#include <vector>

#include "boreon/expr.hpp"
#include "odes/context.hpp"
#include "odes/jet.hpp"

namespace boreon::odes {

/// Functions of t for all unknowns.
struct Member {
  std::vector<Expr> functions;
  std::vector<Expr> conditions = {};  ///< of a branch of a root or an inverse function
};

/// The members of a family that meet what is given, each an expression in calls such as y(0) that is to be zero; none
/// if there is none. Branches that do not hold at `start` are left out. A place may be infinite, or one at which terms
/// of the family have no finite value: their constants are then zero.
[[nodiscard]] std::vector<Member> meeting_conditions(const Jet& jet, Context& context, const Member& family,
                                                     const std::vector<Expr>& given,
                                                     const std::vector<Expr>& conditions, const Expr& start);

/// Whether a condition is known to be false at t = place; its border counts as true.
[[nodiscard]] bool fails_at(const Expr& condition, const Symbol& t, const Expr& place, const Signs& signs);

}  // namespace boreon::odes
