// SPDX-License-Identifier: MIT
// What the commands that solve exactly share.
#pragma once

#include "boreon/equations.hpp"
#include "request.hpp"

namespace boreon::cli {

/// A set of solutions as it is printed, with all fields.
[[nodiscard]] Answer answer_of(const Request& r, const SolutionSet& s);
/// solve MODEL --exact: the equations of a model for its unknowns, or for what --for names, in its parameters.
[[nodiscard]] Answer exact_solution_of_model(const Request& r, const Model& m);

}  // namespace boreon::cli
