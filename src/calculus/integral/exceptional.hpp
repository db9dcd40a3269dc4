// SPDX-License-Identifier: MIT
// Parameter values at which a closed form fails although the integral may not.
#pragma once

#include <span>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

struct Exceptional {
  Expr parameter;
  Expr value;
};

/// Values of parameters (symbols other than x) that make e zero, where they can be solved for and assumptions and
/// conditions allow them.
[[nodiscard]] std::vector<Exceptional> zeros_of_parameters(const Expr& e, const Symbol& x,
                                                           std::span<const Expr> conditions = {});

/// Those at which F has a pole that f does not have: zeros of denominators; poles of functions that have many (gamma at
/// 0, -1, -2, ...) as far as the conditions of the answer, `found`, allow them.
[[nodiscard]] std::vector<Exceptional> exceptional_parameters(const Expr& F, const Expr& f, const Symbol& x,
                                                              std::span<const Expr> conditions,
                                                              std::span<const Expr> found = {});

}  // namespace boreon
