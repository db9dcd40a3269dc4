// solve and simulate: numbers from a model.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>

#include "request.hpp"

namespace boreon::cli {
namespace {

std::string unit_of(const Model& m, const std::string& state) {
  const bool rate = state.ends_with("'");
  const Unknown* u = m.find_unknown(rate ? state.substr(0, state.size() - 1) : state);
  if (u == nullptr || u->unit.empty()) return {};
  return rate && !m.independent_unit.empty() ? u->unit + "/" + m.independent_unit : u->unit;
}

// Whether the independent variable occurs other than as the argument of an unknown.
bool depends_explicitly(const Expr& e, const Expr& time) {
  Rebuild without_unknowns([](const Expr& x, Expr& result) {
    if (!x.is(Kind::unknown_call)) return false;
    result = 0;
    return true;
  });
  try {
    return depends_on(without_unknowns(e), time);
  } catch (const Error&) {
    return true;
  }
}

std::size_t name_width(const std::vector<std::string>& a, const std::vector<std::string>& b) {
  std::size_t w = 0;
  for (const auto& n : a) w = std::max(w, n.size());
  for (const auto& n : b) w = std::max(w, n.size());
  return w;
}

void list_values(Answer& a, const Model& m, const System& s, const std::vector<double>& states, const std::vector<double>& outputs) {
  const std::size_t width = name_width(s.state_names, s.output_names);
  const bool many = s.state_names.size() > 24;
  for (std::size_t i = 0; i < states.size(); ++i) {
    if (!many || i < 12) a.text += fmt::format("  {:<{}} = {:<20.12g} {}\n", s.state_names[i], width, states[i], unit_of(m, s.state_names[i]));
    a.json["values"][s.state_names[i]] = states[i];
  }
  if (many) a.text += fmt::format("  ... {} more (--json or --out gives all)\n", states.size() - 12);
  a.json["outputs"] = Json::object();
  for (std::size_t i = 0; i < outputs.size(); ++i) {
    a.text += fmt::format("  {:<{}} = {:<20.12g} {}(output)\n", s.output_names[i], width, outputs[i], m.outputs[i].unit.empty() ? "" : m.outputs[i].unit + " ");
    a.json["outputs"][s.output_names[i]] = outputs[i];
  }
}

std::vector<std::size_t> chosen(const Request& r, const System& s) {
  std::vector<std::string> all = s.state_names;
  all.insert(all.end(), s.output_names.begin(), s.output_names.end());
  std::vector<std::size_t> picked;
  for (const std::string& text : r.show) {
    for (const std::string& name : split(text)) {
      const auto at = std::find(all.begin(), all.end(), name);
      if (at == all.end()) throw Error(ErrorKind::name, fmt::format("--show: the model has no unknown or output '{}'{}", name, suggestion(name, all)));
      picked.push_back(static_cast<std::size_t>(at - all.begin()));
    }
  }
  if (picked.empty()) {
    for (std::size_t i = 0; i < std::min<std::size_t>(8, s.states.size()); ++i) picked.push_back(i);
  }
  return picked;
}

void draw(const Request& r, const Model& m, const System& s, const TimeResult& run) {
  Figure f;
  f.title = m.title;
  f.x_label = m.independent.name() + (m.independent_unit.empty() ? "" : " (" + m.independent_unit + ")");
  f.logarithmic_x = r.log_x;
  f.logarithmic_y = r.log_y;
  std::string common_unit;
  bool same_unit = true;
  for (const std::size_t k : chosen(r, s)) {
    Curve c;
    const bool state = k < s.states.size();
    const std::size_t o = state ? 0 : k - s.states.size();
    const std::string unit = state ? unit_of(m, s.state_names[k]) : m.outputs[o].unit;
    c.label = state ? s.state_names[k] : s.output_names[o];
    if (f.curves.empty()) common_unit = unit;
    same_unit = same_unit && unit == common_unit;
    if (!unit.empty()) c.label += " (" + unit + ")";
    for (std::size_t i = 0; i < run.times.size(); ++i) {
      c.x.push_back(run.times[i]);
      c.y.push_back(state ? run.states[i][k] : run.outputs[i][o]);
    }
    f.curves.push_back(std::move(c));
  }
  f.y_label = same_unit ? common_unit : "";
  write_figure(f, r.plot);
}

}  // namespace

Answer solve(const Request& r) {
  if (!is_model(r.inputs.at(0))) {
    throw Error(ErrorKind::unsupported, "this version solves model files (boreon solve model.toml); exact solving of equations given on the command line is not part of it");
  }
  const Model m = model_of(r);
  const System s = steady_system(m);
  SteadyOptions options;
  options.linear_solver = linear_solver_of(r);
  if (r.tolerance > 0) options.tolerance = r.tolerance;
  std::vector<Expr> sides;
  for (const ModelEquation& e : m.equations) sides.push_back(e.resolved.residual());
  const bool explicit_time = std::any_of(sides.begin(), sides.end(), [&](const Expr& e) { return depends_explicitly(e, m.independent); });
  const SteadyResult result = solve_steady(s, options);
  Answer a;
  a.text = (m.title.empty() ? m.path : m.title) + "\n";
  if (r.verbose || !result.converged) {
    a.text += "  iteration   residual norm       step\n";
    for (const Iteration& i : result.iterations) a.text += fmt::format("  {:>9}   {:>13.6e}   {:>8.1e}\n", i.number, i.residual_norm, i.step_norm);
  }
  if (!result.converged) {
    throw Error(ErrorKind::convergence,
                fmt::format("no steady state of '{}' was found: {}\n{}", m.title.empty() ? m.path : m.title, result.message, a.text.substr(a.text.find('\n') + 1)));
  }
  a.text += fmt::format("steady state: {} in {} iterations, residual norm {:.2e} ({})\n", result.message, result.iterations.empty() ? 0 : result.iterations.size() - 1,
                        result.residual_norm, result.linear_solver);
  if (explicit_time) a.text += fmt::format("  the equations depend on {0}; they are taken at {0} = {1}\n", m.independent.name(), m.run.from);
  list_values(a, m, s, result.values, result.outputs);
  if (!result.at_bounds.empty()) a.text += fmt::format("  at a bound: {}\n", fmt::join(result.at_bounds, ", "));
  const double digits = result.correction > 0 ? std::clamp(-std::log10(result.correction), 0.0, 15.0) : 15.0;
  a.text += fmt::format("check: one more Newton step changes digit {:.0f} and beyond\n", digits);
  a.json["result"] = a.json["values"];
  a.json["status"] = "approximate";
  a.json["iterations"] = result.iterations.empty() ? 0 : result.iterations.size() - 1;
  a.json["residual_norm"] = result.residual_norm;
  a.json["at_bounds"] = result.at_bounds;
  a.json["statistics"] = {{"residual_calls", result.residual_calls},
                          {"jacobian_calls", result.jacobian_calls},
                          {"linear_solver", result.linear_solver},
                          {"nonzeros", result.nonzeros},
                          {"restarts", result.restarts}};
  Json table = Json::array();
  for (const Iteration& i : result.iterations) table.push_back({{"iteration", i.number}, {"residual_norm", i.residual_norm}, {"step_norm", i.step_norm}});
  a.json["iteration_table"] = table;
  a.json["check"] = {{"method", "Newton correction at the answer"},
                     {"points", 1},
                     {"digits", digits},
                     {"worst", {{"correction", result.correction}}},
                     {"verdict", digits >= 7 ? "agrees" : "disagrees"}};
  if (!r.out.empty()) write_file(r.out, a.json["values"].dump(2) + "\n");
  return a;
}

Answer simulate(const Request& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "simulate takes a model file (.toml)");
  const Model m = model_of(r);
  const System s = time_system(m);
  TimeOptions o;
  o.from = m.run.from;
  if (!r.until && !m.run.until) throw Error(ErrorKind::usage, "say until when to run: --until 600, or until = 600 in [run] of the model");
  o.until = r.until.value_or(m.run.until.value_or(0));
  o.samples = r.samples.value_or(m.run.samples);
  o.relative_tolerance = r.tolerance > 0 ? r.tolerance : m.run.relative_tolerance;
  o.absolute_tolerance = m.run.absolute_tolerance;
  o.method = r.method == "adams" ? SteppingMethod::adams : SteppingMethod::bdf;
  o.linear_solver = linear_solver_of(r);
  const bool terminal = !r.json && ::isatty(STDERR_FILENO) != 0;
  if (terminal) {
    o.progress = [&](double t) { fmt::print(stderr, "\r{:3.0f} %", 100 * (t - o.from) / (o.until - o.from)); };
  }
  const TimeResult run = step_in_time(s, o);
  if (terminal) fmt::print(stderr, "\r      \r");
  const auto& final_state = run.states.back();
  if (!run.completed) throw Error(ErrorKind::convergence, fmt::format("the run of '{}' stopped: {}", m.title.empty() ? m.path : m.title, run.message));
  Answer a;
  a.text = fmt::format("{}\nrun from {} to {} {}: {} steps, {} ({})\n", m.title.empty() ? m.path : m.title, o.from, o.until, m.independent_unit, run.steps, run.method,
                       run.linear_solver);
  list_values(a, m, s, final_state, run.outputs.back());
  double digits = 0;
  std::string verdict = "untested";
  if (!r.no_check) {
    TimeOptions finer = o;
    finer.relative_tolerance = std::max(1e-13, o.relative_tolerance / 100);
    finer.absolute_tolerance = o.absolute_tolerance / 100;
    finer.samples = 2;
    finer.progress = nullptr;
    const TimeResult reference = step_in_time(s, finer);
    if (reference.completed) {
      digits = 15;
      double largest = 0;
      for (const double v : final_state) largest = std::max(largest, std::abs(v));
      for (std::size_t i = 0; i < final_state.size(); ++i) {
        double scale = 0;
        for (const auto& y : run.states) scale = std::max(scale, std::abs(y[i]));
        const double d = std::abs(final_state[i] - reference.states.back()[i]);
        if (d > 0 && scale > 0) digits = std::min(digits, -std::log10(d / scale));
      }
      verdict = digits >= 3 ? "agrees" : "disagrees";
      a.text += fmt::format("check: the run repeated with tolerances a hundred times tighter agrees to {:.1f} digits\n", digits);
    }
  }
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
  a.json["check"] = {{"method", "repeated with tolerances a hundred times tighter"}, {"points", 1}, {"digits", digits}, {"worst", nullptr}, {"verdict", verdict}};
  if (verdict == "disagrees") a.exit_code = 1;
  a.text += fmt::format("statistics: {} right-hand sides, {} Jacobians, {} error test failures, {} failed corrections\n", run.right_side_calls, run.jacobian_calls,
                        run.error_test_failures, run.nonlinear_failures);
  if (!r.out.empty()) {
    write_file(r.out, to_csv(s, run));
    a.text += fmt::format("{} samples written to {}\n", run.times.size(), r.out);
  }
  if (!r.plot.empty()) {
    draw(r, m, s, run);
    a.text += fmt::format("figure written to {}\n", r.plot);
  }
  return a;
}

}  // namespace boreon::cli
