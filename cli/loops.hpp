// SPDX-License-Identifier: MIT
// Fields that are never written out: what show and check say of them, and their figures.
#pragma once

#include <string>
#include <vector>

#include "boreon/field_run.hpp"
#include "boreon/figure.hpp"
#include "option_groups.hpp"
#include "request.hpp"

namespace boreon::cli {

/// The fields of the model file of the request with --set applied.
[[nodiscard]] FieldProblem fields_of(const Request& r);
/// "256 x 256".
[[nodiscard]] std::string shape_text(const Field& f);
[[nodiscard]] std::vector<std::size_t> shape_of(const Field& f);
/// Boxes, what holds on them, and the Jacobian by formula.
[[nodiscard]] Answer show_in_loops(const Request& r);
/// Derivatives against differences at full size.
[[nodiscard]] Answer check_in_loops(const Request& r);

/// A field by its values at one time, at the middle of all indices but two.
[[nodiscard]] Figure figure_of(const FieldProblem& p, const Field& f, const std::string& unit,
                               std::span<const double> values);

}  // namespace boreon::cli
