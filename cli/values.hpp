// SPDX-License-Identifier: MIT
// Values of unknowns and outputs of a model, as text and as fields of the answer, and figures of them.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "option_groups.hpp"
#include "request.hpp"

namespace boreon::cli {

/// "T (K)"; the name alone where there is no unit.
[[nodiscard]] std::string with_unit(const std::string& name, const std::string& unit);
/// Of an unknown, or of a rate that is a state, "s'".
[[nodiscard]] std::string unit_of(const Model& m, const std::string& state);
/// The end that is asked for, else that of [run]. Error(usage) if there is none.
[[nodiscard]] double end_of_run(const Model& m, std::optional<double> asked);
/// Among the states, then the outputs. Error(name) with a near name, and the option that it comes from.
[[nodiscard]] std::size_t place_of_quantity(const System& s, const std::string& name, const char* option);
/// How many digits values of models are shown with: those asked for, at most 17, or 6 for 0.
[[nodiscard]] int digits_of(int asked);
/// `values` and `outputs`; fields of more than a few elements as one line each.
void list_values(Answer& a, const Model& m, const System& s, const std::vector<double>& states,
                 const std::vector<double>& outputs, int digits);

/// Where --out asks for it: one line of names, one of values with all digits, .csv. Error(usage) for other endings than
/// that and .json, which the tool itself writes.
void write_values(Answer& a, const Request& r, const System& s, const std::vector<double>& states,
                  const std::vector<double>& outputs);

/// The figure of a run: one panel for each unit, fields as colours. Written where --plot says.
void draw_run(const Request& r, const FigureOptions& f, const Model& m, const System& s, const TimeResult& run);
/// The fields of a steady state: curves over one index, colours over two. Written where --plot says.
void draw_fields(const Request& r, const FigureOptions& f, const Model& m, const System& s,
                 const std::vector<double>& states, const std::vector<double>& outputs);

}  // namespace boreon::cli
