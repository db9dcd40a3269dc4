// SPDX-License-Identifier: MIT
// solve: the steady state of a model.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/continuation.hpp"
#include "boreon/evidence.hpp"
#include "sensitivity.hpp"
#include "solve.hpp"
#include "values.hpp"

namespace boreon::cli {
namespace {

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

// Of a search that went nowhere the beginning and the end say enough.
std::string iteration_table(const SteadyResult& result, bool all) {
  constexpr std::size_t at_the_end = 4;
  const std::size_t count = result.iterations.size();
  const std::size_t first = all || count <= 12 + at_the_end ? count : 12;
  std::string text = "  iteration   residual norm       step\n";
  for (std::size_t k = 0; k < count; ++k) {
    if (k == first) {
      text += fmt::format("  ... {} more, --verbose shows them\n", count - first - at_the_end);
      k = count - at_the_end;
    }
    const Iteration& i = result.iterations[k];
    text += fmt::format("  {:>9}   {:>13.6e}   {:>8.1e}\n", i.number, i.residual_norm, i.step_norm);
  }
  return text;
}

void warn_of_integrals(const Request& r, const System& s) {
  for (std::size_t i = 0; i < s.outputs.size(); ++i) {
    if (s.outputs[i].is_constant(ConstantCode::undefined))
      r.warn(
          fmt::format("the output {} is an integral over time, which a steady state does not have", s.output_names[i]));
  }
}

}  // namespace

Answer solve_model(const SolveRequest& r, const Model& m) {
  const System s = steady_system(m);
  SteadyOptions options;
  options.linear_solver = r.chosen_solver();
  if (r.tolerance.get() > 0) options.tolerance = r.tolerance.get();
  std::vector<Expr> sides;
  for (const ModelEquation& e : m.equations) sides.push_back(e.resolved.residual());
  const bool explicit_time =
      std::any_of(sides.begin(), sides.end(), [&](const Expr& e) { return depends_explicitly(e, m.independent); });
  SteadyResult result = solve_steady(s, options);
  if (!result.converged) result = follow_to_steady_state(s, result, options);
  Answer a;
  a.text = m.called() + "\n";
  if (r.verbose || !result.converged) a.text += iteration_table(result, r.verbose);
  if (!result.converged) {
    throw Error(ErrorKind::convergence, fmt::format("no steady state of '{}' was found: {}\n{}", m.called(),
                                                    result.message, a.text.substr(a.text.find('\n') + 1)));
  }
  a.text += fmt::format("steady state: {} in {} iterations, residual norm {:.2e} ({})\n", result.message,
                        result.iterations.empty() ? 0 : result.iterations.size() - 1, result.residual_norm,
                        result.linear_solver);
  if (explicit_time)
    a.text +=
        fmt::format("  the equations depend on {0}; they are taken at {0} = {1}\n", m.independent.name(), m.run.from);
  list_values(a, m, s, result.values, result.outputs, digits_of(r.digits));
  warn_of_integrals(r, s);
  if (!result.at_bounds.empty()) a.text += fmt::format("  at a bound: {}\n", fmt::join(result.at_bounds, ", "));
  // The unknown that is known worst, and the equation that is fulfilled worst, each by its own measure.
  const auto worst_of = [](const std::vector<double>& list) {
    return static_cast<std::size_t>(std::max_element(list.begin(), list.end()) - list.begin());
  };
  const double equation = result.term_residuals.empty() ? 0 : result.term_residuals[worst_of(result.term_residuals)];
  const double correction = std::max(result.correction, result.corrections.empty() ? equation : 0.0);
  const double digits = agreeing_digits(correction);
  const std::string unknown = result.corrections.empty() ? std::string() : s.state_names[worst_of(result.corrections)];
  a.text += unknown.empty() ? fmt::format(
                                  "check: every equation is fulfilled exactly or to {:.1e} of its terms; the Jacobian "
                                  "is singular there\n",
                                  equation)
                            : fmt::format(
                                  "check: one more Newton step and rounding change digit {:.0f} and beyond of {}{}; "
                                  "every equation is fulfilled {}\n",
                                  std::floor(digits) + 1, unknown, s.states.size() == 1 ? "" : ", the others later",
                                  equation == 0 ? "exactly" : fmt::format("to {:.1e} of its terms", equation));
  add_uncertainties(a, r, m, s, sensitivity_options(m, OutputsAt::steady_state), r.monte_carlo);
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
  for (const Iteration& i : result.iterations)
    table.push_back({{"iteration", i.number}, {"residual_norm", i.residual_norm}, {"step_norm", i.step_norm}});
  a.json["iteration_table"] = table;
  a.json["check"] = {
      {"method",
       "Newton correction and rounding of each unknown against its own size, each equation against its terms"},
      {"points", 1},
      {"digits", digits},
      {"worst", {{"correction", correction}, {"unknown", unknown}, {"equation_residual", equation}}},
      {"verdict", digits >= 3 ? "agrees" : "disagrees"}};
  if (digits < 6)
    r.warn(fmt::format("only {:.1f} digits of {} are sure: a multiple solution, or nearly dependent equations", digits,
                       unknown));
  if (digits < 3) a.exit_code = 1;
  write_values(a, r, s, result.values, result.outputs);
  if (!r.plot.empty()) {
    draw_fields(r, r, m, s, result.values, result.outputs);
    a.text += fmt::format("figure written to {}\n", r.plot.get());
  }
  return a;
}

}  // namespace boreon::cli
