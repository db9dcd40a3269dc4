// SPDX-License-Identifier: MIT
// All zeros of an expression of one symbol on the whole real line, with a proof that there are no others.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon::equations {

struct LineRoot {
  Expr value;           ///< exact, or a decimal number
  double place = 0;     ///< rounded
  std::string decimal;  ///< correct digits, where no closed form was found; else empty
};

/// Factors are solved by themselves. Where one has no closed form, the line is cut at its singular places and at the
/// zeros of its derivative, which are found in the same way: in between it is monotone, and its signs or limits at both
/// ends tell whether it has a zero there, which is then enclosed (Rolle). Waves of bounded height beside something that
/// grows are zero only where that is not larger than they. Only zeros that the assumptions of x allow. Nothing where
/// one of these steps fails.
[[nodiscard]] std::optional<std::vector<LineRoot>> real_roots_of_line(const Expr& e, const Symbol& x, int digits);

}  // namespace boreon::equations
