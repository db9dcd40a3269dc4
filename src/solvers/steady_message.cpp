// SPDX-License-Identifier: MIT
#include "solvers/steady_message.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

namespace boreon {
namespace {

std::vector<std::string> names_of(const std::vector<std::size_t>& list, const std::vector<std::string>& names) {
  std::vector<std::string> result;
  for (const std::size_t i : list) result.push_back(names[i]);
  return result;
}

// "x = 1, y = 2, ... (5 more)"
std::string point(const System& s, const std::vector<double>& y) {
  std::string text;
  for (std::size_t i = 0; i < y.size() && i < 4; ++i)
    text += fmt::format("{}{} = {:.6g}", i == 0 ? "" : ", ", s.state_names[i], y[i]);
  if (y.size() > 4) text += fmt::format(", ... ({} more)", y.size() - 4);
  return text;
}

struct Pressed {
  std::string text;
  bool any = false;
};

// The bound at which an unknown stands although Newton's step leads beyond it, and where it leads.
Pressed pressed(const System& s, const std::vector<double>& y, const Verification& v) {
  if (!v.solvable) return {};
  for (std::size_t i = 0; i < y.size(); ++i) {
    const double wanted = y[i] - v.step[i];
    const double room = 1e-3 * std::max(std::fabs(v.step[i]), std::fabs(y[i]));
    const bool below = wanted < s.lower[i] && y[i] - s.lower[i] <= room;
    const bool above = wanted > s.upper[i] && s.upper[i] - y[i] <= room;
    if (!below && !above) continue;
    return {fmt::format("the iteration is stuck at the {} bound of {}, {:.6g}: the equations lead it to {:.6g}; widen "
                        "the bound if that makes sense, or start elsewhere",
                        below ? "lower" : "upper", s.state_names[i], below ? s.lower[i] : s.upper[i], wanted),
            true};
  }
  return {};
}

std::size_t worst_equation(const Verification& v) {
  return static_cast<std::size_t>(std::max_element(v.residuals.begin(), v.residuals.end()) - v.residuals.begin());
}

// Newton's method comes nearer to a solution of multiplicity m by the factor 1 - 1/m in each step, and the residual by
// its m-th power. Where that leads, or nothing.
std::vector<double> multiple_solution(const SteadyResult& r, const Verification& v) {
  constexpr std::size_t seen = 5;
  const auto& table = r.iterations;
  if (table.size() < seen + 2 || !v.solvable) return {};
  double least = 1;
  double most = 0;
  for (std::size_t k = table.size() - seen; k < table.size(); ++k) {
    const double ratio = table[k].residual_norm / table[k - 1].residual_norm;
    least = std::min(least, ratio);
    most = std::max(most, ratio);
  }
  if (!(least > 0.24 && most < 0.38 && most - least < 0.02)) return {};
  int multiplicity = 2;
  while (multiplicity < 6 && std::pow(1 - 1.0 / multiplicity, multiplicity) < 0.5 * (least + most) - 0.01)
    ++multiplicity;
  std::vector<double> limit = r.values;
  for (std::size_t i = 0; i < limit.size(); ++i) limit[i] -= multiplicity * v.step[i];
  return limit;
}

// The unknowns of an equation with which it hardly changes where it is, against its terms and their sizes.
std::vector<std::string> flat_in(NewtonRun& run, std::size_t equation, const Verification& v) {
  const double terms = std::fabs(run.residuals()[equation]) / std::max(v.residuals[equation], 1e-300);
  std::vector<std::string> names;
  run.jacobian().pattern().each(equation, [&](std::size_t k, std::size_t column) {
    if (std::fabs(run.jacobian().values()[k]) * run.reach()[column] <= 1e-6 * terms)
      names.push_back(run.system().state_names[column]);
  });
  return names;
}

void explain_failure(NewtonRun& run, bool dependent, SteadyResult& r, const Verification& v) {
  const System& s = run.system();
  if (r.outcome == SteadyOutcome::not_finite_at_start) {
    r.message =
        fmt::format("the equations have no finite value at the start ({}): {}; choose a start inside their domain",
                    point(s, r.values), run.fault_at(r.values));
    return;
  }
  if (dependent) {
    const Dependence d = run.dependence_at(r.values);
    r.outcome = SteadyOutcome::singular;
    r.suspects = names_of(d.unknowns, s.state_names);
    r.message = fmt::format(
        "the Jacobian is singular wherever it was looked at: the equations {} depend on each other and do not "
        "determine {}; an equation may be missing or "
        "repeated, for example a conservation law",
        fmt::join(names_of(d.equations, s.equation_names), ", "), fmt::join(r.suspects, ", "));
    return;
  }
  if (const Pressed p = pressed(s, r.values, v); p.any) {
    r.outcome = SteadyOutcome::at_bound;
    r.message = p.text;
    return;
  }
  if (run.outside() && r.outcome == SteadyOutcome::left_domain) {
    r.message = fmt::format(
        "the iteration was driven to a point where a function leaves its domain: {}; give bounds (lower, upper) or a "
        "start nearer to the solution",
        run.fault_at(*run.outside()));
    return;
  }
  const std::size_t worst = worst_equation(v);
  const std::string& equation = s.equation_names[worst];
  const Dependence d = run.dependence_at(r.values);
  if (!v.solvable || !d.unknowns.empty()) {
    // The slope vanishes where the residual does not: a least value that is not zero.
    r.suspects = names_of(d.unknowns, s.state_names);
    if (r.suspects.empty()) r.suspects = flat_in(run, worst, v);
    r.outcome = SteadyOutcome::stalled;
    r.message = fmt::format(
        "the residual of '{}' comes no nearer to zero than {:.1e} of its terms, near {}, where it does not change with "
        "{}: there may be no real solution; try "
        "another start or other parameter values",
        equation, v.worst_residual(), point(s, r.values),
        r.suspects.empty() ? std::string("the unknowns") : fmt::format("{}", fmt::join(r.suspects, ", ")));
    return;
  }
  if (r.outcome == SteadyOutcome::too_many_iterations) {
    r.message = fmt::format(
        "no convergence after {} iterations; the equation '{}' is off by {:.1e} of its terms at {}; try a start nearer "
        "to the solution",
        r.iterations.size(), equation, v.worst_residual(), point(s, r.values));
    return;
  }
  if (v.worst_residual() < 1e-9) {
    const auto moved = std::max_element(v.moves.begin(), v.moves.end()) - v.moves.begin();
    r.message = fmt::format(
        "the residuals vanish to {:.1e} of their terms, but {} is not determined by them better than to {:.1e} of "
        "itself: a multiple solution, or nearly "
        "dependent equations",
        v.worst_residual(), s.state_names[static_cast<std::size_t>(moved)], v.worst_move());
    return;
  }
  if (const std::vector<double> limit = multiple_solution(r, v); !limit.empty()) {
    r.message = fmt::format(
        "the iteration comes nearer by the same part in every step, as towards a multiple solution at {}: the Jacobian "
        "is singular there, so that no digits of it are sure; solve the equation '{}' for what it multiplies, or add "
        "what makes the solution single",
        point(s, limit), equation);
    return;
  }
  r.message = fmt::format(
      "the iteration stalled: the equation '{}' is off by {:.1e} of its terms at {}; there may be no solution near the "
      "start; try another start",
      equation, v.worst_residual(), point(s, r.values));
}

}  // namespace

void explain(NewtonRun& run, bool dependent, SteadyResult& r) {
  const System& s = run.system();
  const Verification v = run.verify(r.values);
  double sum = 0;
  for (const double f : run.residuals()) sum = std::hypot(sum, f);
  r.residual_norm = sum;
  r.scales = run.scales();
  r.term_residuals = v.residuals;
  r.corrections = v.corrections;
  r.correction = v.solvable ? v.worst_correction() : r.converged ? 0 : 1;
  if (!r.converged) return explain_failure(run, dependent, r, v);
  r.outcome = SteadyOutcome::converged;
  r.suspects = names_of(run.dependence_at(r.values).unknowns, s.state_names);
  r.message = r.restarts == 0
                  ? "converged"
                  : fmt::format("converged from another start (attempt {}: {})", r.restarts, point(s, r.start));
  if (!r.suspects.empty()) {
    r.message += fmt::format(
        ", but the equations do not determine {} there: other solutions lie beside this one, or it is a multiple one",
        fmt::join(r.suspects, ", "));
  }
}

}  // namespace boreon
