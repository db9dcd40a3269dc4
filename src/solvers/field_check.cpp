// SPDX-License-Identifier: MIT
// Derivatives of fields against differences of their values.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "boreon/field_run.hpp"

namespace boreon {
Evidence check_field_jacobian(const FieldProblem& problem, bool native) {
  const FieldPlan plan(problem.rates, problem.sizes);
  plan.require_jacobian();
  const FieldKernel values(plan, FieldOutput::values, executors(native));
  const FieldKernel jacobian(plan, FieldOutput::jacobian, executors(native));
  const SparsityPattern pattern = plan.pattern();
  const std::size_t n = plan.rows();
  std::vector<double> y = start_of(problem);
  double size = 0;
  for (const double v : y) size = std::max(size, std::fabs(v));
  Evidence e;
  e.method = "differences along random directions";
  e.digits = 15;
  std::mt19937_64 engine(20261201);
  std::uniform_real_distribution<double> unit(-1, 1);
  std::vector<double> entries(plan.nonzeros());
  std::vector<double> above(n);
  std::vector<double> below(n);
  std::vector<double> moved(n);
  std::vector<double> direction(n);
  constexpr std::size_t points = 3;
  std::vector<char> compared(n, 0);
  for (std::size_t p = 0; p < points; ++p) {
    // Near the start, but not on what is special about it: walls and plateaus of one value.
    const double wide = size > 0 ? size : 1;
    for (std::size_t i = 0; i < n; ++i) {
      y[i] += 0.05 * unit(engine) * (std::fabs(y[i]) + 0.01 * wide);
      direction[i] = unit(engine) * (std::fabs(y[i]) + 0.01 * wide);
    }
    jacobian(y, problem.parameters, problem.from, entries);
    constexpr double step = 6e-6;  // the cube root of the rounding
    for (const double side : {1.0, -1.0}) {
      for (std::size_t i = 0; i < n; ++i) moved[i] = y[i] + side * step * direction[i];
      values(moved, problem.parameters, problem.from, side > 0 ? above : below);
    }
    for (std::size_t r = 0; r < n; ++r) {
      double derived = 0;
      double terms = 0;
      pattern.each(r, [&](std::size_t k, std::size_t c) {
        derived += entries[k] * direction[c];
        terms += std::fabs(entries[k] * direction[c]);
      });
      const double reference = (above[r] - below[r]) / (2 * step);
      if (!std::isfinite(reference) || !std::isfinite(derived)) continue;
      compared[r] = 1;
      // what rounding of the values does to their difference
      const double rounding = 4e-16 * (std::fabs(above[r]) + std::fabs(below[r])) / step;
      const double error = std::max(0.0, std::fabs(derived - reference) - rounding);
      const double scale = std::max({terms, std::fabs(reference), rounding});
      const double digits = agreeing_digits(error, scale);
      if (digits >= e.digits && !e.worst_entry.empty()) continue;
      e.digits = std::min(e.digits, digits);
      std::size_t u = problem.rates.unknowns.size() - 1;
      while (plan.start(u) > r) --u;
      e.worst_entry = problem.rates.unknowns[u].element(r - plan.start(u));
      e.worst_derived = derived;
      e.worst_reference = reference;
    }
    ++e.points;
  }
  e.entries = static_cast<std::size_t>(std::count(compared.begin(), compared.end(), char{1}));
  e.skipped = n - e.entries;
  e.verdict = e.entries == 0 ? Verdict::untested : e.digits >= 5 ? Verdict::agrees : Verdict::disagrees;
  return e;
}

}  // namespace boreon
