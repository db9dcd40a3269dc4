// SPDX-License-Identifier: MIT
// fit: least squares of a model, with standard errors and a figure.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "boreon/least_squares.hpp"
#include "boreon/sensitivity.hpp"
#include "fit.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

std::string unit_of_unknown(const Model& m, const std::string& name) {
  for (const Parameter& p : m.parameters) {
    if (p.name == name) return p.unit;
  }
  const Unknown* const u = m.find_unknown(name.substr(0, name.find('(')));
  return u == nullptr ? std::string() : u->unit;
}

// "2.168e+11 +- 5.2e+09": two digits of the error, and as many places of the value.
std::string with_error(double value, double error, int digits) {
  if (!(error > 0) || !std::isfinite(error)) return fmt::format("{:.{}g}", value, digits);
  const int places = value == 0 ? 2
                                : std::clamp(static_cast<int>(std::floor(std::log10(std::fabs(value)))) -
                                                 static_cast<int>(std::floor(std::log10(error))) + 2,
                                             2, std::max(digits, 6));
  return fmt::format("{:.{}g} +- {:.2g}", value, places, error);
}

std::string label_of(const DataTable& d, std::size_t c) {
  const std::string unit = c < d.units.size() ? d.units[c] : std::string();
  return typeset_label(unit.empty() ? d.names[c] : fmt::format("{} [{}]", d.names[c], unit));
}

// Places over more than two decades crowd at one end of a linear axis.
bool spans_decades(const std::vector<double>& places) {
  const auto [low, high] = std::minmax_element(places.begin(), places.end());
  return low != places.end() && *low > 0 && *high > 100 * *low;
}

std::vector<double> grid(const std::vector<double>& places) {
  const auto [low, high] = std::minmax_element(places.begin(), places.end());
  std::vector<double> out;
  for (int k = 0; k <= 400; ++k) out.push_back(*low + (*high - *low) * k / 400.0);
  return out;
}

// Data with error bars, the model with its band, and the residuals below.
void draw(const FitRequest& r, const Model& m, const FitProblem& p, const FitResult& f) {
  std::vector<Figure> panels;
  for (std::size_t k = 0; k < f.curves.size(); ++k) {
    const FitResult::Curve& c = f.curves[k];
    const auto column = column_along(p, k);
    std::vector<double> places;
    for (const std::size_t row : c.rows)
      places.push_back(column ? p.data.columns[*column][row] : static_cast<double>(row + 1));
    Figure top;
    top.title = k == 0 ? m.title : "";
    top.y_label = label_of(p.data, p.data.find(p.targets[k].name).value_or(0));
    const bool log_x = r.log_x || (!p.run && spans_decades(places));
    top.logarithmic_x = log_x;
    top.logarithmic_y = r.log_y;
    FitResult::Curve model;
    std::vector<double> at;
    if (column) {
      at = grid(places);
      if (log_x && at[0] > 0) {
        for (std::size_t i = 0; i < at.size(); ++i)
          at[i] = at.front() * std::pow(at.back() / at.front(), static_cast<double>(i) / 400);
      }
      model = model_curve(p, f, k, *column, at);
    }
    if (model.model.empty()) {  // along the rows themselves, in order
      std::vector<std::size_t> order(places.size());
      std::iota(order.begin(), order.end(), std::size_t{0});
      std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) { return places[a] < places[b]; });
      at.clear();
      for (const std::size_t i : order) {
        at.push_back(places[i]);
        model.model.push_back(c.model[i]);
        model.band.push_back(c.band[i]);
      }
    }
    Curve band{"", at, model.model};
    Curve line{"model, band of one standard error", at, model.model};
    for (std::size_t i = 0; i < at.size(); ++i) {
      band.low.push_back(model.model[i] - model.band[i]);
      band.high.push_back(model.model[i] + model.band[i]);
    }
    Curve data{"measured", places, c.measured, true};
    if (p.targets[k].absolute) data.errors = c.deviation;
    top.curves = {band, line, data};
    Figure below;
    below.x_label = column ? label_of(p.data, *column) : "row";
    below.y_label = p.targets[k].absolute ? "residual / sigma" : "residual";
    below.logarithmic_x = log_x;
    Curve rest{"", places, {}, true};
    for (std::size_t i = 0; i < c.rows.size(); ++i) rest.y.push_back((c.measured[i] - c.model[i]) / c.deviation[i]);
    const auto [low, high] = std::minmax_element(places.begin(), places.end());
    below.curves = {{"", {*low, *high}, {0, 0}}, rest};
    panels.push_back(std::move(top));
    panels.push_back(std::move(below));
  }
  if (panels.empty()) throw Error(ErrorKind::usage, "there is nothing to draw");
  write_figures(panels, r.plot.get(), output_policy(r));
}

// Of outputs without a run: values, and what the covariance of the unknowns makes of them.
void add_outputs(Answer& a, const Model& m, const FitResult& f, int digits) {
  if (!m.equations.empty() || m.outputs.empty()) return;
  System s = system_of(m);
  s.start = f.values;
  std::vector<std::string> by;
  for (const std::string& n : s.state_names) by.push_back(n + "(0)");
  SensitivityOptions o;
  o.at = OutputsAt::start;
  o.differences = false;
  const SensitivityResult r = sensitivities(s, s.output_names, by, o);
  std::vector<double> errors;
  for (const double e : f.standard_errors) errors.push_back(std::isfinite(e) ? e : 0);
  std::vector<std::vector<double>> correlations = f.correlation;
  for (std::size_t i = 0; i < correlations.size(); ++i) {
    for (double& c : correlations[i]) c = std::isfinite(c) ? c : 0;
    correlations[i][i] = 1;
  }
  const Propagation p = propagate(r, errors, correlations);
  for (std::size_t i = 0; i < s.output_names.size(); ++i) {
    a.text += fmt::format("  {} = {}  {}(output)\n", s.output_names[i],
                          with_error(r.output_values[i], p.deviations[i], digits),
                          m.outputs[i].unit.empty() ? "" : m.outputs[i].unit + " ");
    a.json["outputs"][s.output_names[i]] = r.output_values[i];
    a.json["uncertainties"][s.output_names[i]] = p.deviations[i];
  }
}

void write_table(const Request& r, const FitProblem& p, const FitResult& f) {
  if (!r.out.peek().ends_with(".csv"))
    throw Error(ErrorKind::usage,
                fmt::format("the rows of a fit are written as .csv, the answer as .json; not '{}'", r.out.peek()));
  std::string text = "target,row,measured,sigma,model,model_error\n";
  for (std::size_t k = 0; k < f.curves.size(); ++k) {
    const FitResult::Curve& c = f.curves[k];
    for (std::size_t i = 0; i < c.rows.size(); ++i)
      text += fmt::format("{},{},{:.17g},{:.17g},{:.17g},{:.17g}\n", p.targets[k].name, c.rows[i] + 1, c.measured[i],
                          c.deviation[i], c.model[i], c.band[i]);
  }
  write_output(r.out.get(), text, output_policy(r));
}

void add_json(Answer& a, const FitProblem& p, const FitResult& f) {
  a.json["values"] = Json::object();
  a.json["standard_errors"] = Json::object();
  a.json["correlation"] = Json::object();
  for (std::size_t i = 0; i < p.names.size(); ++i) {
    a.json["values"][p.names[i]] = f.values[i];
    a.json["standard_errors"][p.names[i]] = f.standard_errors[i];
    a.json["correlation"][p.names[i]] = Json::object();
    for (std::size_t j = 0; j < p.names.size(); ++j)
      a.json["correlation"][p.names[i]][p.names[j]] = f.correlation[i][j];
  }
  a.json["result"] = a.json["values"];
  a.json["status"] = "approximate";
  a.json["at_bounds"] = Json::array();
  for (const ActiveBound& b : f.at_bounds) a.json["at_bounds"].push_back(b.name);
  a.json["degrees_of_freedom"] = f.degrees_of_freedom;
  a.json["measurements"] = f.measurements;
  a.json["left_out"] = f.left_out;
  a.json["residual_norm"] = f.residual_norm;
  a.json["chi_square"] = f.chi_square;
  a.json["iterations"] = f.iterations;
  a.json["statistics"] = {
      {"starts", f.starts},         {"same_minimum", f.same_minimum}, {"other_minima", f.other_minima},
      {"eliminated", f.eliminated}, {"nonlinearity", f.nonlinearity}, {"robust_scale", f.robust_scale}};
  if (!f.profile.empty()) {
    a.json["intervals"] = Json::object();
    for (std::size_t i = 0; i < p.names.size(); ++i) {
      a.json["intervals"][p.names[i]] = Json::array();
      a.json["intervals"][p.names[i]].push_back(f.profile[i].first);
      a.json["intervals"][p.names[i]].push_back(f.profile[i].second);
    }
  }
  a.json["check"] = json_of(f.evidence);
}

// R^2 of each column.
void add_determination(Answer& a, const FitProblem& p, const FitResult& f) {
  a.json["determination"] = Json::object();
  std::string list;
  for (std::size_t k = 0; k < f.determination.size(); ++k) {
    a.json["determination"][p.targets[k].name] = f.determination[k];
    if (std::isfinite(f.determination[k]))
      list += fmt::format("{}{:.6g} of {}", list.empty() ? "" : ", ", f.determination[k], p.targets[k].name);
  }
  if (!list.empty()) a.text += fmt::format("  R^2: {}\n", list);
}

void add_text(Answer& a, const Model& m, const FitProblem& p, const FitResult& f, int digits) {
  a.text = m.called() + "\n";
  a.text += fmt::format("fit of {} unknown{} to {} measurements{}: {} = {:.6g} for {} degrees of freedom\n",
                        p.names.size(), p.names.size() == 1 ? "" : "s", f.measurements,
                        f.left_out > 0 ? fmt::format(" ({} left out, values are missing)", f.left_out) : "",
                        f.absolute ? "chi-square" : "sum of squares", f.chi_square, f.degrees_of_freedom);
  std::size_t width = 0;
  for (const std::string& n : p.names) width = std::max(width, n.size());
  for (std::size_t i = 0; i < p.names.size(); ++i) {
    const auto bound = std::find_if(f.at_bounds.begin(), f.at_bounds.end(),
                                    [&](const ActiveBound& b) { return b.name == p.names[i]; });
    std::string remark;
    if (bound != f.at_bounds.end()) {
      remark = fmt::format("   at its {} bound", bound->upper ? "upper" : "lower");
    } else if (!std::isfinite(f.standard_errors[i])) {
      remark = f.degrees_of_freedom > 0 || f.absolute ? "   not determined by the data" : "";
    } else if (f.values[i] != 0) {
      remark = fmt::format("   {:.2g} %", 100 * f.standard_errors[i] / std::fabs(f.values[i]));
    }
    if (!f.profile.empty() && !std::isnan(f.profile[i].first))
      remark += fmt::format("   {:.{}g} to {:.{}g}", f.profile[i].first, digits, f.profile[i].second, digits);
    const std::string unit = unit_of_unknown(m, p.names[i]);
    a.text +=
        fmt::format("  {:<{}} = {}{}{}\n", p.names[i], width, with_error(f.values[i], f.standard_errors[i], digits),
                    unit.empty() ? "" : "  " + unit, remark);
  }
  std::string correlated;
  for (std::size_t i = 0; i < p.names.size(); ++i) {
    for (std::size_t j = 0; j < i; ++j) {
      if (std::fabs(f.correlation[i][j]) >= 0.5)
        correlated += fmt::format("{}{} and {} {:+.3f}", correlated.empty() ? "" : ", ", p.names[j], p.names[i],
                                  f.correlation[i][j]);
    }
  }
  if (!correlated.empty()) a.text += fmt::format("  correlation of errors: {}\n", correlated);
}

}  // namespace

Answer fit_of_model(const FitRequest& r, const Model& m) {
  const FitProblem p = fit_problem(m);
  FitOptions o;
  o.profile = r.profile.get();
  o.lowest = m.fits.empty();
  if (r.starts.get()) o.other_starts = *r.starts.get() - 1;
  const FitResult f = fit(p, o);
  if (!f.converged)
    throw Error(ErrorKind::convergence, fmt::format("no minimum of '{}' was found: {}", m.called(), f.message));
  const int digits = digits_of(r.digits);
  Answer a;
  add_json(a, p, f);
  add_text(a, m, p, f, digits);
  add_outputs(a, m, f, digits);
  if (!m.fits.empty()) add_determination(a, p, f);
  for (const std::string& w : f.warnings) r.warn(w);
  for (const Parameter& q : m.parameters) {
    if (q.uncertainty > 0 && !q.fit)
      r.warn(fmt::format("the uncertainty of {} is not part of the standard errors, which come from the data alone",
                         q.name));
  }
  a.text += fmt::format("  standard errors: {}{}\n",
                        f.absolute ? "from the given sigma" : "from the scatter of the residuals",
                        f.robust_scale > 0 ? fmt::format("; robust, with errors of about {:.3g}", f.robust_scale) : "");
  if (f.starts > 1)
    a.text += fmt::format("  {} of {} searches ended here{}\n", f.same_minimum, f.starts,
                          f.other_minima > 0 ? ", others in another minimum" : "");
  a.text += fmt::format(
      "check: one more step changes digit {:.0f} and beyond{}, the slope of the sum of squares is that of "
      "a minimum\n",
      std::floor(f.evidence.digits) + 1, f.evidence.worst_entry.empty() ? "" : " of " + f.evidence.worst_entry);
  if (!r.out.peek().empty() && !r.out.peek().ends_with(".json")) {
    write_table(r, p, f);
    a.text += fmt::format("rows written to {}\n", r.out.get());
  }
  if (!r.plot.empty()) {
    draw(r, m, p, f);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

namespace {
Answer answer_to(const FitRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "fit takes a model file (.toml) with [data] and [fit]");
  return fit_of_model(r, model_of(r));
}
}  // namespace

void FitRequest::declare(Declaration& d) {
  d.add("--digits", digits, "significant digits of the values (6)").within(1, 17);
  d.add("--starts", starts, "searches in all, the first from the start values (by cost)").within(1, 10000);
  d.add("--profile", profile, "intervals in which chi-square rises by at most 1");
  d.add("--plot", plot, "figure: data, model with its band, residuals, .png or .svg");
  declare_axes(d, "logarithmic x axis", "logarithmic y axis");
}

Command fit_command() {
  return command<FitRequest>("fit", "least squares with bounds: values, standard errors, correlation, a figure",
                             "  boreon fit decay.toml\n"
                             "  boreon fit decay.toml --plot fit.png --out rows.csv\n"
                             "  boreon fit decay.toml --profile --starts 20\n",
                             answer_to);
}

}  // namespace boreon::cli
