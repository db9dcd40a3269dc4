// SPDX-License-Identifier: MIT
// simulate --loops: runs of fields that are never written out.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>

#include "loops.hpp"
#include "simulate.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

// Time, plain values, and of fields the least and the greatest value.
std::string summaries_csv(const FieldProblem& p, const FieldRun& run, const std::vector<FieldValues>& all) {
  std::string text = p.rates.time.name();
  for (const FieldValues& x : all)
    text += x.values.size() == 1 ? "," + x.field->name : fmt::format(",{0} least,{0} greatest", x.field->name);
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
          const std::vector<FieldValues>& all) {
  std::vector<Figure> panels;
  for (const FieldValues& x : fields_shown(r, all)) {
    if (x.field->dimensions.empty()) {
      // a number over time
      Figure f;
      const auto n = static_cast<std::size_t>(
          std::find_if(all.begin(), all.end(), [&](const FieldValues& v) { return v.field == x.field; }) - all.begin());
      Curve c{typeset_label(x.field->name), run.times, {}};
      for (const auto& s : run.summaries) c.y.push_back(s[n].least);
      f.curves.push_back(std::move(c));
      f.x_label = with_unit(p.rates.time.name(), p.time_unit);
      f.y_label = typeset_label(with_unit(x.field->name, x.unit));
      panels.push_back(std::move(f));
      continue;
    }
    panels.push_back(figure_of(p, *x.field, x.unit, x.values));
    Figure& f = panels.back();
    f.subtitle = fmt::format("at {} = {:g}{}{}", p.rates.time.name(), run.times.back(),
                             p.time_unit.empty() ? "" : " " + p.time_unit, f.subtitle.empty() ? "" : ", " + f.subtitle);
  }
  if (!panels.empty()) panels[0].title = p.title;
  write_figures(panels, r.plot.get(), output_policy(r));
  a.text += fmt::format("figure written to {}\n", r.plot.get());
}

// Digits to which a run agrees with one of tighter tolerances, field by field against its own size, at the end.
struct EndAgreement {
  double digits = 15;
  std::string worst;
};

EndAgreement compared(const std::vector<FieldValues>& run, const std::vector<FieldValues>& reference) {
  EndAgreement g;
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
    const double digits = agreeing_digits(apart, size);
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
  require_outputs(p, r, r);
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
  const std::vector<FieldValues> all = results_of(p, run.state, run.outputs);
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
      const EndAgreement g = compared(all, results_of(p, reference.state, reference.outputs));
      a.text += fmt::format(
          "check: the run repeated with tolerances a hundred times tighter agrees to {:.1f} digits at the end (worst: "
          "{})\n",
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
  a.json["statistics"] = {
      {"steps", run.steps},   {"right_side_calls", run.right_side_calls}, {"jacobian_calls", run.jacobian_calls},
      {"method", run.method}, {"linear_solver", run.linear_solver},       {"rows", run.state.size()},
      {"boxes", run.boxes}};
  a.text += fmt::format("statistics: {} right-hand sides, {} Jacobians\n", run.right_side_calls, run.jacobian_calls);
  save_fields(a, r, r, p, all);
  if (!r.out.empty()) {
    write_output(r.out.get(), summaries_csv(p, run, all), output_policy(r));
    a.text += fmt::format("{} samples written to {}\n", run.times.size(), r.out.get());
  }
  if (!r.plot.empty()) draw(a, r, p, run, all);
  return a;
}

}  // namespace boreon::cli
