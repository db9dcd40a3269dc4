// SPDX-License-Identifier: MIT
// Derivatives and uncertainties of outputs, for the commands that show them beside their numbers.
#pragma once

#include "boreon/sensitivity.hpp"
#include "request.hpp"

namespace boreon::cli {

/// Where outputs of the model are taken: at its start values, at the end of its run (--until, [run] until), else at its
/// steady state.
[[nodiscard]] SensitivityOptions sensitivity_options(const Request& r, const Model& m, bool at_start);
/// Adds `uncertainties` of outputs, if parameters are uncertain, and --monte-carlo.
void add_uncertainties(Answer& a, const Request& r, const Model& m, const System& s, const SensitivityOptions& options);

}  // namespace boreon::cli
