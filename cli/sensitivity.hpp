// SPDX-License-Identifier: MIT
// Derivatives and uncertainties of outputs, for the commands that show them beside their numbers.
#pragma once

#include "boreon/sensitivity.hpp"
#include "request.hpp"

namespace boreon::cli {

/// The names in an option that may be repeated, each a list.
[[nodiscard]] std::vector<std::string> names_in(const Option<std::vector<std::string>>& option, const char* what);
/// Tolerances and times of the model for outputs that are taken there; the end of a run is --until, else [run] until.
[[nodiscard]] SensitivityOptions sensitivity_options(const Request& r, const Model& m, OutputsAt at);
/// Adds `uncertainties` of outputs, if parameters are uncertain, and --monte-carlo.
void add_uncertainties(Answer& a, const Request& r, const Model& m, const System& s, const SensitivityOptions& options);

}  // namespace boreon::cli
