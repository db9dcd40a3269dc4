// SPDX-License-Identifier: MIT
// Steady states that Newton's method does not find from the start, by way of parameter values for which it does.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "boreon/continuation.hpp"
#include "boreon/error.hpp"
#include "boreon/solvers.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_states = 100;  // a step along a branch costs the cube of their number
constexpr std::size_t most_parameters = 12;

// Whether other parameter values can help: not where equations depend on each other, nor where a bound or the start is
// what is wrong.
bool may_be_followed(const System& s, const SteadyResult& r) {
  const bool kind = r.outcome == SteadyOutcome::stalled || r.outcome == SteadyOutcome::left_domain ||
                    r.outcome == SteadyOutcome::too_many_iterations;
  return !r.converged && kind && s.states.size() <= most_states;
}

// The branch from an easier value of one parameter towards its own.
struct FollowedBranch {
  std::size_t parameter = 0;
  double from = 0;
  std::vector<double> values;  // at the value wanted, if it is reached
  double turns = std::numeric_limits<double>::quiet_NaN();
};

bool near(double a, double b) { return std::fabs(a - b) <= 1e-9 * std::max(std::fabs(a), std::fabs(b)); }

std::optional<FollowedBranch> branch_from(const System& system, std::size_t parameter, double from) {
  System easier = system;
  easier.right_sides.clear();  // stability is not asked for
  easier.parameter_values[parameter] = from;
  SteadyOptions once;
  once.restarts = 0;
  const SteadyResult there = solve_steady(easier, once);
  if (!there.converged) return std::nullopt;
  easier.start = there.values;
  TraceOptions o;
  o.along = easier.parameter_names[parameter];
  o.from = from;
  o.to = system.parameter_values[parameter];
  o.most_points = 400;
  FollowedBranch b;
  b.parameter = parameter;
  b.from = from;
  try {
    const TraceResult t = trace(easier, o);
    if (!t.points.empty() && near(t.points.back().parameter, o.to)) b.values = t.points.back().values;
    if (!t.turning_points.empty()) b.turns = t.turning_points.front().parameter;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::interrupted || e.kind() == ErrorKind::limit) throw;
    return std::nullopt;
  }
  return b;
}

}  // namespace

SteadyResult follow_to_steady_state(const System& system, const SteadyResult& failed, const SteadyOptions& options) {
  if (!may_be_followed(system, failed)) return failed;
  SteadyResult r = failed;
  std::optional<FollowedBranch> turned;
  const std::size_t count = std::min(system.parameters.size(), most_parameters);
  for (const double factor : {0.5, 2.0, 0.1, 10.0}) {
    for (std::size_t k = 0; k < count; ++k) {
      const double wanted = system.parameter_values[k];
      if (wanted == 0 || system.parameter_names.size() <= k) continue;
      const std::optional<FollowedBranch> b = branch_from(system, k, factor * wanted);
      if (!b) continue;
      if (b->values.empty()) {
        if (!turned && std::isfinite(b->turns)) turned = b;
        continue;
      }
      System from_there = system;
      from_there.start = b->values;
      for (std::size_t i = 0; i < b->values.size(); ++i)
        from_there.start[i] = std::clamp(b->values[i], system.lower[i], system.upper[i]);
      SteadyOptions once = options;
      once.restarts = 0;
      SteadyResult found = solve_steady(from_there, once);
      if (!found.converged) continue;
      found.message = fmt::format(
          "converged by following the steady state from {0} = {1:.6g}, where it is found, to {2:.6g}; from the start "
          "itself: {3}",
          system.parameter_names[k], b->from, wanted, failed.message);
      return found;
    }
  }
  if (turned)
    r.message += fmt::format(
        "; for {0} = {1:.6g} there is a steady state, which turns back at {0} = {2:.6g}: on that branch there is none "
        "for {3:.6g} (trace --along {0} --from {1:.6g} --to {3:.6g} shows it)",
        system.parameter_names[turned->parameter], turned->from, turned->turns,
        system.parameter_values[turned->parameter]);
  return r;
}

}  // namespace boreon
