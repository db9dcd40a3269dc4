// SPDX-License-Identifier: MIT
// A closed form beside a run in time of the same equations.
#include <algorithm>
#include <cmath>
#include <map>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/solvers.hpp"
#include "boreon/system.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

struct State {
  std::string name;
  Expr symbol;
  Expr solution;  // in t
};

// What stands for y^(k)(a) in the conditions, all at one place.
struct Start {
  Expr place;
  std::map<std::pair<std::string, std::int64_t>, double> values;
};

std::optional<Start> start_of(const std::vector<Expr>& given) {
  Start out;
  const Symbol value("_value");
  for (const Expr& g : given) {
    const auto calls = unknown_calls({&g, 1});
    if (calls.size() != 1 || calls[0].operands().size() != 3) return std::nullopt;
    const Expr& place = calls[0].operands()[1];
    if (place.has_symbols() || place.is_constant(ConstantCode::infinity)) return std::nullopt;
    if (!out.values.empty() && !(place == out.place)) return std::nullopt;
    out.place = place;
    const Expr e = substitute(g, {{calls[0], value}}, Unused::allowed);
    const Expr slope = derivative(e, value);
    if (slope.has_symbols()) return std::nullopt;
    const Expr at_zero = substitute(e, {{value, 0}}, Unused::allowed);
    if (at_zero.has_symbols()) return std::nullopt;
    out.values[{calls[0].name(), calls[0].operands()[2].word().value_or(-1)}] = -evaluate(at_zero) / evaluate(slope);
  }
  return out;
}

bool can_be_run(const std::vector<Expr>& equations, const Expr& t) {
  for (const Symbol& s : free_symbols(equations)) {
    if (!(s == t)) return false;
  }
  bool smooth = true;
  postorder(std::span<const Expr>(equations),
            [&](const Expr& n) { smooth = smooth && !n.is(Kind::integral) && !is_call_of(n, "dirac_delta"); });
  return smooth;
}

Symbol state_symbol(const std::string& name, std::int64_t order) {
  return Symbol("_" + name + "_" + std::to_string(order));
}

// The equations as a system of first order from the values given; nothing if one is missing, or if the highest
// derivatives do not follow from the others in one way.
std::optional<System> first_order_system(const std::vector<Expr>& equations, const Bindings& solution,
                                         const Start& start, const Expr& t, std::vector<State>& states) {
  std::map<std::string, std::int64_t> orders;
  Bindings symbols;
  for (const Expr& c : unknown_calls(equations)) {
    const std::int64_t k = c.operands()[2].word().value_or(0);
    orders[c.name()] = std::max(orders[c.name()], k);
    symbols.set(c, state_symbol(c.name(), k));
  }
  System system;
  system.time = t;
  std::vector<std::size_t> last;  // state of each unknown whose rate is the highest derivative
  std::vector<Expr> highest;
  for (const Bindings::Entry& u : solution.entries()) {
    const std::string& name = u.target.name();
    const std::int64_t n = orders[name];
    if (n == 0) return std::nullopt;
    for (std::int64_t k = 0; k < n; ++k) {
      const auto value = start.values.find({name, k});
      if (value == start.values.end()) return std::nullopt;
      states.push_back({name + std::string(static_cast<std::size_t>(k), '\''), state_symbol(name, k),
                        derivative(u.value, t, static_cast<int>(k))});
      system.start.push_back(value->second);
    }
    last.push_back(states.size() - 1);
    highest.emplace_back(state_symbol(name, n));
  }
  std::vector<Expr> in_symbols;
  for (const Expr& e : equations) in_symbols.push_back(substitute(e, symbols, Unused::allowed));
  const SolutionSet solved = solve(in_symbols, highest);
  if (solved.solutions.size() != 1) return std::nullopt;
  for (std::size_t i = 0; i < states.size(); ++i) {
    system.states.push_back(states[i].symbol);
    system.state_names.push_back(states[i].name);
    const auto at = std::find(last.begin(), last.end(), i);
    system.right_sides.push_back(
        at == last.end() ? states[i + 1].symbol
                         : *solved.solutions[0].values.find(highest[static_cast<std::size_t>(at - last.begin())]));
  }
  return system;
}

}  // namespace

Evidence compare_with_run(const ExprList& equations, const Bindings& solution, const std::vector<Expr>& given,
                          double length) {
  Evidence out;
  out.method = "a run in time";
  const auto start = start_of(given);
  if (!start || solution.empty()) return out;
  const Expr t = solution.entries()[0].target.operands()[1];
  const std::vector<Expr> all(equations.begin(), equations.end());
  if (!can_be_run(all, t)) return out;
  std::vector<State> states;
  const auto system = first_order_system(all, solution, *start, t, states);
  if (!system) return out;
  TimeOptions options;
  options.from = evaluate(start->place);
  options.until = options.from + length;
  options.samples = 17;
  options.relative_tolerance = 1e-11;
  const TimeResult run = step_in_time(*system, options);
  double size = 0;
  double worst = 0;
  for (std::size_t i = 0; i < run.times.size(); ++i) {
    for (std::size_t k = 0; k < states.size(); ++k) {
      double value = 0;
      try {
        value = evaluate(states[k].solution, {{t, Expr(Number::exact(run.times[i]))}}, Unused::allowed);
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
        continue;  // outside the interval on which the closed form holds
      }
      if (!std::isfinite(value)) continue;
      const double error = std::abs(value - run.states[i][k]);
      size = std::max({size, std::abs(value), std::abs(run.states[i][k])});
      if (error >= worst) {
        worst = error;
        out.worst_entry = states[k].name;
        out.worst_derived = value;
        out.worst_reference = run.states[i][k];
        out.worst_point = {{t.name(), run.times[i]}};
      }
      ++out.points;
    }
  }
  out.entries = states.size();
  if (out.points < states.size() * 3) {
    out.points = 0;
    return out;
  }
  out.digits = agreeing_digits(worst, std::max(size, 1e-300));
  out.verdict = out.digits >= 5 ? Verdict::agrees : Verdict::disagrees;
  return out;
}

}  // namespace boreon
