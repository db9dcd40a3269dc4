// SPDX-License-Identifier: MIT
// What the residuals of a fit say about its model.
#pragma once

#include "boreon/least_squares.hpp"

namespace boreon {

/// FitResult::determination from its curves; warnings where residuals come in runs of one sign along the first column
/// of a model (the time of a run), or are not normal. Sources: Wald and Wolfowitz, Ann. Math. Stat. 11 (1940) 147;
/// Jarque and Bera, Int. Stat. Rev. 55 (1987) 163.
void add_residual_hints(const FitProblem& problem, FitResult& result);

}  // namespace boreon
