// SPDX-License-Identifier: MIT
#include "loops.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/text.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

std::int64_t first_place(const IndexRange& d) { return d.from.word().value_or(0); }

std::string label_of(const FieldProblem& p, const IndexRange& d) {
  const FieldAxis* a = axis_of(p, d);
  if (a == nullptr) return d.name;
  return typeset_label(with_unit(a->label, a->unit));
}

// "T'[i, j]".
std::string head_of(const FieldBox& b, const std::string& name) {
  std::string text = name;
  for (std::size_t k = 0; k < b.names.size(); ++k) text += (k == 0 ? "[" : ", ") + b.names[k];
  return b.names.empty() ? text : text + "]";
}

std::string place_text(const FieldBox& b) {
  std::string text;
  for (std::size_t k = 0; k < b.from.size(); ++k) {
    text += fmt::format("{}{} = {}", text.empty() ? "" : ", ", b.names[k], b.from[k]);
    if (b.from[k] != b.to[k]) text += fmt::format(" .. {}", b.to[k]);
  }
  return text.empty() ? "everywhere" : text;
}

}  // namespace

const FieldAxis* axis_of(const FieldProblem& p, const IndexRange& d) {
  const auto at = std::find_if(p.axes.begin(), p.axes.end(), [&](const FieldAxis& a) { return a.index == d.name; });
  return at == p.axes.end() ? nullptr : &*at;
}

double coordinate(const FieldProblem& p, const IndexRange& d, std::size_t place) {
  const FieldAxis* a = axis_of(p, d);
  const double at = static_cast<double>(first_place(d)) + static_cast<double>(place);
  return a == nullptr ? at : a->start + a->spacing * at;
}

std::string shape_text(const Field& f) {
  std::string text;
  for (const std::size_t n : f.shape()) text += fmt::format("{}{}", text.empty() ? "" : " x ", n);
  return text.empty() ? "1" : text;
}

FieldProblem fields_of(const Request& r) {
  if (r.inputs.size() != 1 || !is_model(r.inputs[0]))
    throw Error(ErrorKind::usage, fmt::format("{} --loops takes one model file (.toml)", r.command));
  return field_problem(r.inputs[0], parameter_values(r));
}

Answer show_in_loops(const Request& r) {
  const FieldProblem p = fields_of(r);
  const FieldPlan plan(p.rates, p.sizes);
  Answer a;
  a.text = p.title + "\n";
  for (const Field& f : p.rates.unknowns) {
    a.text += fmt::format("  {} : {} values\n", f.name, shape_text(f));
    a.json["fields"][f.name] = f.shape();
  }
  a.text +=
      fmt::format("{} rows in {} boxes, {} sums of their own\n", plan.rows(), plan.boxes().size(), plan.sums().size());
  PrintOptions print{400, p.rates.time.name(), {}};
  a.json["rows"] = plan.rows();
  a.json["boxes"] = Json::array();
  constexpr std::size_t most_shown = 30;
  std::size_t listed = 0;
  for (const FieldBox& b : plan.boxes()) {
    Json box = {{"from", b.from}, {"to", b.to}, {"equations", Json::array()}};
    const bool shown = listed++ < most_shown;
    if (shown) a.text += "\n" + place_text(b) + "\n";
    for (const FieldBox::Row& row : b.rows) {
      const FieldEquation& e = p.rates.equations[row.equation];
      const Field& f = p.rates.unknowns[row.target];
      const bool residual = p.algebraic[row.equation] != 0;
      const std::string body = to_text(plan.as_written(b, row.value), print);
      if (shown) a.text += fmt::format("  {}: {} = {}\n", e.name, residual ? "0" : head_of(b, f.name + "'"), body);
      Json terms = Json::array();
      for (const FieldTerm& t : row.terms) {
        const std::string by = to_text(plan.as_written(b, b.symbols[t.entry]), print);
        const std::string value = to_text(plan.as_written(b, t.value), print);
        if (shown) a.text += fmt::format("    by {}: {}\n", by, value);
        terms.push_back({{"by", by}, {"value", value}});
      }
      box["equations"].push_back({{"field", f.name}, {"equation", e.name}, {"value", body}, {"derivatives", terms}});
    }
    a.json["boxes"].push_back(std::move(box));
  }
  if (plan.boxes().size() > most_shown)
    a.text += fmt::format("\n... {} more boxes (--json gives all)\n", plan.boxes().size() - most_shown);
  try {
    plan.require_jacobian();
    a.json["nonzeros"] = plan.nonzeros();
    a.text += fmt::format("\nJacobian: {} nonzeros, at most {} in a row\n", plan.nonzeros(), plan.widest_row());
  } catch (const Error& e) {
    a.json["nonzeros"] = nullptr;
    a.text += fmt::format("\nJacobian: {}\n", e.message());
  }
  a.json["result"] = a.json["rows"];
  a.json["status"] = "exact";
  return a;
}

Answer check_in_loops(const Request& r) {
  const FieldProblem p = fields_of(r);
  const Evidence e = check_field_jacobian(p);
  Answer a;
  a.text = fmt::format("{}\nJacobian by formula: {}\n", p.title, e.to_string());
  a.json["result"] = to_string(e.verdict);
  a.json["status"] = "checked";
  a.json["check"] = json_of(e);
  a.exit_code = e.verdict == Verdict::disagrees ? 1 : 0;
  return a;
}

Figure figure_of(const FieldProblem& p, const Field& f, const std::string& unit, std::span<const double> values) {
  constexpr std::size_t most_places = 1000;  // along an axis: more are no longer told apart
  const std::vector<std::size_t> shape = f.shape();
  Figure figure;
  const std::string name = with_unit(f.name, unit);
  const auto step = [&](std::size_t k) { return std::max<std::size_t>(1, shape[k] / most_places); };
  if (shape.size() == 1) {
    figure.x_label = label_of(p, f.dimensions[0]);
    figure.y_label = typeset_label(name);
    Curve c{typeset_label(f.name), {}, {}};
    for (std::size_t i = 0; i < shape[0]; i += step(0)) {
      c.x.push_back(coordinate(p, f.dimensions[0], i));
      c.y.push_back(values[i]);
    }
    figure.curves.push_back(std::move(c));
    return figure;
  }
  std::size_t middle = 0;
  std::size_t after = 1;
  for (std::size_t k = shape.size(); k-- > 2;) {
    middle += after * (shape[k] / 2);
    after *= shape[k];
    figure.subtitle += fmt::format("{}{} = {:.6g}", figure.subtitle.empty() ? "" : ", ", label_of(p, f.dimensions[k]),
                                   coordinate(p, f.dimensions[k], shape[k] / 2));
  }
  figure.field.label = typeset_label(name);
  figure.x_label = label_of(p, f.dimensions[0]);
  figure.y_label = label_of(p, f.dimensions[1]);
  for (std::size_t i = 0; i < shape[0]; i += step(0)) figure.field.x.push_back(coordinate(p, f.dimensions[0], i));
  for (std::size_t j = 0; j < shape[1]; j += step(1)) {
    figure.field.y.push_back(coordinate(p, f.dimensions[1], j));
    for (std::size_t i = 0; i < shape[0]; i += step(0))
      figure.field.values.push_back(values[(i * shape[1] + j) * after + middle]);
  }
  return figure;
}

}  // namespace boreon::cli
