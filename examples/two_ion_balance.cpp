// SPDX-License-Identifier: MIT
// The balance of two ions in an arc, solved exactly for whatever quantity is wanted, and compared with the numeric
// steady state: O2+ is made by the precipitation (q), becomes NO+ by charge exchange (k), both recombine (alpha1,
// alpha2).
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  const Symbol n1("n1", {Assumption::positive}), n2("n2", {Assumption::positive}), n("n", {Assumption::positive});
  const Symbol q("q", {Assumption::positive}), k("k", {Assumption::positive});
  const Symbol a1("alpha1", {Assumption::positive}), a2("alpha2", {Assumption::positive});
  const std::vector<Expr> balance{q - k * n1 - a1 * n1 * n,  // O2+
                                  k * n1 - a2 * n2 * n,      // NO+
                                  n1 + n2 - n};              // as many electrons as ions

  // Which ionisation does an electron density take? And which exchange rate does it tell, or which recombination?
  bool good = true;
  Expr ionisation;
  for (const Symbol& wanted : {q, k, a1}) {
    const SolutionSet s = solve(balance, {n1, n2, wanted});
    std::printf("for %s: %zu solution%s, %s\n", wanted.name().c_str(), s.solutions.size(),
                s.solutions.size() == 1 ? "" : "s", s.check.to_string().c_str());
    good = good && s.complete && s.solutions.size() == 1 && s.check.verdict == Verdict::agrees;
    if (s.solutions.empty()) continue;
    for (const Bindings::Entry& v : s.solutions[0].values.entries())
      std::printf("  %s = %s\n", v.target.name().c_str(), to_text(v.value).c_str());
    if (wanted == q) ionisation = *s.solutions[0].values.find(q);
  }

  // The other way round, the steady state for a given ionisation, in numbers.
  System steady;
  steady.states = {n1, n2};
  steady.state_names = {"n1", "n2"};
  steady.start = {1e10, 1e10};
  steady.lower = {0, 0};
  steady.parameters = {q, k, a1, a2};
  steady.parameter_names = {"q", "k", "alpha1", "alpha2"};
  const Bindings electrons{{n, n1 + n2}};
  steady.residuals = {substitute(balance[0], electrons), substitute(balance[1], electrons)};
  Figure figure;
  figure.title = "Electron density of an arc: exact and numeric";
  figure.x_label = "q [1/(m^3*s)]";
  figure.y_label = "n [1/m^3]";
  figure.logarithmic_x = figure.logarithmic_y = true;
  figure.curves = {{"exact", {}, {}}, {"steady state", {}, {}, true}};
  double worst = 0;
  for (double density = 1e9; density < 2e12; density *= std::sqrt(10.0)) {
    const double rates[] = {0.02, 2.2e-13, 4.2e-13};
    const double production = evaluate(ionisation, {{n, Expr(Number::exact(density))},
                                                    {k, Expr(Number::exact(rates[0]))},
                                                    {a1, Expr(Number::exact(rates[1]))},
                                                    {a2, Expr(Number::exact(rates[2]))}});
    steady.parameter_values = {production, rates[0], rates[1], rates[2]};
    const SteadyResult r = solve_steady(steady);
    if (!r.converged) return 1;
    const double numeric = r.values[0] + r.values[1];
    worst = std::max(worst, std::abs(numeric / density - 1));
    figure.curves[0].x.push_back(production);
    figure.curves[0].y.push_back(density);
    figure.curves[1].x.push_back(production);
    figure.curves[1].y.push_back(numeric);
  }
  std::printf("exact against numeric steady state: largest relative difference %.1e\n", worst);
  write_figure(figure, "two_ion_balance.png");
  return good && worst < 1e-9 ? 0 : 1;
}
