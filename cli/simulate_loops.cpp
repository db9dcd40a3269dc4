// SPDX-License-Identifier: MIT
// simulate --loops: runs of fields that are never written out.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>

#include "boreon/array_file.hpp"
#include "loops.hpp"
#include "simulate.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

// An unknown or output at the end of a run.
struct Result {
  const Field* field = nullptr;
  std::string unit;
  std::span<const double> values;
  bool output = false;
};

std::vector<Result> results_of(const FieldProblem& p, const FieldRun& run) {
  std::vector<Result> all;
  const auto add = [&](const std::vector<Field>& fields, const std::vector<std::string>& units,
                       std::span<const double> values, bool output) {
    std::size_t start = 0;
    for (std::size_t k = 0; k < fields.size(); ++k) {
      std::size_t n = 1;
      for (const std::size_t extent : shape_of(fields[k])) n *= extent;
      all.push_back({&fields[k], units[k], values.subspan(start, n), output});
      start += n;
    }
  };
  add(p.rates.unknowns, p.units, run.state, false);
  add(p.outputs.results, p.output_units, run.outputs, true);
  return all;
}

const Result& named(const std::vector<Result>& all, const std::string& name, const char* option) {
  std::vector<std::string> known;
  for (const Result& x : all) {
    if (x.field->name == name) return x;
    known.push_back(x.field->name);
  }
  throw Error(ErrorKind::name,
              fmt::format("{}: the model has no unknown or output '{}'{}", option, name, suggestion(name, known)));
}

// The place of a value as it is written, "T[3, 4]".
std::string element_text(const Field& f, std::size_t number) {
  const std::vector<std::size_t> shape = shape_of(f);
  if (shape.empty()) return f.name;
  std::vector<std::string> places(shape.size());
  for (std::size_t k = shape.size(); k-- > 0;) {
    places[k] = std::to_string(f.dimensions[k].from.word().value_or(0) + static_cast<std::int64_t>(number % shape[k]));
    number /= shape[k];
  }
  std::string text = f.name + "[" + places[0];
  for (std::size_t k = 1; k < places.size(); ++k) text += ", " + places[k];
  return text + "]";
}

void list_results(Answer& a, const std::vector<Result>& all, int digits) {
  std::size_t width = 0;
  for (const Result& x : all) width = std::max(width, x.field->name.size());
  for (const char* part : {"values", "outputs"}) a.json[part] = Json::object();
  for (const Result& x : all) {
    Json& to = a.json[x.output ? "outputs" : "values"][x.field->name];
    if (x.values.size() == 1) {
      to = x.values[0];
      a.text += fmt::format("  {:<{}} = {:<14} {}\n", x.field->name, width, fmt::format("{:.{}g}", x.values[0], digits),
                            x.unit);
      continue;
    }
    const auto [least, greatest] = std::minmax_element(x.values.begin(), x.values.end());
    const auto at = [&](auto v) { return element_text(*x.field, static_cast<std::size_t>(v - x.values.begin())); };
    a.text += fmt::format("  {:<{}} : {} values, {:.{}g} ({}) to {:.{}g} ({}) {}\n", x.field->name, width,
                          shape_text(*x.field), *least, digits, at(least), *greatest, digits, at(greatest), x.unit);
    to = {{"shape", shape_of(*x.field)}, {"least", *least}, {"greatest", *greatest}};
  }
}

void save_fields(Answer& a, const SimulateRequest& r, const FieldProblem& p, const std::vector<Result>& all) {
  for (const std::string& text : r.save) {
    const std::size_t equals = text.find('=');
    if (equals != std::string::npos) {
      const Result& x = named(all, text.substr(0, equals), "--save");
      const std::string path = text.substr(equals + 1);
      if (!path.ends_with(".npy"))
        throw Error(ErrorKind::usage, fmt::format("--save {}: one field is written as .npy: {}=end.npy", text,
                                                  x.field->name));
      write_output(path, npy_bytes(shape_of(*x.field), x.values), output_policy(r));
      a.text += fmt::format("{} written to {}\n", x.field->name, path);
      continue;
    }
    if (!text.ends_with(".vti"))
      throw Error(ErrorKind::usage,
                  fmt::format("--save takes NAME=file.npy for one field, or file.vti for all, not '{}'", text));
    std::vector<ImageAxis> axes;
    std::vector<ImageField> fields;
    std::vector<std::string> left;
    std::vector<std::size_t> shape;
    for (const Result& x : all) {
      const std::vector<std::size_t> own = shape_of(*x.field);
      if (own.empty()) continue;
      if (fields.empty() && own.size() <= 3) {
        shape = own;
        for (const IndexRange& d : x.field->dimensions) {
          const auto axis =
              std::find_if(p.axes.begin(), p.axes.end(), [&](const FieldAxis& f) { return f.index == d.name; });
          const double spacing = axis == p.axes.end() ? 1 : axis->spacing;
          const double start = (axis == p.axes.end() ? 0 : axis->start) +
                               spacing * static_cast<double>(d.from.word().value_or(0));
          axes.push_back({start, spacing, own[axes.size()]});
        }
      }
      if (own == shape) {
        fields.push_back({x.field->name + (x.unit.empty() ? "" : " (" + x.unit + ")"), x.values});
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

// Time, plain values, and of fields the least and the greatest value.
std::string summaries_csv(const FieldProblem& p, const FieldRun& run, const std::vector<Result>& all) {
  std::string text = p.rates.time.name();
  for (const Result& x : all)
    text += x.values.size() == 1 ? "," + x.field->name
                                 : fmt::format(",{0} least,{0} greatest", x.field->name);
  text += '\n';
  for (std::size_t k = 0; k < run.times.size(); ++k) {
    text += fmt::format("{:.17g}", run.times[k]);
    for (std::size_t n = 0; n < all.size(); ++n) {
      const FieldSummary& s = run.summaries[k][n];
      text += all[n].values.size() == 1 ? fmt::format(",{:.17g}", s.least)
                                        : fmt::format(",{:.17g},{:.17g}", s.least, s.greatest);
    }
    text += '\n';
  }
  return text;
}

void draw(Answer& a, const SimulateRequest& r, const FieldProblem& p, const FieldRun& run,
          const std::vector<Result>& all) {
  std::vector<const Result*> shown;
  for (const std::string& list : r.show) {
    for (const std::string& name : split(list)) shown.push_back(&named(all, name, "--show"));
  }
  if (r.show.empty()) {
    for (const Result& x : all) {
      if (!x.output && !x.field->dimensions.empty() && shown.size() < 3) shown.push_back(&x);
    }
  }
  std::vector<Figure> panels;
  for (const Result* x : shown) {
    if (x->field->dimensions.empty()) {
      // a number over time
      Figure f;
      const auto n = static_cast<std::size_t>(x - all.data());
      Curve c{typeset_label(x->field->name), run.times, {}};
      for (const auto& s : run.summaries) c.y.push_back(s[n].least);
      f.curves.push_back(std::move(c));
      f.x_label = p.rates.time.name() + (p.time_unit.empty() ? "" : " (" + p.time_unit + ")");
      f.y_label = typeset_label(x->field->name + (x->unit.empty() ? "" : " (" + x->unit + ")"));
      panels.push_back(std::move(f));
      continue;
    }
    panels.push_back(figure_of(p, *x->field, x->unit, x->values));
    Figure& f = panels.back();
    f.subtitle = fmt::format("at {} = {:g}{}{}", p.rates.time.name(), run.times.back(),
                             p.time_unit.empty() ? "" : " " + p.time_unit, f.subtitle.empty() ? "" : ", " + f.subtitle);
  }
  if (!panels.empty()) panels[0].title = p.title;
  write_figures(panels, r.plot.get(), output_policy(r));
  a.text += fmt::format("figure written to {}\n", r.plot.get());
}

// Digits to which a run agrees with one of tighter tolerances, field by field against its own size, at the end.
struct Agreement {
  double digits = 15;
  std::string worst;
};

Agreement compared(const std::vector<Result>& run, const std::vector<Result>& reference) {
  Agreement g;
  for (std::size_t n = 0; n < run.size(); ++n) {
    double size = 0;
    double apart = 0;
    for (std::size_t i = 0; i < run[n].values.size(); ++i) {
      const double v = reference[n].values[i];
      if (!std::isfinite(v) && !std::isfinite(run[n].values[i])) continue;
      size = std::max(size, std::fabs(v));
      const double d = std::fabs(v - run[n].values[i]);
      apart = std::isnan(d) ? std::numeric_limits<double>::infinity() : std::max(apart, d);
    }
    const double digits = apart == 0 ? 15 : agreeing_digits(apart, size);
    if (digits < g.digits || g.worst.empty()) {
      g.digits = digits;
      g.worst = run[n].field->name;
    }
  }
  return g;
}

}  // namespace

Answer simulate_in_loops(const SimulateRequest& r) {
  const FieldProblem p = fields_of(r);
  FieldRunOptions o;
  if (!r.until.get() && !(p.until > p.from))
    throw Error(ErrorKind::usage, "say until when to run: --until 600, or until = 600 in [run] of the model");
  o.until = r.until.get().value_or(p.until);
  o.samples = r.samples.get().value_or(0);
  o.relative_tolerance = r.tolerance.get() > 0 ? r.tolerance.get() : p.relative_tolerance;
  o.threads = static_cast<unsigned>(r.threads.get());
  const bool terminal = !r.json && ::isatty(STDERR_FILENO) != 0;
  if (terminal)
    o.progress = [&](double t) { fmt::print(stderr, "\r{:3.0f} %", 100 * (t - p.from) / (o.until - p.from)); };
  const FieldRun run = run_fields(p, o);
  if (terminal) fmt::print(stderr, "\r      \r");
  if (!run.completed)
    throw Error(ErrorKind::convergence, fmt::format("the run of '{}' stopped: {}", p.title, run.message));
  const std::vector<Result> all = results_of(p, run);
  Answer a;
  a.text = fmt::format("{}\nrun from {} to {} {}: {} steps, {} ({}); {} rows in {} boxes\n", p.title, p.from, o.until,
                       p.time_unit, run.steps, run.method, run.linear_solver, run.state.size(), run.boxes);
  list_results(a, all, digits_of(r.digits));
  for (std::size_t n = 0; n < all.size(); ++n) {
    if (!run.summaries.back()[n].finite)
      r.warn(fmt::format("{} is not finite everywhere at the end", all[n].field->name));
  }
  a.json["check"] = {{"method", "repeated with tolerances a hundred times tighter"}, {"verdict", "untested"}};
  if (!r.no_check) {
    FieldRunOptions finer = o;
    finer.progress = nullptr;
    finer.relative_tolerance = std::max(1e-13, o.relative_tolerance / 100);
    const FieldRun reference = run_fields(p, finer);
    if (reference.completed) {
      const Agreement g = compared(all, results_of(p, reference));
      a.text += fmt::format(
          "check: the run repeated with tolerances a hundred times tighter agrees to {:.1f} digits at the end (worst: {})\n",
          g.digits, g.worst);
      a.json["check"]["digits"] = g.digits;
      a.json["check"]["worst"] = g.worst;
      a.json["check"]["verdict"] = g.digits >= 3 ? "agrees" : "disagrees";
      if (g.digits < 6)
        r.warn(fmt::format("only {:.1f} digits of this run are sure (worst: {}); --tolerance asks for more", g.digits,
                           g.worst));
    } else {
      a.text += fmt::format("check: untested, the repetition stopped ({})\n", reference.message);
    }
  }
  a.json["result"] = a.json["values"];
  a.json["status"] = "approximate";
  a.json["until"] = o.until;
  a.json["iterations"] = run.steps;
  a.json["statistics"] = {{"steps", run.steps},
                          {"right_side_calls", run.right_side_calls},
                          {"jacobian_calls", run.jacobian_calls},
                          {"method", run.method},
                          {"linear_solver", run.linear_solver},
                          {"rows", run.state.size()},
                          {"boxes", run.boxes}};
  a.text += fmt::format("statistics: {} right-hand sides, {} Jacobians\n", run.right_side_calls, run.jacobian_calls);
  save_fields(a, r, p, all);
  if (!r.out.empty()) {
    write_output(r.out.get(), summaries_csv(p, run, all), output_policy(r));
    a.text += fmt::format("{} samples written to {}\n", run.times.size(), r.out.get());
  }
  if (!r.plot.empty()) draw(a, r, p, run, all);
  return a;
}

}  // namespace boreon::cli
