// SPDX-License-Identifier: MIT
// From [optimise] and [constraints] of a model to what an optimisation takes.
#include <fmt/format.h>

#include "boreon/bindings.hpp"
#include "boreon/model.hpp"
#include "boreon/optimisation.hpp"

namespace boreon {

OptimisationProblem optimisation_problem(const Model& model) {
  if (!model.objective)
    throw Error(
        ErrorKind::shape,
        fmt::format("'{}' does not say what is to be least: [optimise] with minimise = \"cost\" (or maximise), or "
                    "--of and the name of an output",
                    model.called()));
  if (model.in_time())
    throw Error(ErrorKind::unsupported,
                fmt::format("'{}' runs in time; an optimum is looked for among steady states: leave out the rates",
                            model.called()));
  OptimisationProblem p;
  Bindings b;
  for (const Unknown& u : model.unknowns) {
    p.names.push_back(u.name);
    p.unknowns.push_back(u.symbol);
    p.start.push_back(u.start);
    p.lower.push_back(u.lower);
    p.upper.push_back(u.upper);
    b.set(u.function, u.symbol);
  }
  for (const Parameter& q : model.parameters) {
    p.parameters.push_back(q.symbol);
    p.parameter_names.push_back(q.name);
    p.parameter_values.push_back(q.value.to_double());
  }
  b.set(model.independent, Expr(Number::shortest_decimal(model.run.from)));
  // All at once, as in steady_system().
  std::vector<Expr> values{model.objective->resolved};
  for (const ModelEquation& e : model.equations) {
    values.push_back(e.resolved.residual());
    p.constraints.push_back({e.name, {}, 0, 0});
  }
  for (const ModelConstraint& c : model.constraints) {
    values.push_back(c.value - c.limit);
    Constraint k{c.name, {}};
    if (c.kind != ModelConstraint::Kind::at_most) k.lower = 0;
    if (c.kind != ModelConstraint::Kind::at_least) k.upper = 0;
    p.constraints.push_back(std::move(k));
  }
  values = substitute(values, b, Unused::allowed);
  p.objective = values[0];
  p.maximise = model.objective->maximise;
  for (std::size_t j = 0; j < p.constraints.size(); ++j) p.constraints[j].value = values[j + 1];
  return p;
}

}  // namespace boreon
