// SPDX-License-Identifier: MIT
// Figures of runs in time and of steady fields.
#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "show_model.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

std::vector<std::size_t> chosen(const FigureOptions& r, const Model& m, const System& s) {
  std::vector<std::size_t> picked;
  for (const std::string& text : r.show) {
    for (const std::string& typed : split(text)) {
      if (m.find_array(typed) != nullptr) continue;  // see fields_to_draw()
      const auto parts = element_name(typed);
      picked.push_back(place_of_quantity(s, parts ? to_string(*parts) : typed, "--show"));
    }
  }
  if (r.show.empty()) {
    for (std::size_t i = 0; i < s.own_states() && picked.size() < 8; ++i) {
      const ModelArray* a = array_of(m, s.state_names[i]);
      if (a == nullptr || a->elements() <= 8) picked.push_back(i);
    }
  }
  return picked;
}

// Arrays that are drawn as colours: those asked for by name, or the first large ones.
std::vector<const ModelArray*> fields_to_draw(const FigureOptions& r, const Model& m) {
  std::vector<const ModelArray*> fields;
  for (const std::string& text : r.show) {
    for (const std::string& name : split(text)) {
      const ModelArray* a = m.find_array(name);
      if (a == nullptr) continue;
      if (a->what == ModelArray::What::parameter || a->what == ModelArray::What::definition)
        throw Error(ErrorKind::name, fmt::format("--show: {} is a {}; make it an output to see it", a->head(),
                                                 a->what == ModelArray::What::parameter ? "parameter" : "definition"));
      if (a->dimensions.size() > 2)
        throw Error(
            ErrorKind::unsupported,
            fmt::format("--show: {} has three indices or more; make a part of it an output, \"cut[i, j]\"", a->head()));
      fields.push_back(a);
    }
  }
  if (!r.show.empty()) return fields;
  for (const ModelArray& a : m.arrays) {
    if (a.what == ModelArray::What::unknown && a.elements() > 8 && a.dimensions.size() <= 2 && fields.size() < 3)
      fields.push_back(&a);
  }
  return fields;
}

const GridCoordinate* coordinate_of(const Model& m, const IndexRange& d) {
  const auto c =
      std::find_if(m.grid.begin(), m.grid.end(), [&](const GridCoordinate& g) { return g.index.name() == d.name; });
  return c == m.grid.end() ? nullptr : &*c;
}

// Where the places of an index lie: at their coordinates, if it counts one.
std::vector<double> places(const Model& m, const IndexRange& d) {
  const GridCoordinate* const c = coordinate_of(m, d);
  double start = 0;
  double spacing = 1;
  if (c != nullptr) {
    Bindings values;
    for (const Parameter& p : m.parameters) values.set(p.symbol, Expr(p.value));
    spacing = evaluate(c->spacing, values, Unused::allowed);
    start = evaluate(c->start, values, Unused::allowed) - spacing * evaluate(c->first);
  }
  std::vector<double> all;
  for (std::int64_t i = *d.from.word(); i <= *d.to.word(); ++i) all.push_back(start + spacing * static_cast<double>(i));
  return all;
}

std::string label_of_places(const Model& m, const IndexRange& d) {
  const GridCoordinate* const c = coordinate_of(m, d);
  if (c == nullptr) return d.name;
  return typeset_label(with_unit(c->coordinate.name(), c->unit));
}

std::vector<std::size_t> columns_of(const System& s, const ModelArray& a) {
  const auto& names = a.what == ModelArray::What::unknown ? s.state_names : s.output_names;
  std::vector<std::size_t> columns;
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (names[i].starts_with(a.name + "[")) columns.push_back(i);
  }
  return columns;
}

std::string label_of_field(const ModelArray& a) {
  return typeset_label(with_unit(a.head(), a.unit));
}

// A field of two indices as colours.
Figure coloured(const Model& m, const ModelArray& a, const std::vector<double>& values) {
  Figure f;
  f.field.label = label_of_field(a);
  f.x_label = label_of_places(m, a.dimensions[0]);
  f.y_label = label_of_places(m, a.dimensions[1]);
  f.field.x = places(m, a.dimensions[0]);
  f.field.y = places(m, a.dimensions[1]);
  for (std::size_t j = 0; j < f.field.y.size(); ++j) {
    for (std::size_t i = 0; i < f.field.x.size(); ++i) f.field.values.push_back(values[i * f.field.y.size() + j]);
  }
  return f;
}

// A field of one index over time, one of two at the end of the run.
Figure field_figure(const Model& m, const System& s, const TimeResult& run, const ModelArray& a) {
  constexpr std::size_t most_times = 400;
  const bool state = a.what == ModelArray::What::unknown;
  const std::vector<std::size_t> columns = columns_of(s, a);
  const auto value = [&](std::size_t sample, std::size_t k) {
    return (state ? run.states : run.outputs)[sample][columns[k]];
  };
  if (a.dimensions.size() == 2) {
    std::vector<double> last;
    for (std::size_t k = 0; k < columns.size(); ++k) last.push_back(value(run.times.size() - 1, k));
    Figure f = coloured(m, a, last);
    f.subtitle = fmt::format("at {} = {:g}{}", m.independent.name(), run.times.back(),
                             m.independent_unit.empty() ? "" : " " + m.independent_unit);
    return f;
  }
  Figure f;
  f.field.label = label_of_field(a);
  f.x_label = with_unit(m.independent.name(), m.independent_unit);
  const std::size_t step = std::max<std::size_t>(1, run.times.size() / most_times);
  f.y_label = label_of_places(m, a.dimensions[0]);
  f.field.y = places(m, a.dimensions[0]);
  for (std::size_t i = 0; i < run.times.size(); i += step) f.field.x.push_back(run.times[i]);
  for (std::size_t k = 0; k < columns.size(); ++k) {
    for (std::size_t i = 0; i < run.times.size(); i += step) f.field.values.push_back(value(i, k));
  }
  return f;
}

}  // namespace

// One panel for each unit, in the order in which units come.
void draw_run(const Request& request, const FigureOptions& r, const Model& m, const System& s, const TimeResult& run) {
  std::vector<Figure> panels;
  std::vector<std::string> units;
  for (const ModelArray* a : fields_to_draw(r, m)) {
    panels.push_back(field_figure(m, s, run, *a));
    if (panels.size() == 1) panels[0].title = m.title;
    units.emplace_back("\x01");  // a panel of its own
  }
  for (const std::size_t k : chosen(r, m, s)) {
    const bool state = k < s.states.size();
    const std::size_t o = state ? 0 : k - s.states.size();
    const std::string unit = state ? unit_of(m, s.state_names[k]) : m.outputs[o].unit;
    const auto at = std::find(units.begin(), units.end(), unit);
    const auto panel = static_cast<std::size_t>(at - units.begin());
    if (at == units.end()) {
      units.push_back(unit);
      Figure f;
      f.title = panels.empty() ? m.title : "";
      f.y_label = typeset_label(unit);
      f.x_low = run.times.front();
      f.x_high = run.times.back();
      f.logarithmic_x = r.log_x;
      f.logarithmic_y = r.log_y;
      panels.push_back(std::move(f));
    }
    Curve c;
    c.label = typeset_label(state ? s.state_names[k] : s.output_names[o]);
    for (std::size_t i = 0; i < run.times.size(); ++i) {
      c.x.push_back(run.times[i]);
      c.y.push_back(state ? run.states[i][k] : run.outputs[i][o]);
    }
    panels[panel].curves.push_back(std::move(c));
  }
  if (panels.empty()) throw Error(ErrorKind::usage, "there is nothing to draw");
  if (panels.back().field.values.empty())
    panels.back().x_label = with_unit(m.independent.name(), m.independent_unit);
  for (Figure& f : panels) {
    if (r.log_x) f.x_low = std::numeric_limits<double>::quiet_NaN();
  }
  write_figures(panels, r.plot.get(), output_policy(request));
}

void draw_fields(const Request& request, const FigureOptions& r, const Model& m, const System& s,
                 const std::vector<double>& states, const std::vector<double>& outputs) {
  if (!r.show.empty() && !chosen(r, m, s).empty())
    throw Error(ErrorKind::usage, "--show: the figure of a steady state has fields; single values are in the list");
  std::vector<Figure> panels;
  for (const ModelArray* a : fields_to_draw(r, m)) {
    const std::vector<double>& all = a->what == ModelArray::What::unknown ? states : outputs;
    std::vector<double> values;
    for (const std::size_t k : columns_of(s, *a)) values.push_back(all[k]);
    Figure f;
    if (a->dimensions.size() == 2) {
      f = coloured(m, *a, values);
    } else {
      f.x_label = label_of_places(m, a->dimensions[0]);
      f.y_label = label_of_field(*a);
      f.logarithmic_y = r.log_y;
      f.curves.push_back({"", places(m, a->dimensions[0]), values});
    }
    if (panels.empty()) f.title = m.title;
    panels.push_back(std::move(f));
  }
  if (panels.empty())
    throw Error(ErrorKind::usage,
                "--plot of a steady state draws fields, and the model has none to draw (arrays of unknowns or outputs "
                "with more than 8 elements); trace draws steady states along a parameter");
  write_figures(panels, r.plot.get(), output_policy(request));
}

}  // namespace boreon::cli
