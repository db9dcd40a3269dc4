// SPDX-License-Identifier: MIT
// What of a model is shown, in text as in LaTeX: arrays as they were written, not their elements one by one.
#pragma once

#include <string>
#include <vector>

#include "request.hpp"

namespace boreon::cli {

/// A definition, output or formula: left = given.
struct ShownFormula {
  Expr left;
  Expr given;
  std::string unit;
  std::string note;
};
struct ShownEquation {
  std::string name;
  Equation given;
  std::string about;  ///< for which indices, and for how many elements; empty for a plain one
};

/// The output or definition that is optimised, if it has a name; else null.
[[nodiscard]] const NamedExpression* named_objective(const Model& m);
/// T[i, j] with its indices as symbols.
[[nodiscard]] Expr head_of(const ModelArray& array);
/// The array of the model that a name, "T[0]", is an element of; null for other names.
[[nodiscard]] const ModelArray* array_of(const Model& m, std::string_view name);
[[nodiscard]] inline bool is_element(const Model& m, std::string_view name) { return array_of(m, name) != nullptr; }
/// Plain ones first, then arrays of that kind.
[[nodiscard]] std::vector<ShownFormula> formulas_of(const Model& m, ModelArray::What what);
[[nodiscard]] std::vector<ShownEquation> equations_of(const Model& m);
/// "i = 0 .. n - 1, periodic".
[[nodiscard]] std::string text_of(const IndexRange& index);
/// "15 values from a file.csv", or the formula.
[[nodiscard]] std::string source_of(const ModelArray& array, const PrintOptions& options);

[[nodiscard]] Answer show_model(const Request& r);

}  // namespace boreon::cli
