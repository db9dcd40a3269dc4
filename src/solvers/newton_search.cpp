// SPDX-License-Identifier: MIT
#include "solvers/newton_search.hpp"

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

}  // namespace

SteadyResult newton_from(NewtonRun& run, const std::vector<double>& start, bool line_search,
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

}  // namespace boreon
