// SPDX-License-Identifier: MIT
// Fields that are never written out: what show and check say of them, and their figures.
#pragma once

#include <span>
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
/// The coordinate that an index counts; null if there is none.
[[nodiscard]] const FieldAxis* axis_of(const FieldProblem& p, const IndexRange& d);
/// Where a place lies: at its coordinate, if the index counts one.
[[nodiscard]] double coordinate(const FieldProblem& p, const IndexRange& d, std::size_t place);
/// An unknown or output at the end.
struct FieldValues {
  const Field* field = nullptr;
  std::string unit;
  std::span<const double> values;
  bool output = false;
};
[[nodiscard]] std::vector<FieldValues> results_of(const FieldProblem& p, std::span<const double> state,
                                                  std::span<const double> outputs);
/// Error(name) with a near name, and the option that it comes from.
[[nodiscard]] const FieldValues& named(const std::vector<FieldValues>& all, const std::string& name,
                                       const char* option);
void list_results(Answer& a, const std::vector<FieldValues>& all, int digits);
/// What --show names, or the first fields.
[[nodiscard]] std::vector<FieldValues> fields_shown(const FigureOptions& r, const std::vector<FieldValues>& all);
/// Whether --save and --show can be done, before anything is computed: Error(usage), Error(name).
void require_outputs(const FieldProblem& p, const LoopOptions& options, const FigureOptions& figure);
/// Where --save asks for it.
void save_fields(Answer& a, const Request& r, const LoopOptions& options, const FieldProblem& p,
                 const std::vector<FieldValues>& all);

/// Boxes, what holds on them, and the Jacobian by formula.
[[nodiscard]] Answer show_in_loops(const Request& r);
/// Derivatives against differences at full size.
[[nodiscard]] Answer check_in_loops(const Request& r);

/// A field by its values at one time, at the middle of all indices but two.
[[nodiscard]] Figure figure_of(const FieldProblem& p, const Field& f, const std::string& unit,
                               std::span<const double> values);

}  // namespace boreon::cli
