// SPDX-License-Identifier: MIT
// Runs in time of systems in which some states have an equation instead of a rate.
#pragma once

#include "boreon/solvers.hpp"

namespace boreon {

/// As step_in_time(), through IDAS, for a system from checked(). The algebraic states are made consistent with the
/// others at the start: their start values are guesses.
[[nodiscard]] TimeResult step_differential_algebraic(const System& system, const TimeOptions& options);

}  // namespace boreon
