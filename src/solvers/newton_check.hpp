// SPDX-License-Identifier: MIT
// One Newton step at a point, without trusting anybody's scales: how far each unknown still has to go.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "solvers/sundials_support.hpp"

namespace boreon {

struct NewtonStep {
  std::vector<double> step;   ///< J step = f
  std::vector<double> noise;  ///< what the rounding of the terms of the equations does to each unknown
};

/// Solves with the rows of the Jacobian divided by `rows` and its columns multiplied by `columns` (both positive), so
/// that sizes do not decide about pivots. Empty if the matrix is singular or not finite.
[[nodiscard]] std::optional<NewtonStep> newton_step(const SparsityPattern& pattern, const std::vector<double>& values,
                                                    const std::vector<double>& f, const std::vector<double>& magnitudes,
                                                    const std::vector<double>& columns);

/// Which unknowns a singular Jacobian leaves undetermined, and which equations depend on each other: the large entries
/// of the right and left null vectors of the scaled matrix. Empty if it is regular, or larger than 400 rows.
struct Dependence {
  std::vector<std::size_t> unknowns;
  std::vector<std::size_t> equations;
};
[[nodiscard]] Dependence dependence(const SparsityPattern& pattern, const std::vector<double>& values,
                                    const std::vector<double>& columns);

}  // namespace boreon
