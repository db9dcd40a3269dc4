// SPDX-License-Identifier: MIT
// sensitivity: derivatives of steady states and of ends of runs, and what uncertain parameters do to outputs.
#include "boreon/sensitivity.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "command.hpp"
#include "sensitivity.hpp"

namespace boreon::cli {
namespace {

struct SensitivityRequest : Request {
  Option<std::string> of;
  Option<std::vector<std::string>> wrt;
  Option<std::optional<double>> until;
  Option<std::string> precision{"double"};
  Option<bool> second{false};
  Option<std::string> plot;
  Option<bool> no_check{false};

  void declare(Declaration& d) override {
    d.add("--of", of, "outputs or unknowns: n_e,share (all outputs)");
    d.add("--wrt", wrt, "parameters, and start values of runs as \"x(0)\" (all parameters)");
    d.add("--until", until, "end of the run (default: the model's; without one: steady state)");
    d.add("--precision", precision, "double, or single: what single precision would have lost")
        .one_of({"double", "single"});
    d.add("--second", second, "second derivatives of a steady state too, and what they do to its mean");
    d.add("--plot", plot, "figure: the most influential parameters, errors of differences");
    d.add("--no-check", no_check, "skip the difference quotients");
  }
};

std::string percent(double v) { return std::isfinite(v) ? fmt::format("{:+.4g}", v) : std::string("-"); }

// The error of each kind of difference quotient over the steps: too long, and the curve shows; too short, and rounding.
Figure steps_figure(const SensitivityResult& s, std::size_t output, std::size_t input, bool single) {
  const Sensitivity& one = s.of(output, input);
  Figure f;
  f.title = fmt::format("Error of difference quotients of {} by {}", s.outputs[output], s.inputs[input]);
  f.x_label = fmt::format("step of {}", s.inputs[input]);
  f.y_label = "relative error";
  f.logarithmic_x = true;
  f.logarithmic_y = true;
  Curve forward{"one-sided", {}, {}};
  Curve central{"central", {}, {}};
  Curve rounded{"central, values in single precision", {}, {}};
  const auto error = [&](double v) { return std::max(std::fabs(v / one.forward - 1), 1e-16); };
  for (const DifferenceStep& d : one.steps) {
    for (Curve* c : {&forward, &central, &rounded}) c->x.push_back(d.step);
    forward.y.push_back(error(d.one_sided));
    central.y.push_back(error(d.central));
    rounded.y.push_back(std::isnan(d.single) ? d.single : error(d.single));
  }
  f.curves = {forward, central};
  if (single) f.curves.push_back(rounded);
  return f;
}

void draw(const SensitivityRequest& r, const Model& m, const SensitivityResult& s, bool single) {
  std::vector<std::size_t> order(s.inputs.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  const auto weight = [&](std::size_t i) {
    double w = 0;
    for (std::size_t o = 0; o < s.outputs.size(); ++o) {
      const double v = std::fabs(s.of(o, i).relative);
      w = std::max(w, std::isfinite(v) ? v : 0);
    }
    return w;
  };
  std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) { return weight(a) > weight(b); });
  if (order.size() > 12) order.resize(12);
  Figure bars;
  bars.title = m.title;
  bars.y_label = "percent for one percent (magnitude)";
  for (const std::size_t i : order) bars.categories.push_back(typeset_label(s.inputs[i]));
  for (std::size_t o = 0; o < s.outputs.size(); ++o) {
    Curve c{typeset_label(s.outputs[o]), {}, {}};
    for (const std::size_t i : order) c.y.push_back(std::fabs(s.of(o, i).relative));
    bars.curves.push_back(std::move(c));
  }
  std::vector<Figure> panels{bars};
  // the steps of the input that matters most for the first output
  const auto first = [&](std::size_t i) {
    return std::isfinite(s.of(0, i).relative) ? std::fabs(s.of(0, i).relative) : 0;
  };
  const auto most = *std::max_element(order.begin(), order.end(), [&](auto a, auto b) { return first(a) < first(b); });
  if (s.of(0, most).steps.size() > 2 && s.of(0, most).forward != 0) panels.push_back(steps_figure(s, 0, most, single));
  write_figures(panels, r.plot.get(), output_policy(r));
}

double best_digits(const Sensitivity& s, double DifferenceStep::*which) {
  double best = 0;
  for (const DifferenceStep& d : s.steps) {
    const double e = std::fabs(d.*which / s.forward - 1);
    if (std::isfinite(e)) best = std::max(best, e > 0 ? std::min(15.0, -std::log10(e)) : 15.0);
  }
  return best;
}

void add_tables(Answer& a, const SensitivityResult& s, bool single) {
  std::size_t width = 9;
  for (const std::string& n : s.inputs) width = std::max(width, n.size());
  for (std::size_t o = 0; o < s.outputs.size(); ++o) {
    a.text += fmt::format("\n{} = {:.6g}\n  {:<{}}  {:>12}  {:>14}  {:>9}  {:>14}  {:>6}{}\n", s.outputs[o],
                          s.output_values[o], "by", width, "value", "derivative", "% per %", "difference", "digits",
                          single ? "  single" : "");
    for (std::size_t i = 0; i < s.inputs.size(); ++i) {
      const Sensitivity& e = s.of(o, i);
      a.text += fmt::format("  {:<{}}  {:>12.6g}  {:>14.8g}  {:>9}  {:>14}  {:>6.1f}{}\n", s.inputs[i], width,
                            s.input_values[i], e.forward, percent(e.relative),
                            std::isnan(e.difference) ? "-" : fmt::format("{:.8g}", e.difference), e.digits,
                            !single          ? ""
                            : e.forward == 0 ? "       -"
                                             : fmt::format("  {:>6.1f}", best_digits(e, &DifferenceStep::single)));
    }
  }
}

void add_json(Answer& a, const SensitivityResult& s) {
  a.json["result"] = Json::object();
  for (std::size_t o = 0; o < s.outputs.size(); ++o) {
    Json& of = a.json["result"][s.outputs[o]];
    of = Json::object();
    for (std::size_t i = 0; i < s.inputs.size(); ++i) {
      const Sensitivity& e = s.of(o, i);
      of[s.inputs[i]] = {{"forward", e.forward},
                         {"adjoint", e.adjoint},
                         {"difference", e.difference},
                         {"digits", e.digits},
                         {"relative", e.relative}};
      Json steps = Json::array();
      for (const DifferenceStep& d : e.steps)
        steps.push_back({{"step", d.step}, {"one_sided", d.one_sided}, {"central", d.central}, {"single", d.single}});
      of[s.inputs[i]]["steps"] = steps;
    }
  }
  a.json["status"] = "approximate";
  a.json["outputs"] = Json::object();
  for (std::size_t o = 0; o < s.outputs.size(); ++o) a.json["outputs"][s.outputs[o]] = s.output_values[o];
  a.json["statistics"] = {{"linear_solves", s.linear_solves}, {"right_side_calls", s.right_sides}};
  a.json["check"] = json_of(s.evidence);
}

std::vector<std::string> uncertain(const Model& m, std::vector<double>& deviations) {
  std::vector<std::string> names;
  for (const Parameter& p : m.parameters) {
    if (!(p.uncertainty > 0)) continue;
    names.push_back(p.name);
    deviations.push_back(p.uncertainty);
  }
  return names;
}

std::vector<std::vector<double>> correlations_of(const Model& m, const std::vector<std::string>& names) {
  if (m.correlations.empty()) return {};
  std::vector<std::vector<double>> c(names.size(), std::vector<double>(names.size(), 0.0));
  for (std::size_t i = 0; i < names.size(); ++i) c[i][i] = 1;
  const auto place = [&](std::size_t parameter) {
    return static_cast<std::size_t>(std::find(names.begin(), names.end(), m.parameters[parameter].name) -
                                    names.begin());
  };
  for (const ParameterCorrelation& one : m.correlations) {
    const std::size_t i = place(one.first);
    const std::size_t j = place(one.second);
    c[i][j] = c[j][i] = one.value;
  }
  return c;
}

// Second derivatives in percent of the output for a percent of each, the largest first; and what they make of the mean
// where parameters are uncertain.
void add_second(Answer& a, const Model& m, const System& s, const std::vector<std::string>& outputs,
                const std::vector<std::string>& inputs, const SensitivityOptions& options) {
  constexpr std::size_t most = 12;
  std::vector<double> deviations;
  const std::vector<std::string> uncertain_ones = uncertain(m, deviations);
  const auto correlations = correlations_of(m, uncertain_ones);
  const bool all_shown = std::all_of(uncertain_ones.begin(), uncertain_ones.end(), [&](const std::string& n) {
    return std::find(inputs.begin(), inputs.end(), n) != inputs.end();
  });
  for (const std::string& output : outputs) {
    const SecondSensitivity second = second_sensitivities(s, output, inputs, options);
    if (!second.found)
      throw Error(ErrorKind::convergence,
                  fmt::format("the second derivatives of {} could not be found: {}", output, second.message));
    struct Entry {
      std::size_t i, j;
      double relative;
    };
    std::vector<Entry> entries;
    const auto value_of = [&](const std::string& name) {
      return s.parameter_values[static_cast<std::size_t>(
          std::find(s.parameter_names.begin(), s.parameter_names.end(), name) - s.parameter_names.begin())];
    };
    Json& json = a.json["second"][output];
    for (std::size_t i = 0; i < inputs.size(); ++i) {
      for (std::size_t j = 0; j <= i; ++j) {
        json[inputs[i]][inputs[j]] = json[inputs[j]][inputs[i]] = second.second[i][j];
        entries.push_back({i, j, second.second[i][j] * value_of(inputs[i]) * value_of(inputs[j]) / second.value});
      }
    }
    std::stable_sort(entries.begin(), entries.end(),
                     [](const Entry& x, const Entry& y) { return std::fabs(x.relative) > std::fabs(y.relative); });
    a.text += fmt::format("\nsecond derivatives of {}\n", output);
    std::size_t width = 9;
    for (const std::string& n : inputs) width = std::max(width, n.size());
    for (std::size_t k = 0; k < entries.size() && k < most; ++k) {
      const Entry& e = entries[k];
      a.text += fmt::format("  {:<{}} {:<{}}  {:>14.8g}   {} relative\n", inputs[e.j], width, inputs[e.i], width,
                            second.second[e.i][e.j], percent(e.relative));
    }
    if (entries.size() > most) a.text += fmt::format("  ... {} more (--json gives all)\n", entries.size() - most);
    a.text += fmt::format("  check: {}: {:.1f} digits\n", second.evidence.method, second.evidence.digits);
    if (second.evidence.verdict == Verdict::disagrees) {
      a.text += "the ways to the second derivatives disagree\n";
      a.exit_code = 1;
    }
    if (uncertain_ones.empty()) continue;
    const SecondSensitivity moved = all_shown ? second : second_sensitivities(s, output, uncertain_ones, options);
    if (!moved.found) continue;
    std::vector<std::size_t> place;
    for (const std::string& n : uncertain_ones)
      place.push_back(
          static_cast<std::size_t>(std::find(moved.inputs.begin(), moved.inputs.end(), n) - moved.inputs.begin()));
    double shift = 0;
    double variance = 0;
    for (std::size_t i = 0; i < deviations.size(); ++i) {
      for (std::size_t j = 0; j < deviations.size(); ++j) {
        const double covariance = deviations[i] * deviations[j] *
                                  (i == j                 ? 1
                                   : correlations.empty() ? 0
                                                          : correlations[i][j]);
        shift += 0.5 * moved.second[place[i]][place[j]] * covariance;
        variance += moved.first[place[i]] * moved.first[place[j]] * covariance;
      }
    }
    const double deviation = std::sqrt(std::max(variance, 0.0));
    a.json["bias"][output] = shift;
    a.text +=
        fmt::format("  the uncertain parameters move the mean of {} by {:+.3g} to second order{}\n", output, shift,
                    deviation > 0 ? fmt::format(", {:.2g} of its standard deviation", std::fabs(shift) / deviation)
                                  : std::string());
  }
}

Answer answer_to(const SensitivityRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "sensitivity takes a model file (.toml)");
  const Model m = model_of(r);
  const bool chosen = m.objective && m.equations.size() < m.unknowns.size();
  if (m.equations.empty() && !chosen)
    throw Error(ErrorKind::usage,
                "the model has no equations; derivatives of its outputs: derive --what gradient --of");
  const bool in_time = m.in_time() && (r.until.get().has_value() || m.run.until);
  SensitivityOptions o = sensitivity_options(m, in_time ? OutputsAt::end_of_run : OutputsAt::steady_state, r.until);
  o.differences = !r.no_check;
  const System s = chosen ? conditions_of_optimum(m) : in_time ? time_system(m) : steady_system(m);
  std::vector<std::string> of = r.of.peek().empty() ? std::vector<std::string>() : split(r.of.get());
  if (of.empty()) of = s.output_names.empty() ? s.state_names : s.output_names;
  std::vector<std::string> by = names_in(r.wrt, "--wrt");
  if (by.empty()) {
    for (const Parameter& p : m.parameters) {
      if (!p.fixed) by.push_back(p.name);
    }
  }
  if (by.empty()) throw Error(ErrorKind::usage, "the model has no parameters; start values of a run: --wrt \"x(0)\"");
  const SensitivityResult result = sensitivities(s, of, by, o);
  if (!result.found)
    throw Error(ErrorKind::convergence, fmt::format("'{}' has no {} to differentiate: {}", m.called(),
                                                    in_time ? "end of its run" : "steady state", result.message));
  const bool single = r.precision.get() == "single";
  Answer a;
  a.text = fmt::format(
      "{}\nsensitivities {}\n", m.called(),
      in_time  ? fmt::format("at the end of the run, {} = {:.6g} {}", m.independent.name(), o.until, m.independent_unit)
      : chosen ? "of the optimum"
               : "of the steady state");
  add_tables(a, result, single);
  add_json(a, result);
  for (std::size_t k = 0; k < result.outputs.size(); ++k) {
    std::vector<std::string> none;
    for (std::size_t i = 0; i < result.inputs.size(); ++i) {
      if (result.of(k, i).forward == 0) none.push_back(result.inputs[i]);
    }
    if (!none.empty() && !r.wrt.peek().empty())
      r.warn(fmt::format("{} does not depend on {}", result.outputs[k], fmt::join(none, ", ")));
  }
  a.text += fmt::format("\ncheck: {}: {:.1f} digits{}\n", result.evidence.method, result.evidence.digits,
                        result.evidence.worst_entry.empty() ? "" : " (worst: " + result.evidence.worst_entry + ")");
  if (result.evidence.skipped > 0)
    r.warn(fmt::format(
        "{} of the derivatives could not be compared with differences: there is no solution a step to one side",
        result.evidence.skipped));
  if (result.evidence.verdict == Verdict::disagrees) {
    a.text += "the ways to the derivatives disagree\n";
    a.exit_code = 1;
  }
  if (r.second) add_second(a, m, s, of, by, o);
  if (!r.plot.empty()) {
    draw(r, m, result, single);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace

std::vector<std::string> names_in(const Option<std::vector<std::string>>& option, const char* what) {
  std::vector<std::string> all;
  for (const std::string& text : option) {
    for (const std::string& name : split(text)) {
      if (name.empty()) throw Error(ErrorKind::usage, fmt::format("{} takes names: {} a,b", what, what));
      if (std::find(all.begin(), all.end(), name) == all.end()) all.push_back(name);
    }
  }
  return all;
}

SensitivityOptions sensitivity_options(const Model& m, OutputsAt at, std::optional<double> until) {
  SensitivityOptions o;
  o.at = at;
  o.from = m.run.from;
  o.absolute_tolerance = m.run.absolute_tolerance;
  o.relative_tolerance = std::min(1e-10, m.run.relative_tolerance);
  if (at != OutputsAt::end_of_run) return o;
  o.until = until.value_or(m.run.until.value_or(o.from));
  if (!(o.until > o.from)) throw Error(ErrorKind::usage, "the run must end after it starts: --until is too small");
  return o;
}

void add_uncertainties(Answer& a, const Request& r, const Model& m, const System& s, const SensitivityOptions& given,
                       std::size_t draws) {
  std::vector<double> deviations;
  const std::vector<std::string> by = uncertain(m, deviations);
  if (by.empty()) {
    if (draws > 0)
      throw Error(ErrorKind::usage, "--monte-carlo needs uncertain parameters: k = { value = 1, uncertainty = 0.1 }");
    return;
  }
  SensitivityOptions o = given;
  o.adjoint = false;
  o.differences = false;
  std::vector<std::string> of;
  for (std::size_t i = 0; i < s.outputs.size(); ++i) {
    if (!s.outputs[i].is_constant(ConstantCode::undefined)) of.push_back(s.output_names[i]);
  }
  if (s.outputs.empty()) of = s.state_names;
  if (of.empty()) return;
  const SensitivityResult result = sensitivities(s, of, by, o);
  a.json["uncertainties"] = Json::object();
  if (!result.found) {
    r.warn("the uncertainties of the outputs could not be found: " + result.message);
    return;
  }
  const auto correlations = correlations_of(m, by);
  const Propagation p = propagate(result, deviations, correlations);
  MonteCarlo mc;
  if (draws > 0) mc = monte_carlo(s, of, by, deviations, correlations, draws, o);
  std::size_t width = 0;
  for (const std::string& n : of) width = std::max(width, n.size());
  a.text += "one standard deviation, to first order in the uncertain parameters:\n";
  a.json["contributions"] = Json::object();
  for (std::size_t k = 0; k < of.size(); ++k) {
    a.json["uncertainties"][of[k]] = p.deviations[k];
    std::vector<std::size_t> order(by.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(),
              [&](auto x, auto y) { return std::fabs(p.contributions[k][x]) > std::fabs(p.contributions[k][y]); });
    std::string from;
    a.json["contributions"][of[k]] = Json::object();
    for (std::size_t n = 0; n < order.size(); ++n) {
      const std::size_t i = order[n];
      a.json["contributions"][of[k]][by[i]] = p.contributions[k][i];
      if (p.contributions[k][i] != 0 && n < 3)
        from += fmt::format("{}{:+.3g} by {}", from.empty() ? "" : ", ", p.contributions[k][i], by[i]);
    }
    a.text += fmt::format("  {:<{}} = {:.6g} +- {:.3g}{}\n", of[k], width, result.output_values[k], p.deviations[k],
                          from.empty() ? "" : "   (" + from + ")");
    if (draws > 0) {
      const double off = p.deviations[k] > 0 ? mc.deviations[k] / p.deviations[k] - 1 : 0;
      const double shift = p.deviations[k] > 0 ? (mc.means[k] - result.output_values[k]) / p.deviations[k] : 0;
      const bool enough = std::fabs(off) < std::max(0.1, 4 * mc.resolution) && std::fabs(shift) < 0.2;
      a.json["monte_carlo"][of[k]] = {{"mean", mc.means[k]}, {"deviation", mc.deviations[k]}, {"enough", enough}};
      a.text += fmt::format("  {:<{}}   {} draws: {:.6g} +- {:.3g}; first order {}\n", "", width, mc.draws, mc.means[k],
                            mc.deviations[k], enough ? "suffices" : "does not suffice");
    }
  }
  if (mc.failed > 0) r.warn(fmt::format("{} of the draws had no solution and were left out", mc.failed));
}

Command sensitivity_command() {
  return command<SensitivityRequest>(
      "sensitivity", "derivatives of a steady state or of the end of a run, forward, adjoint and by differences",
      "  boreon sensitivity model.toml --of n_e --wrt alpha,q\n"
      "  boreon sensitivity model.toml --until 60 --plot bars.png\n"
      "  boreon sensitivity model.toml --of n_e --wrt \"n_e(0)\" --precision single\n",
      answer_to);
}

}  // namespace boreon::cli
