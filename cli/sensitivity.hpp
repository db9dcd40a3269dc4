// SPDX-License-Identifier: MIT
// Derivatives and uncertainties of outputs, for the commands that show them beside their numbers.
#pragma once

#include "boreon/sensitivity.hpp"
#include "request.hpp"

namespace boreon::cli {

/// The names in an option that may be repeated, each a list.
[[nodiscard]] std::vector<std::string> names_in(const Option<std::vector<std::string>>& option, const char* what);
/// Tolerances and times of the model for outputs that are taken there; the end of a run is `until`, else that of [run].
[[nodiscard]] SensitivityOptions sensitivity_options(const Model& m, OutputsAt at,
                                                     std::optional<double> until = std::nullopt);
/// Adds `uncertainties` of outputs, if parameters are uncertain, and so many draws beside them if any.
void add_uncertainties(Answer& a, const Request& r, const Model& m, const System& s, const SensitivityOptions& options,
                       std::size_t draws = 0);
/// The conditions of the optimum of a model, at their root, with the outputs of the model and, called minimum or
/// maximum, the objective if it is none of them. Error(convergence) where there is no optimum.
[[nodiscard]] System conditions_of_optimum(const Model& m);

}  // namespace boreon::cli
