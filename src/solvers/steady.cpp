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
#include "solvers/draws.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/newton_run.hpp"
#include "solvers/newton_search.hpp"
#include "solvers/steady_message.hpp"

namespace boreon {
namespace {

std::vector<double> another_start(const System& s, const std::vector<double>& scale, int attempt,
                                  std::mt19937_64& random) {
  std::vector<double> start = s.start;
  const double spread = 0.15 * attempt;
  for (std::size_t i = 0; i < start.size(); ++i) {
    const double r = either_side(random);
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

// The same without bounds: a root inside them is an answer all the same, one beyond tells which bound is in the way.
std::string without_bounds(const System& system, const SteadyOptions& options, NewtonRun& run, SteadyResult& best) {
  constexpr double none = std::numeric_limits<double>::infinity();
  System free = system;
  free.lower.assign(free.states.size(), -none);
  free.upper.assign(free.states.size(), none);
  if (free.lower == system.lower && free.upper == system.upper) return {};
  NewtonRun open(free, options.linear_solver);
  const SteadyResult r = newton_from(open, system.start, true, options);
  if (!r.converged) return {};
  for (std::size_t i = 0; i < r.values.size(); ++i) {
    const bool below = r.values[i] < system.lower[i];
    if (!below && !(r.values[i] > system.upper[i])) continue;
    return fmt::format(
        "the equations are fulfilled where {} = {:.6g}, {} its {} bound {:.6g}, and nowhere inside the bounds "
        "that was looked at; widen the bound if that makes sense, or start elsewhere",
        system.state_names[i], r.values[i], below ? "below" : "above", below ? "lower" : "upper",
        below ? system.lower[i] : system.upper[i]);
  }
  if (run.verify(r.values).is_root()) best = r;
  return {};
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
    best = newton_from(run, system.start, true, options);
  }
  if (!dependent && !best.converged && best.outcome != SteadyOutcome::not_finite_at_start) {
    SteadyResult other = newton_from(run, system.start, false, options);
    if (other.converged) best = std::move(other);
  }
  std::mt19937_64 random(42);
  for (int k = 1; k <= options.restarts && !best.converged && !dependent; ++k) {
    const std::vector<double> start = another_start(system, run.reach(), k, random);
    SteadyResult other = newton_from(run, start, true, options);
    if (!other.converged) continue;
    other.restarts = k;
    other.start = start;
    best = std::move(other);
  }
  std::string beyond;
  if (!dependent && !best.converged && best.outcome != SteadyOutcome::not_finite_at_start)
    beyond = without_bounds(system, options, run, best);
  explain(run, dependent, best);
  if (!beyond.empty() && best.outcome != SteadyOutcome::at_bound) {
    best.outcome = SteadyOutcome::at_bound;
    best.message = std::move(beyond);
  }
  best.at_bounds = at_bounds(system, best.values);
  best.linear_solver = run.jacobian().description();
  best.nonzeros = run.jacobian().pattern().nonzeros();
  best.residual_calls = run.residual_calls;
  best.jacobian_calls = run.jacobian_calls;
  if (best.outcome != SteadyOutcome::not_finite_at_start) best.outputs = run.outputs(best.values);
  return best;
}

}  // namespace boreon
