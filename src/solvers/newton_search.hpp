// SPDX-License-Identifier: MIT
// Newton's method from one start until each unknown and each equation is verified.
#pragma once

#include "boreon/solvers.hpp"
#include "solvers/newton_run.hpp"

namespace boreon {

/// KINSOL again and again, each time with the sizes of the point that the last run has reached, then steps to rounding.
[[nodiscard]] SteadyResult newton_from(NewtonRun& run, const std::vector<double>& start, bool line_search,
                                       const SteadyOptions& options);

}  // namespace boreon
