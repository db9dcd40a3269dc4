// SPDX-License-Identifier: MIT
// The damped oscillation of a field line after a kick: solved exactly with its initial values, for each strength of the
// damping, and set beside a run in time. The displacement u obeys u'' + 2*b*u' + w^2*u = a kick at t = T.
#include <algorithm>
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  const Symbol t("t"), w("w", {Assumption::positive}), b("b", {Assumption::positive});
  const UnknownFunction u("u");
  const Expr free_oscillation = derivative(u(t), t, 2) + 2 * b * derivative(u(t), t) + power(w, 2) * u(t);
  const Expr at_zero[] = {0};
  const int first[] = {1};
  const std::vector<Expr> given{u(Expr(0)) - 1, u.derivative_at(at_zero, first)};

  const OdeSolutionSet s = solve_ode({free_oscillation}, {u(t)}, {.given = given});
  if (s.solutions.empty()) return 1;
  const Expr exact = *s.solutions[0].values.find(u(t));
  std::printf("u(t) = %s\n", to_text(exact).c_str());
  for (const Expr& c : s.conditions) std::printf("  for %s\n", to_text(c).c_str());
  for (const SolveException& e : s.exceptions) std::printf("  where %s: %s\n", to_text(e.when).c_str(), e.what.c_str());
  std::printf("  %s\n", s.check.to_string().c_str());

  // The same equation stepped in time.
  const Symbol y("y"), v("v");
  System run;
  run.states = {y, v};
  run.state_names = {"u", "u'"};
  run.start = {1, 0};
  run.parameters = {w, b};
  run.parameter_names = {"w", "b"};
  run.parameter_values = {0.06, 0.008};  // 1/s: a period of some 105 s
  run.time = t;
  run.right_sides = {v, -2 * b * v - power(w, 2) * y};
  TimeOptions options;
  options.until = 500;
  options.samples = 401;
  options.relative_tolerance = 1e-10;
  const TimeResult r = step_in_time(run, options);

  Figure figure;
  figure.title = "Damped oscillation of a field line: closed form and run in time";
  figure.x_label = "t [s]";
  figure.y_label = "u [m]";
  figure.curves = {{"closed form", {}, {}}, {"run in time", {}, {}, true}};
  double worst = 0;
  for (std::size_t i = 0; i < r.times.size(); ++i) {
    const double value = evaluate(exact, {{t, Expr(Number::exact(r.times[i]))}, {w, 0.06}, {b, 0.008}});
    worst = std::max(worst, std::abs(value - r.states[i][0]));
    figure.curves[0].x.push_back(r.times[i]);
    figure.curves[0].y.push_back(value);
    if (i % 16 != 0) continue;
    figure.curves[1].x.push_back(r.times[i]);
    figure.curves[1].y.push_back(r.states[i][0]);
  }
  std::printf("closed form against the run: largest difference %.1e\n", worst);
  write_figure(figure, "field_line_oscillation.png");

  // A kick at t = T, at rest before.
  const Symbol T("T", {Assumption::positive});
  const std::vector<Expr> rest{u(Expr(0)), u.derivative_at(at_zero, first)};
  const OdeSolutionSet kicked =
      solve_ode({free_oscillation - dirac_delta(t - T)}, {u(t)}, {.conditions = {greater(w, b)}, .given = rest});
  if (kicked.solutions.empty()) return 1;
  std::printf("after a kick at T: u(t) = %s\n", to_text(*kicked.solutions[0].values.find(u(t))).c_str());
  return worst < 1e-6 && s.check.verdict == Verdict::agrees && kicked.check.verdict == Verdict::agrees ? 0 : 1;
}
