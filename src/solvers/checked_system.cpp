// SPDX-License-Identifier: MIT
#include "solvers/checked_system.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <limits>
#include <unordered_map>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

template <class T, class Default>
void complete(std::vector<T>& list, std::size_t wanted, const char* name, const char* partner, Default fallback) {
  if (list.empty()) {
    for (std::size_t i = 0; i < wanted; ++i) list.push_back(fallback(i));
  }
  if (list.size() != wanted)
    throw Error(ErrorKind::shape, fmt::format("the system has {} {} for {} {}; give one for each, or none", list.size(),
                                              name, wanted, partner));
}

void require_variables(const std::vector<Expr>& list, const char* what) {
  for (const Expr& e : list) {
    if (!e.is(Kind::symbol) && !e.is(Kind::unknown_call))
      throw Error(ErrorKind::usage, fmt::format("{} must be symbols, not {}", what, to_text(e, {60})));
  }
}

void require_known(const System& s, const std::vector<Expr>& functions, const char* what) {
  std::vector<std::string> missing;
  std::unordered_multimap<std::string, Expr> variables;
  const auto add = [&](const Expr& e) { variables.emplace(e.is(Kind::symbol) ? e.name() : "", e); };
  add(s.time);
  for (const auto* list : {&s.states, &s.parameters}) {
    for (const Expr& e : *list) add(e);
  }
  for (const Symbol& f : free_symbols(functions)) {
    bool known = false;
    const auto [first, last] = variables.equal_range(f.name());
    for (auto at = first; at != last; ++at) {
      if (are_namesakes(at->second, f)) reject_namesakes(at->second, f);
      known = known || at->second == f;
    }
    if (!known) missing.push_back(f.name());
  }
  if (!missing.empty()) {
    throw Error(ErrorKind::binding,
                fmt::format("the {} contain {}, which is neither a state nor a parameter with a value", what,
                            fmt::join(missing, ", ")));
  }
}

}  // namespace

System checked(const System& system, Purpose purpose) {
  System s = system;
  const std::size_t n = s.states.size();
  const std::vector<Expr>& functions = purpose == Purpose::steady ? s.residuals : s.right_sides;
  if (n == 0) throw Error(ErrorKind::shape, "the system has no states");
  if (purpose == Purpose::in_time && s.right_sides.size() != n) {
    throw Error(ErrorKind::shape, fmt::format("the system has {} right-hand sides for {} states; a run in time needs "
                                              "one for each (time_system() makes them from a model)",
                                              s.right_sides.size(), n));
  }
  if (!s.algebraic.empty() && s.algebraic.size() != n)
    throw Error(ErrorKind::shape, fmt::format("the system says of {} states whether they are algebraic, and has {}",
                                              s.algebraic.size(), n));
  if (purpose == Purpose::steady && s.residuals.size() != n) {
    throw Error(ErrorKind::unsupported, fmt::format("{} equations for {} unknowns: a steady state needs as many "
                                                    "equations as unknowns; a fit takes more",
                                                    s.residuals.size(), n));
  }
  if (!s.time.is(Kind::symbol)) s.time = Symbol("t");
  require_variables(s.states, "states");
  require_variables(s.parameters, "parameters");
  constexpr double infinite = std::numeric_limits<double>::infinity();
  complete(s.state_names, n, "names of states", "states", [&](std::size_t i) { return to_text(s.states[i]); });
  complete(s.start, n, "start values", "states", [](std::size_t) { return 0.0; });
  complete(s.lower, n, "lower bounds", "states", [](std::size_t) { return -infinite; });
  complete(s.upper, n, "upper bounds", "states", [](std::size_t) { return infinite; });
  // In time the equations have become rates, with the names of the states.
  if (purpose == Purpose::steady)
    complete(s.equation_names, functions.size(), "names of equations", "equations",
             [](std::size_t i) { return fmt::format("equation {}", i + 1); });
  complete(s.parameter_names, s.parameters.size(), "names of parameters", "parameters",
           [&](std::size_t i) { return to_text(s.parameters[i]); });
  if (s.parameter_values.size() != s.parameters.size()) {
    throw Error(ErrorKind::shape, fmt::format("the system has {} parameter values for {} parameters; give one for each",
                                              s.parameter_values.size(), s.parameters.size()));
  }
  complete(s.output_names, s.outputs.size(), "names of outputs", "outputs",
           [](std::size_t i) { return fmt::format("output {}", i + 1); });
  for (std::size_t i = 0; i < n; ++i) {
    if (std::isnan(s.start[i]) || std::isnan(s.lower[i]) || std::isnan(s.upper[i])) {
      throw Error(ErrorKind::usage, fmt::format("the start or a bound of {} is not a number (NaN)", s.state_names[i]));
    }
    if (s.lower[i] > s.upper[i])
      throw Error(ErrorKind::usage, fmt::format("the lower bound of {} ({:.6g}) is above its upper bound ({:.6g})",
                                                s.state_names[i], s.lower[i], s.upper[i]));
    if (s.start[i] < s.lower[i] || s.start[i] > s.upper[i]) {
      throw Error(ErrorKind::usage, fmt::format("the start of {} ({:.6g}) lies outside its bounds, {:.6g} to {:.6g}",
                                                s.state_names[i], s.start[i], s.lower[i], s.upper[i]));
    }
  }
  require_known(s, functions, purpose == Purpose::steady ? "equations" : "right-hand sides");
  require_known(s, s.outputs, "outputs");
  return s;
}

}  // namespace boreon
