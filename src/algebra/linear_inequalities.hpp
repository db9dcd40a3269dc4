// SPDX-License-Identifier: MIT
// Whether linear inequalities can hold together.
#pragma once

#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// amount > 0, or amount >= 0.
struct Inequality {
  Expr amount;
  bool strict = true;
};

/// True if no real values of the terms fulfil all of them: Fourier-Motzkin elimination over the terms of the (expanded)
/// amounts, which are taken as independent; what is known of the sign of a term counts. False means not known. Gives up
/// beyond some hundred inequalities.
[[nodiscard]] bool contradict(const std::vector<Inequality>& inequalities);

}  // namespace boreon
