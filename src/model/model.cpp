// SPDX-License-Identifier: MIT
// What a loaded model answers.
#include "boreon/model.hpp"

#include "boreon/field_run.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <fstream>
#include <iterator>

#include "boreon/names.hpp"
#include "boreon/traverse.hpp"
#include "model/array_scope.hpp"

namespace boreon {

namespace {

std::string text_of_file(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  if (!file) throw Error(ErrorKind::io, fmt::format("the model file '{}' cannot be read; is the path right?", path));
  std::string text{std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>()};
  if (file.bad()) throw Error(ErrorKind::io, fmt::format("the model file '{}' cannot be read", path));
  return text;
}

}  // namespace

Model load_model(const std::string& path, const ParameterValues& values) {
  return parse_model(text_of_file(path), path, values);
}

FieldProblem field_problem(const std::string& path, const ParameterValues& values) {
  return parse_field_problem(text_of_file(path), path, values);
}

std::string to_string(const ModelTable& table) {
  return fmt::format("{} curve through {} points from {} to {}{}",
                     table.curve == TableCurve::smooth ? "smooth" : "monotone", table.arguments.size(),
                     table.arguments.front(), table.arguments.back(),
                     table.beyond == BeyondTable::hold ? ", held at its ends beyond them" : "");
}

bool Model::in_time() const {
  return std::any_of(unknowns.begin(), unknowns.end(), [](const Unknown& u) { return u.order > 0; });
}

const Unknown* Model::find_unknown(std::string_view name) const {
  const auto at = std::find_if(unknowns.begin(), unknowns.end(), [&](const Unknown& u) { return u.name == name; });
  return at == unknowns.end() ? nullptr : &*at;
}

const NamedExpression* Model::find_output(std::string_view name) const {
  const auto at =
      std::find_if(outputs.begin(), outputs.end(), [&](const NamedExpression& o) { return o.name == name; });
  return at == outputs.end() ? nullptr : &*at;
}

const ModelArray* Model::find_array(std::string_view name) const {
  const auto at = std::find_if(arrays.begin(), arrays.end(), [&](const ModelArray& a) { return a.name == name; });
  return at == arrays.end() ? nullptr : &*at;
}

std::size_t ModelArray::elements() const { return places_in(dimensions); }

std::optional<std::size_t> ModelArray::dimension_of(std::string_view index) const {
  const auto at =
      std::find_if(dimensions.begin(), dimensions.end(), [&](const IndexRange& d) { return d.name == index; });
  return at == dimensions.end() ? std::nullopt : std::optional(static_cast<std::size_t>(at - dimensions.begin()));
}

std::string ModelArray::head() const {
  std::string text;
  for (const IndexRange& d : dimensions) text += (text.empty() ? "" : ", ") + d.name;
  return name + "[" + text + "]";
}

std::string ModelArray::element(std::size_t number) const {
  return to_string(ElementName{name, place_of(dimensions, number)});
}

void Model::set_parameter(std::string_view name, const Number& value) {
  std::vector<std::string> names;
  for (Parameter& p : parameters) {
    if (p.name == name) {
      if (p.fixed && !(p.value == value))
        throw Error(ErrorKind::usage,
                    fmt::format("{} is a size or place of arrays, which is fixed when the model is loaded; give its "
                                "value to load_model",
                                name));
      p.value = value;
      return;
    }
    names.push_back(p.name);
  }
  std::string near = suggestion(name, names);
  if (near.empty() && !names.empty() && names.size() <= 12) near = fmt::format(" (it has {})", fmt::join(names, ", "));
  throw Error(ErrorKind::name, fmt::format("the model has no parameter '{}'{}", name, near));
}

}  // namespace boreon
