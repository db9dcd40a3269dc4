// SPDX-License-Identifier: MIT
// Fields of a run or a steady state: as text, in files.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/array_file.hpp"
#include "loops.hpp"
#include "values.hpp"

namespace boreon::cli {

std::vector<FieldValues> results_of(const FieldProblem& p, std::span<const double> state,
                                    std::span<const double> outputs) {
  std::vector<FieldValues> all;
  const auto add = [&](const std::vector<Field>& fields, const std::vector<std::string>& units,
                       std::span<const double> values, bool output) {
    std::size_t start = 0;
    for (std::size_t k = 0; k < fields.size(); ++k) {
      std::size_t n = 1;
      for (const std::size_t extent : fields[k].shape()) n *= extent;
      all.push_back({&fields[k], units[k], values.subspan(start, n), output});
      start += n;
    }
  };
  add(p.rates.unknowns, p.units, state, false);
  add(p.outputs.results, p.output_units, outputs, true);
  return all;
}

const FieldValues& named(const std::vector<FieldValues>& all, const std::string& name, const char* option) {
  std::vector<std::string> known;
  for (const FieldValues& x : all) {
    if (x.field->name == name) return x;
    known.push_back(x.field->name);
  }
  throw Error(ErrorKind::name,
              fmt::format("{}: the model has no unknown or output '{}'{}", option, name, suggestion(name, known)));
}

void list_results(Answer& a, const std::vector<FieldValues>& all, int digits) {
  std::size_t width = 0;
  for (const FieldValues& x : all) width = std::max(width, x.field->name.size());
  for (const char* part : {"values", "outputs"}) a.json[part] = Json::object();
  for (const FieldValues& x : all) {
    Json& to = a.json[x.output ? "outputs" : "values"][x.field->name];
    if (x.values.size() == 1) {
      to = x.values[0];
      a.text += fmt::format("  {:<{}} = {:<14} {}\n", x.field->name, width, fmt::format("{:.{}g}", x.values[0], digits),
                            x.unit);
      continue;
    }
    const auto [least, greatest] = std::minmax_element(x.values.begin(), x.values.end());
    const auto at = [&](auto v) { return x.field->element(static_cast<std::size_t>(v - x.values.begin())); };
    a.text += fmt::format("  {:<{}} : {} values, {:.{}g} ({}) to {:.{}g} ({}) {}\n", x.field->name, width,
                          shape_text(*x.field), *least, digits, at(least), *greatest, digits, at(greatest), x.unit);
    to = {{"shape", x.field->shape()}, {"least", *least}, {"greatest", *greatest}};
  }
}

std::vector<FieldValues> fields_shown(const FigureOptions& r, const std::vector<FieldValues>& all) {
  constexpr std::size_t most_panels = 3;
  std::vector<FieldValues> shown;
  for (const std::string& list : r.show) {
    for (const std::string& name : split(list)) shown.push_back(named(all, name, "--show"));
  }
  for (const FieldValues& x : all) {
    if (r.show.empty() && !x.output && !x.field->dimensions.empty() && shown.size() < most_panels) shown.push_back(x);
  }
  return shown;
}

void require_outputs(const FieldProblem& p, const LoopOptions& options, const FigureOptions& figure) {
  std::vector<FieldValues> all;
  for (const std::vector<Field>* fields : {&p.rates.unknowns, &p.outputs.results}) {
    for (const Field& f : *fields) all.push_back({&f, {}, {}, fields != &p.rates.unknowns});
  }
  if (!figure.plot.peek().empty()) (void)fields_shown(figure, all);
  for (const std::string& text : options.save) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos) {
      if (!text.ends_with(".vti"))
        throw Error(ErrorKind::usage,
                    fmt::format("--save takes NAME=file.npy for one field, or file.vti for all, not '{}'", text));
      continue;
    }
    const FieldValues& x = named(all, text.substr(0, equals), "--save");
    if (!text.ends_with(".npy"))
      throw Error(ErrorKind::usage,
                  fmt::format("--save {}: one field is written as .npy: {}=end.npy", text, x.field->name));
  }
}

void save_fields(Answer& a, const Request& r, const LoopOptions& options, const FieldProblem& p,
                 const std::vector<FieldValues>& all) {
  for (const std::string& text : options.save) {
    const std::size_t equals = text.find('=');
    if (equals != std::string::npos) {
      const FieldValues& x = named(all, text.substr(0, equals), "--save");
      const std::string path = text.substr(equals + 1);
      write_output(path, npy_bytes(x.field->shape(), x.values), output_policy(r));
      a.text += fmt::format("{} written to {}\n", x.field->name, path);
      continue;
    }
    std::vector<ImageAxis> axes;
    std::vector<ImageField> fields;
    std::vector<std::string> left;
    std::vector<std::size_t> shape;
    for (const FieldValues& x : all) {
      const std::vector<std::size_t> own = x.field->shape();
      if (own.empty()) continue;
      if (fields.empty() && own.size() <= 3) {
        shape = own;
        for (const IndexRange& d : x.field->dimensions) {
          const FieldAxis* const axis = axis_of(p, d);
          axes.push_back({coordinate(p, d, 0), axis == nullptr ? 1 : axis->spacing, own[axes.size()]});
        }
      }
      if (own == shape) {
        fields.push_back({with_unit(x.field->name, x.unit), x.values});
      } else {
        left.push_back(x.field->name);
      }
    }
    if (fields.empty()) throw Error(ErrorKind::usage, "--save: there is no field of one to three indices to write");
    write_output(text, vti_text(axes, fields), output_policy(r));
    a.text += fmt::format("{} fields written to {}\n", fields.size(), text);
    for (const std::string& name : left)
      r.warn(fmt::format("{} has another shape than the other fields in {} and is not in it", name, text));
  }
}

}  // namespace boreon::cli
