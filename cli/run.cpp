// SPDX-License-Identifier: MIT
// simulate: runs of a model in time.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "command.hpp"
#include "sensitivity.hpp"
#include "simulate.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

// How far a run agrees with one of tighter tolerances, at every sample and for every state and output against its own
// size.
struct Agreement {
  double digits = 0;
  std::size_t points = 0;
  std::string worst;
  double time = 0;
  std::string verdict = "untested";
  std::string text = "untested";
};

Agreement compare_runs(const System& s, const TimeResult& run, const TimeResult& reference) {
  Agreement g;
  g.digits = 15;
  const auto size = [](const std::vector<std::vector<double>>& rows, std::size_t i) {
    double scale = 0;
    for (const auto& y : rows) scale = std::max(scale, std::fabs(y[i]));
    return scale;
  };
  const auto take = [&](const std::vector<std::vector<double>>& ours, const std::vector<std::vector<double>>& theirs,
                        std::size_t i, double scale, const std::string& name) {
    for (std::size_t k = 0; k < std::min(run.times.size(), reference.times.size()); ++k) {
      // where an output has no value in either run, there is nothing to compare
      if (&ours == &run.outputs && !std::isfinite(ours[k][i]) && !std::isfinite(theirs[k][i])) continue;
      const double d = std::fabs(ours[k][i] - theirs[k][i]);
      const double digits = d > 0 && scale > 0 ? -std::log10(d / scale) : std::isnan(d) ? 0.0 : 15.0;
      if (digits < g.digits || g.worst.empty()) {
        g.digits = std::clamp(digits, 0.0, g.digits);
        g.worst = name;
        g.time = run.times[k];
      }
    }
  };
  double largest = 0;
  for (std::size_t i = 0; i < s.states.size(); ++i) {
    const double scale = size(run.states, i);
    largest = std::max(largest, scale);
    take(run.states, reference.states, i, scale, s.state_names[i]);
  }
  // An output may amplify what is left of the error. One that is nothing beside the states, such as the drift of what
  // is conserved, is made of that error, and has no digits to lose.
  constexpr double nothing = 1e-6;
  for (std::size_t i = 0; i < s.outputs.size(); ++i) {
    const double scale = size(run.outputs, i);
    if (scale > nothing * largest && std::isfinite(scale))
      take(run.outputs, reference.outputs, i, scale, s.output_names[i]);
  }
  g.points = run.times.size();
  g.verdict = g.digits >= 3 ? "agrees" : "disagrees";
  return g;
}

// Repeats the run a hundred times tighter; where fewer than six digits agree, the tighter run becomes the answer and
// the next one is tighter still, as long as the steps stay within the budget.
Agreement tightened(const System& s, TimeOptions o, TimeResult& run, const Request& r) {
  constexpr double wanted = 6;
  constexpr double tightest = 1e-13;
  constexpr long budget = 2'000'000;  // steps of all runs together
  long steps = run.steps;
  double tolerance = o.relative_tolerance;
  int repeats = 0;
  o.progress = nullptr;
  Agreement g;
  for (;;) {
    TimeOptions finer = o;
    finer.relative_tolerance = std::max(tightest, o.relative_tolerance / 100);
    finer.absolute_tolerance = o.absolute_tolerance / 100;
    if (!(finer.relative_tolerance < o.relative_tolerance)) break;
    TimeResult reference = step_in_time(s, finer);
    if (!reference.completed) {
      if (g.points == 0)
        g.text = fmt::format("untested: the repetition with tolerances a hundred times tighter stopped ({})",
                             reference.message);
      break;
    }
    steps += reference.steps;
    g = compare_runs(s, run, reference);
    ++repeats;
    g.text = fmt::format(
        "the run repeated with tolerances a hundred times tighter agrees to {:.1f} digits at all {} samples (worst: {} "
        "at {:.6g})",
        g.digits, g.points, g.worst, g.time);
    if (g.digits >= wanted || steps > budget) break;
    tolerance = finer.relative_tolerance;
    run = std::move(reference);
    o = finer;
  }
  if (repeats > 1) g.text += fmt::format("; tightened to a tolerance of {:.0e} for that", tolerance);
  if (g.points > 0 && g.digits < wanted) {
    r.warn(
        fmt::format("only {:.1f} digits of this run are sure (worst: {} at {:.6g}), although it was repeated with "
                    "tolerances down to {:.0e}: it is sensitive to the smallest errors",
                    g.digits, g.worst, g.time, o.relative_tolerance));
  }
  return g;
}

// Outputs that have no value somewhere in the run, with the reason at the first place.
void warn_of_undefined_outputs(const Request& r, const System& s, const TimeResult& run) {
  for (std::size_t i = 0; i < s.outputs.size(); ++i) {
    for (std::size_t k = 0; k < run.times.size(); ++k) {
      const double v = run.outputs[k][i];
      if (std::isfinite(v)) continue;
      const Program program =
          make_program(std::vector<OutputGroup>{{"g", {s.outputs[i]}}},
                       std::vector<InputGroup>{
                           {"y", s.states, s.state_names}, {"p", s.parameters, s.parameter_names}, {"t", {s.time}}},
                       {.rows = false});
      const auto faults = diagnose(program, {run.states[k], s.parameter_values, {run.times[k]}}, 1);
      r.warn(fmt::format(
          "the output {} is {} at {} = {:.6g}{}", s.output_names[i], std::isnan(v) ? "undefined" : "infinite",
          s.time.name(), run.times[k],
          faults.empty() ? std::string() : fmt::format(": {} where {}", faults[0].subexpression, faults[0].operands)));
      break;
    }
  }
}

Answer answer_to(const SimulateRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "simulate takes a model file (.toml)");
  if (r.loops) return simulate_in_loops(r);
  const Model m = model_of(r);
  const System s = time_system(m);
  TimeOptions o;
  o.from = m.run.from;
  o.until = end_of_run(m, r.until);
  o.samples = r.samples.get().value_or(m.run.samples);
  o.relative_tolerance = r.tolerance.get() > 0 ? r.tolerance.get() : m.run.relative_tolerance;
  o.absolute_tolerance = m.run.absolute_tolerance;
  o.method = r.method.get() == "adams" ? SteppingMethod::adams : SteppingMethod::bdf;
  o.linear_solver = r.chosen_solver();
  const bool terminal = !r.json && ::isatty(STDERR_FILENO) != 0;
  if (terminal) {
    o.progress = [&](double t) { fmt::print(stderr, "\r{:3.0f} %", 100 * (t - o.from) / (o.until - o.from)); };
  }
  o.at_bound = r.at_bound.get() == "warn"     ? TimeOptions::AtBound::warn
               : r.at_bound.get() == "ignore" ? TimeOptions::AtBound::ignore
                                              : TimeOptions::AtBound::stop;
  TimeResult run = step_in_time(s, o);
  if (terminal) fmt::print(stderr, "\r      \r");
  if (!run.completed) {
    const std::string bound = run.crossings.empty() ? std::string() : "; --at-bound warn runs on, or widen the bound";
    throw Error(ErrorKind::convergence, fmt::format("the run of '{}' stopped: {}{}", m.called(), run.message, bound));
  }
  for (const BoundCrossing& c : run.crossings) {
    r.warn(fmt::format("{} crosses its {} bound {:.6g} at {} = {:.6g}", c.state, c.upper ? "upper" : "lower", c.bound,
                       m.independent.name(), c.time));
  }
  Agreement agreement;
  if (!r.no_check) agreement = tightened(s, o, run, r);
  const auto& final_state = run.states.back();
  Answer a;
  a.text = fmt::format("{}\nrun from {} to {} {}: {} steps, {} ({})\n", m.called(), o.from, o.until, m.independent_unit,
                       run.steps, run.method, run.linear_solver);
  list_values(a, m, s, final_state, run.outputs.back(), digits_of(r.digits));
  warn_of_undefined_outputs(r, s, run);
  if (!r.no_check) a.text += "check: " + agreement.text + "\n";
  add_uncertainties(a, r, m, s, sensitivity_options(m, OutputsAt::end_of_run, r.until), r.monte_carlo);
  const double digits = agreement.digits;
  const std::string verdict = agreement.verdict;
  a.json["result"] = a.json["values"];
  a.json["status"] = "approximate";
  a.json["until"] = o.until;
  a.json["iterations"] = run.steps;
  a.json["statistics"] = {{"steps", run.steps},
                          {"right_side_calls", run.right_side_calls},
                          {"jacobian_calls", run.jacobian_calls},
                          {"error_test_failures", run.error_test_failures},
                          {"nonlinear_failures", run.nonlinear_failures},
                          {"last_step", run.last_step},
                          {"method", run.method},
                          {"linear_solver", run.linear_solver},
                          {"nonzeros", run.nonzeros}};
  a.json["check"] = {{"method", "repeated with tolerances a hundred times tighter"},
                     {"points", agreement.points},
                     {"digits", digits},
                     {"worst", agreement.points == 0 ? Json(nullptr)
                                                     : Json{{"unknown", agreement.worst},
                                                            {"at", {{m.independent.name(), agreement.time}}}}},
                     {"verdict", verdict}};
  a.json["crossings"] = Json::array();
  for (const BoundCrossing& c : run.crossings)
    a.json["crossings"].push_back(
        {{"unknown", c.state}, {"time", c.time}, {"bound", c.bound}, {"side", c.upper ? "upper" : "lower"}});
  a.text +=
      fmt::format("statistics: {} right-hand sides, {} Jacobians, {} error test failures, {} failed corrections\n",
                  run.right_side_calls, run.jacobian_calls, run.error_test_failures, run.nonlinear_failures);
  if (!r.out.empty()) {
    write_output(r.out.get(), to_csv(s, run), output_policy(r));
    a.text += fmt::format("{} samples written to {}\n", run.times.size(), r.out.get());
  }
  if (!r.plot.empty()) {
    draw_run(r, r, m, s, run);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace

Command simulate_command() {
  return command<SimulateRequest>("simulate", "run a model in time",
                                  "  boreon simulate model.toml --until 600\n"
                                  "  boreon simulate model.toml --until 600 --out run.csv --plot run.png\n"
                                  "  boreon simulate model.toml --method adams --samples 2001\n"
                                  "  boreon simulate plate.toml --loops --threads 2 --save end.vti --plot end.png\n",
                                  answer_to);
}

}  // namespace boreon::cli
