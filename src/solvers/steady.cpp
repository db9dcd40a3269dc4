// SPDX-License-Identifier: MIT
// Steady states: Newton's method of KINSOL on unknowns and equations divided by their own sizes, then a verification
// that looks at each unknown and each equation by itself.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "boreon/error.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/newton_run.hpp"
#include "solvers/steady_message.hpp"

namespace boreon {
namespace {

// Newton steps without line search at the end, as long as they make the answer better: to rounding.
void polish(NewtonRun& run, SteadyResult& result) {
  Verification now = run.verify(result.values);
  for (int k = 0; k < 30 && now.solvable && now.worst_correction() > 0; ++k) {
    std::vector<double> next(result.values);
    for (std::size_t i = 0; i < next.size(); ++i) {
      next[i] -= now.step[i];
      if (next[i] < run.system().lower[i] || next[i] > run.system().upper[i]) return;
    }
    Verification then = run.verify(next);
    // A step below rounding, or one that does not shrink the next, is the last.
    if (!then.solvable ||
        !(then.worst_correction() < 0.5 * now.worst_correction() || then.worst_residual() < 0.5 * now.worst_residual()))
      return;
    result.values = std::move(next);
    now = std::move(then);
  }
}

// One start: KINSOL again and again, each time with the sizes of the point that the last run has reached.
SteadyResult from_start(NewtonRun& run, const std::vector<double>& start, bool line_search,
                        const SteadyOptions& options) {
  constexpr int rounds = 8;
  SteadyResult result;
  result.values = start;
  run.begin(start);
  if (!run.finite(start)) {
    result.outcome = SteadyOutcome::not_finite_at_start;
    return result;
  }
  Verification before = run.verify(start);
  for (int round = 0; round < rounds; ++round) {
    NewtonRun::Ending end = run.newton(result.values, line_search, options);
    result.values = std::move(end.values);
    result.outcome = end.outcome;
    polish(run, result);
    const Verification now = run.verify(result.values);
    result.converged = now.is_root();
    if (result.converged) break;
    // Another round pays as long as the point moves on.
    const bool better = now.solvable && (!before.solvable || now.worst_residual() < 0.9 * before.worst_residual() ||
                                         now.worst_correction() < 0.9 * before.worst_correction());
    before = now;
    if (!better || end.outcome == SteadyOutcome::too_many_iterations) break;
  }
  run.record(result.values);
  result.iterations = run.iterations();
  return result;
}

std::vector<double> another_start(const System& s, const std::vector<double>& scale, int attempt,
                                  std::mt19937_64& random) {
  std::vector<double> start = s.start;
  const double spread = 0.15 * attempt;
  for (std::size_t i = 0; i < start.size(); ++i) {
    const double r = static_cast<double>(random() >> 11U) * 0x1.0p-52 - 1;
    start[i] += spread * r * scale[i];
    start[i] = std::clamp(start[i], s.lower[i], s.upper[i]);
  }
  return start;
}

std::vector<std::string> at_bounds(const System& s, const std::vector<double>& y) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < y.size(); ++i) {
    const double margin = 1e-9 * std::max(std::fabs(y[i]), std::numeric_limits<double>::min());
    if (std::fabs(y[i] - s.lower[i]) <= margin || std::fabs(y[i] - s.upper[i]) <= margin)
      names.push_back(s.state_names[i]);
  }
  return names;
}

}  // namespace

SteadyResult solve_steady(const System& given, const SteadyOptions& options) {
  const System system = checked(given, Purpose::steady);
  NewtonRun run(system, options.linear_solver);
  // Equations that depend on each other everywhere have no locally unique solution; what an iteration makes of them
  // would be up to rounding. A start that fulfils them is an answer, with the unknowns that stay free.
  const bool dependent = run.finite(system.start) && run.dependent_around(system.start);
  SteadyResult best;
  if (dependent) {
    best.values = system.start;
    best.converged = run.verify(system.start).worst_residual() <= 1e-14;
    run.begin(system.start);
    run.record(system.start);
    best.iterations = run.iterations();
  } else {
    best = from_start(run, system.start, true, options);
  }
  if (!dependent && !best.converged && best.outcome != SteadyOutcome::not_finite_at_start) {
    SteadyResult other = from_start(run, system.start, false, options);
    if (other.converged) best = std::move(other);
  }
  std::mt19937_64 random(42);
  for (int k = 1; k <= options.restarts && !best.converged && !dependent; ++k) {
    const std::vector<double> start = another_start(system, run.reach(), k, random);
    SteadyResult other = from_start(run, start, true, options);
    if (!other.converged) continue;
    other.restarts = k;
    other.start = start;
    best = std::move(other);
  }
  explain(run, dependent, best);
  best.at_bounds = at_bounds(system, best.values);
  best.linear_solver = run.jacobian().description();
  best.nonzeros = run.jacobian().pattern().nonzeros();
  best.residual_calls = run.residual_calls;
  best.jacobian_calls = run.jacobian_calls;
  if (best.outcome != SteadyOutcome::not_finite_at_start) best.outputs = run.outputs(best.values);
  return best;
}

}  // namespace boreon
