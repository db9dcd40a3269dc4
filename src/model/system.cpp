// SPDX-License-Identifier: MIT
// From a model to equations in plain symbols.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/model.hpp"
#include "boreon/traverse.hpp"
#include "model/highest_rates.hpp"
#include "model/time_integrals.hpp"

namespace boreon {
namespace {

Expr raised(const Expr& call, int order) {
  std::vector<Expr> operands(call.operands().begin(), call.operands().end());
  operands[2] += order;
  return unknown_call(operands);
}

// What stands behind the name of an unknown, before the indices of an element: y', y'[3].
std::string behind(const std::string& name, const std::string& mark) {
  return std::string(name).insert(std::min(name.find('['), name.size()), mark);
}

// A symbol for the rate of an unknown whose name is free.
Expr rate_symbol(const Model& model, const std::string& name) {
  std::string mark = "_rate";
  const auto taken = [&](const std::string& n) {
    return model.find_unknown(n) != nullptr || n == model.independent.name() ||
           std::any_of(model.parameters.begin(), model.parameters.end(),
                       [&](const Parameter& p) { return p.name == n; });
  };
  while (taken(behind(name, mark))) mark += "_";
  return Symbol(behind(name, mark));
}

void add_state(System& s, const std::string& name, const Expr& symbol, double start, double lower, double upper) {
  s.state_names.push_back(name);
  s.states.push_back(symbol);
  s.start.push_back(start);
  s.lower.push_back(lower);
  s.upper.push_back(upper);
}

void add_common(System& s, const Model& model) {
  s.time = model.independent;
  for (const Parameter& p : model.parameters) {
    s.parameters.push_back(p.symbol);
    s.parameter_names.push_back(p.name);
    s.parameter_values.push_back(p.value.to_double());
  }
  for (const NamedExpression& o : model.outputs) s.output_names.push_back(o.name);
}

// Equations with rates, and those that hold at every moment.
struct EquationParts {
  std::vector<std::size_t> differential;
  std::vector<std::size_t> algebraic;
  std::vector<Expr> residuals;  // of the first kind
};

EquationParts parted(const Model& model, const std::vector<Expr>& residuals, const std::vector<Expr>& rates) {
  const SparsityPattern p = sparsity(residuals, rates);
  EquationParts parts;
  for (std::size_t i = 0; i < residuals.size(); ++i) {
    const bool with_rate = p.row_start[i] < p.row_start[i + 1];
    (with_rate ? parts.differential : parts.algebraic).push_back(i);
    if (with_rate) parts.residuals.push_back(residuals[i]);
  }
  if (parts.differential.size() == rates.size()) return parts;
  const bool few = parts.differential.size() < rates.size();
  const std::size_t at = few ? parts.algebraic.back() : parts.differential.back();
  throw Error(
      ErrorKind::unsupported,
      fmt::format("{} equations have a time derivative, and {} unknowns: each unknown whose rate occurs needs an "
                  "equation with a rate, the others one without ({} {})",
                  parts.differential.size(), rates.size(), model.equations[at].name,
                  few ? "has none; derive it by time, or leave out the rate it fixes" : "has one too many"),
      model.equations[at].position);
}

void require_equations(const Model& model) {
  if (!model.equations.empty()) return;
  throw Error(ErrorKind::unsupported, fmt::format("'{}' has no equations{}", model.called(),
                                                  model.fits.empty() ? "; evaluate gives its outputs"
                                                                     : "; fit finds the unknowns of its [fit]"));
}

// Columns of the data that the system uses are parameters with the values of some row in the middle.
void add_columns(System& s, const Model& model) {
  std::vector<Expr> all = s.residuals;
  all.insert(all.end(), s.outputs.begin(), s.outputs.end());
  NodeMap<char> used;
  if (model.data)
    for (const Symbol& symbol : free_symbols(all)) used[symbol] = 1;
  for (std::size_t c = 0; model.data && c < model.data->symbols.size(); ++c) {
    if (model.data->symbols[c] == s.time || used.find(model.data->symbols[c]) == nullptr) continue;
    s.parameters.push_back(model.data->symbols[c]);
    s.parameter_names.push_back(model.data->names[c]);
    s.parameter_values.push_back(model.data->columns[c][model.data->rows() / 2]);
  }
}

// Outputs alone, or the models of a fit: functions of the unknowns, with the columns of the data.
System plain_system(const Model& model) {
  System s;
  add_common(s, model);
  Bindings b;
  for (const Unknown& u : model.unknowns) {
    add_state(s, u.name, u.symbol, u.start, u.lower, u.upper);
    b.set(u.function, u.symbol);
  }
  for (const NamedExpression& o : model.outputs) s.outputs.push_back(substitute(o.resolved, b, Unused::allowed));
  for (const FitSeries& f : model.fits) {
    s.equation_names.push_back(f.name);
    s.residuals.push_back(substitute(f.model, b, Unused::allowed));
  }
  add_columns(s, model);
  return s;
}

// Equations in which columns of the data may stand: parameters with the values of some row in the middle.
System steady_system_of_rows(const Model& model) {
  require_equations(model);
  System s;
  add_common(s, model);
  Bindings b;
  for (const Unknown& u : model.unknowns) {
    add_state(s, u.name, u.symbol, u.start, u.lower, u.upper);
    b.set(u.function, u.symbol);
    for (int k = 1; k <= u.order; ++k) b.set(raised(u.function, k), 0);
  }
  b.set(model.independent, Expr(Number::shortest_decimal(model.run.from)));  // time stands still
  TimeIntegrals integrals(model);
  for (const ModelEquation& e : model.equations) {
    s.equation_names.push_back(e.name);
    s.residuals.push_back(integrals.replaced(e.resolved.residual(), e.position));
    if (!integrals.all().empty())
      throw Error(ErrorKind::unsupported,
                  fmt::format("the equation {} contains {}, which does not settle: a model with integrals over time in "
                              "its equations has runs, but no steady state",
                              e.name, integrals.all()[0].text),
                  e.position);
  }
  // all at once: looking through the bindings for each equation would take the square of their number
  s.residuals = substitute(s.residuals, b, Unused::allowed);
  for (const NamedExpression& o : model.outputs) {
    Expr value = substitute(integrals.replaced(o.resolved, o.position), b, Unused::allowed);
    // an integral over all time has no value where time stands still
    if (std::any_of(integrals.all().begin(), integrals.all().end(),
                    [&](const TimeIntegrals::Integral& i) { return depends_on(value, i.state); }))
      value = undefined();
    // rates beyond those of the equations are zero as well
    Rebuild rest([](const Expr& e, Expr& r) {
      if (!e.is(Kind::unknown_call)) return false;
      r = 0;
      return true;
    });
    s.outputs.push_back(rest(value));
  }
  add_columns(s, model);
  return s;
}

}  // namespace

System steady_system(const Model& model) {
  for (const ModelEquation& e : model.equations) {
    const Expr r = e.resolved.residual();
    for (std::size_t c = 0; model.data && c < model.data->symbols.size(); ++c) {
      const Expr& column = model.data->symbols[c];
      if (column == Expr(model.independent) || !depends_on(r, column)) continue;
      throw Error(ErrorKind::unsupported,
                  fmt::format("the equation {} uses {}, a column of the data, which has a value for each row: fit "
                              "solves the equations row by row",
                              e.name, model.data->names[c]),
                  e.position);
    }
  }
  return steady_system_of_rows(model);
}

System time_system(const Model& model) {
  require_equations(model);
  if (model.equations.size() != model.unknowns.size()) {
    throw Error(ErrorKind::shape,
                fmt::format("a run in time needs one equation for each unknown: there are {} equations for {} unknowns",
                            model.equations.size(), model.unknowns.size()),
                model.equations.back().position);
  }
  System s;
  add_common(s, model);
  Bindings b;
  std::vector<Expr> rates;       // highest derivative of each unknown
  std::vector<Expr> rate_names;  // symbols of first rates that are states
  for (const Unknown& u : model.unknowns) {
    add_state(s, u.name, u.symbol, u.start, u.lower, u.upper);
    b.set(u.function, u.symbol);
    if (u.order == 2) {
      rate_names.push_back(rate_symbol(model, u.name));
      add_state(s, behind(u.name, "'"), rate_names.back(), u.rate_start, -std::numeric_limits<double>::infinity(),
                std::numeric_limits<double>::infinity());
      b.set(raised(u.function, 1), rate_names.back());
    }
    if (u.order == 0) continue;
    rates.push_back(raised(u.function, u.order));
    b.set(rates.back(), rates.back());  // stays until the equations are solved for it
  }
  TimeIntegrals integrals(model);
  std::vector<Expr> residuals;
  for (const ModelEquation& e : model.equations) {
    s.equation_names.push_back(e.name);
    residuals.push_back(integrals.replaced(e.resolved.residual(), e.position));
  }
  if (!model.in_time() && integrals.all().empty()) {
    throw Error(
        ErrorKind::unsupported,
        fmt::format(
            "no equation of '{}' has a time derivative such as {}', so there is nothing to step in time; use solve",
            model.called(), model.unknowns.front().name));
  }
  residuals = substitute(residuals, b, Unused::allowed);
  const EquationParts parts = parted(model, residuals, rates);
  const std::vector<Expr> highest = solve_for_rates(model, parts.differential, parts.residuals, rates);
  std::size_t k = 0;
  std::size_t solved = 0;
  std::size_t algebraic = 0;
  for (const Unknown& u : model.unknowns) {
    if (u.order == 2) s.right_sides.push_back(rate_names[k++]);
    if (u.order == 0) {
      s.right_sides.push_back(residuals[parts.algebraic[algebraic++]]);
      continue;
    }
    s.right_sides.push_back(highest[solved]);
    b.set(rates[solved], highest[solved]);
    ++solved;
  }
  if (algebraic > 0) {
    for (const Unknown& u : model.unknowns)
      for (int i = 0; i < std::max(u.order, 1); ++i) s.algebraic.push_back(u.order == 0 ? 1 : 0);
  }
  // Unknowns and rates by what they are; rates that equations give contain states, hence twice.
  const auto in_states = [&](const Expr& e, const std::string& what, const SourcePosition& at) {
    const Expr value = substitute(substitute(e, b, Unused::allowed), b, Unused::allowed);
    if (unknown_calls({&value, 1}).empty()) return value;
    throw Error(ErrorKind::unsupported,
                fmt::format("{} contains a derivative of higher order than the equations", what), at);
  };
  for (const NamedExpression& o : model.outputs)
    s.outputs.push_back(in_states(integrals.replaced(o.resolved, o.position), "the output " + o.name, o.position));
  for (const TimeIntegrals::Integral& i : integrals.all()) {
    add_state(s, i.text, i.state, 0, -std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity());
    s.right_sides.push_back(in_states(i.integrand, i.text, {}));
    if (!s.algebraic.empty()) s.algebraic.push_back(0);
    ++s.integrals;
  }
  s.residuals = s.right_sides;
  return s;
}

System without_integrals(System s) {
  for (; s.integrals > 0; --s.integrals) {
    const Expr state = s.states.back();
    s.right_sides.pop_back();
    for (std::size_t i = 0; i < s.right_sides.size(); ++i) {
      if (depends_on(s.right_sides[i], state))
        throw Error(ErrorKind::unsupported,
                    fmt::format("the rate of {} contains {}, which does not settle: there is no steady state",
                                s.state_names[i], s.state_names.back()));
    }
    for (Expr& o : s.outputs) {
      if (depends_on(o, state)) o = undefined();
    }
    s.states.pop_back();
    s.state_names.pop_back();
    s.start.pop_back();
    s.lower.pop_back();
    s.upper.pop_back();
    if (!s.algebraic.empty()) s.algebraic.pop_back();
  }
  s.residuals = s.right_sides;
  return s;
}

System rates_at_rest(const Model& model) {
  System s = without_integrals(time_system(model));
  const Bindings still{{s.time, Expr(Number::shortest_decimal(model.run.from))}};
  s.right_sides = substitute(s.right_sides, still, Unused::allowed);
  s.residuals = s.right_sides;
  s.outputs = substitute(s.outputs, still, Unused::allowed);
  s.equation_names.clear();
  for (const std::string& n : s.state_names) s.equation_names.push_back("rate of " + n);
  return s;
}

System system_of(const Model& model) {
  if (model.equations.empty()) return plain_system(model);
  return model.in_time() ? time_system(model) : steady_system_of_rows(model);
}

CheckOptions check_options(const Model& model, const System& system) {
  CheckOptions o;
  for (std::size_t i = 0; i < system.states.size(); ++i) {
    SampleRange r;
    r.low = system.lower[i];
    r.high = system.upper[i];
    if (system.start[i] != 0) r.typical = system.start[i];
    o.ranges[system.states[i].name()] = r;
  }
  for (std::size_t i = 0; i < system.parameters.size(); ++i) {
    SampleRange r;
    r.typical = system.parameter_values[i];
    if (r.typical == 0) r.low = r.high = 0;
    o.ranges[system.parameters[i].name()] = r;
  }
  SampleRange time;
  time.low = model.run.from;
  time.high = model.run.until.value_or(model.run.from + 1);
  o.ranges[model.independent.name()] = time;
  return o;
}

}  // namespace boreon
