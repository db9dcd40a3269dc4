// SPDX-License-Identifier: MIT
// Fits, sensitivities and error bars from C++, without any model file: the decay of the electron density after an arc.
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  // A made-up radar: the density falls like n0/(1 + alpha*n0*t), with an error of 4 %.
  const Symbol n0("n0"), alpha("alpha"), t("t"), n("n");
  FitProblem problem;
  problem.names = {"n0", "alpha"};
  problem.unknowns = {n0, alpha};
  problem.start = {1e11, 1e-13};
  problem.lower = {0, 0};
  problem.upper = {1e13, 1e-10};
  problem.data.names = {"t", "n"};
  problem.data.symbols = {t, n};
  problem.data.columns = {{0, 10, 20, 40, 60, 90, 120, 180, 240}, {}};
  for (std::size_t i = 0; i < problem.data.columns[0].size(); ++i) {
    const double time = problem.data.columns[0][i];
    const double error = 0.03 * std::sin(7.0 * static_cast<double>(i) + 1);
    problem.data.columns[1].push_back(2.1e11 / (1 + 2.6e-13 * 2.1e11 * time) * (1 + error));
  }
  FitTarget density{"n", n, n0 / (1 + alpha * n0 * t), n / 25};
  density.absolute = true;
  problem.targets = {density};
  const FitResult found = fit(problem);
  if (!found.converged) return 1;
  for (std::size_t i = 0; i < 2; ++i)
    std::printf("%-6s = %.4g +- %.2g\n", problem.names[i].c_str(), found.values[i], found.standard_errors[i]);
  std::printf("chi-square %.3g for %ld degrees of freedom, correlation %.3f\n\n", found.chi_square,
              found.degrees_of_freedom, found.correlation[0][1]);

  // Under steady precipitation the density is sqrt(q/alpha): what does the error of alpha do to it?
  const Symbol density_now("n_e"), q("q");
  System steady;
  steady.states = {density_now};
  steady.start = {1e11};
  steady.lower = {0};
  steady.parameters = {q, alpha};
  steady.parameter_values = {2.6e9, found.values[1]};
  steady.residuals = {q - alpha * pow(density_now, 2)};
  const SensitivityResult s = sensitivities(steady, {"n_e"}, {"q", "alpha"});
  const Propagation p = propagate(s, {2e8, found.standard_errors[1]});
  std::printf("n_e = %.4g +- %.2g (%.2g from q, %.2g from alpha)\n", s.output_values[0], p.deviations[0],
              p.contributions[0][0], p.contributions[0][1]);
  std::printf("percent for a percent: q %+.3f, alpha %+.3f\n", s.of(0, 0).relative, s.of(0, 1).relative);
  std::printf("check: %s\n", s.evidence.to_string().c_str());
  const bool halves = std::fabs(s.of(0, 0).relative - 0.5) < 1e-9 && std::fabs(s.of(0, 1).relative + 0.5) < 1e-9;
  return halves && s.evidence.verdict == Verdict::agrees ? 0 : 1;
}
