// SPDX-License-Identifier: MIT
// For which values of its parameters a candidate is a solution, where it is one for some and not for others.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon::equations {

struct Validity {
  enum class Kind {
    everywhere,  ///< zero wherever its own conditions hold
    somewhere,   ///< zero where all of `conditions` hold, and nowhere else
    nowhere,     ///< zero for no values of the parameters
    unclear      ///< zero for some and not for others, which no conditions were found to separate
  };
  Kind kind = Kind::everywhere;
  std::vector<Expr> conditions = {};  ///< of `somewhere`, instead of its own
};

/// Where the residual of a candidate is zero and its own conditions hold. That changes only where the argument of a
/// root, an absolute value or a sign in them does, or where the sides of a condition are equal. With one parameter a
/// point in every interval between these places is looked at, and the answer is the interval; else signs of the factors
/// of these arguments are tried as conditions, one, then two, against points of all signs and, along some lines, in
/// every such interval.
[[nodiscard]] Validity where_valid(const Expr& residual, std::span<const Expr> own, std::span<const Expr> given,
                                   std::uint64_t seed);

}  // namespace boreon::equations
