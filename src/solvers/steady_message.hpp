// SPDX-License-Identifier: MIT
// What a steady state's result says: what was verified, or what is at fault and what to try.
#pragma once

#include "boreon/solvers.hpp"
#include "solvers/newton_run.hpp"

namespace boreon {

/// Fills in outcome, message, suspects and what was verified, from where the attempts have ended. `dependent`: the
/// Jacobian is singular all around.
void explain(NewtonRun& run, bool dependent, SteadyResult& result);

}  // namespace boreon
