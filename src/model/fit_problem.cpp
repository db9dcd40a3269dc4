// SPDX-License-Identifier: MIT
// From [data] and [fit] of a model to what a fit takes.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include "boreon/bindings.hpp"
#include "boreon/least_squares.hpp"
#include "boreon/model.hpp"

namespace boreon {
namespace {

void add_unknown(FitProblem& p, const std::string& name, const Expr& symbol, double start, double lower, double upper) {
  p.names.push_back(name);
  p.unknowns.push_back(symbol);
  p.start.push_back(start);
  p.lower.push_back(lower);
  p.upper.push_back(upper);
}

void add_parameters(FitProblem& p, const Model& model, bool all) {
  for (const Parameter& q : model.parameters) {
    if (q.fit && !all) continue;
    p.parameters.push_back(q.symbol);
    p.parameter_values.push_back(q.value.to_double());
  }
}

void add_targets(FitProblem& p, const Model& model, const std::vector<Expr>& models,
                 const std::vector<Expr>& deviations) {
  for (std::size_t i = 0; i < model.fits.size(); ++i) {
    const FitSeries& f = model.fits[i];
    p.targets.push_back({f.name, model.data->symbols[f.column], models[i], deviations[i], f.absolute, f.robust});
  }
}

// Measured columns against formulas in the unknowns.
FitProblem of_table(const Model& model) {
  FitProblem p;
  Bindings b;
  for (const Unknown& u : model.unknowns) {
    add_unknown(p, u.name, u.symbol, u.start, u.lower, u.upper);
    b.set(u.function, u.symbol);
  }
  add_parameters(p, model, true);
  p.data = *model.data;
  std::vector<Expr> models;
  std::vector<Expr> deviations;
  for (const FitSeries& f : model.fits) {
    models.push_back(substitute(f.model, b, Unused::allowed));
    deviations.push_back(substitute(f.deviation, b, Unused::allowed));
  }
  add_targets(p, model, models, deviations);
  return p;
}

// Measured columns against a run in time whose marked parameters are to be found.
FitProblem of_run(const Model& model) {
  FitProblem p;
  // The models of the columns become outputs for a moment, so that rates in them are written out.
  Model with = model;
  with.outputs.clear();
  for (const FitSeries& f : model.fits) {
    with.outputs.push_back({"model", "", "", f.model, f.model, f.position});
    with.outputs.push_back({"deviation", "", "", f.deviation, f.deviation, f.position});
  }
  p.run = time_system(with);
  std::vector<Expr> models;
  std::vector<Expr> deviations;
  for (std::size_t i = 0; i < model.fits.size(); ++i) {
    models.push_back(p.run->outputs[2 * i]);
    deviations.push_back(p.run->outputs[2 * i + 1]);
  }
  p.run->outputs.clear();
  p.run->output_names.clear();
  p.time = model.independent;
  p.from = model.run.from;
  p.relative_tolerance = std::min(1e-9, model.run.relative_tolerance);
  for (const Parameter& q : model.parameters) {
    if (q.fit) {
      add_unknown(p, q.name, q.symbol, q.value.to_double(), q.lower, q.upper);
      p.start_of.emplace_back();
    }
  }
  for (const Unknown& u : model.unknowns) {
    if (!u.fit) continue;
    add_unknown(p, u.name + "(0)", Symbol(u.name + "_start"), u.start, u.lower, u.upper);
    for (std::size_t k = 0; k < p.run->states.size(); ++k)
      if (p.run->state_names[k] == u.name) p.start_of.emplace_back(k);
  }
  if (p.unknowns.empty())
    throw Error(ErrorKind::shape, fmt::format("'{}' does not say what to find: mark parameters with fit = true, as in "
                                              "alpha = {{ value = 1e-13, fit = true }}",
                                              model.called()));
  add_parameters(p, model, false);
  p.data = *model.data;
  add_targets(p, model, models, deviations);
  return p;
}

// More equations than unknowns: each residual is to be nothing.
FitProblem of_equations(const Model& model) {
  const System s = steady_system(model);
  FitProblem p;
  p.names = s.state_names;
  p.unknowns = s.states;
  p.start = s.start;
  p.lower = s.lower;
  p.upper = s.upper;
  add_parameters(p, model, true);
  const Symbol nothing("_nothing");
  p.data.names = {"nothing"};
  p.data.symbols = {nothing};
  p.data.columns = {{0.0}};
  for (std::size_t i = 0; i < s.residuals.size(); ++i) {
    FitTarget t;
    t.name = s.equation_names[i];
    t.measured = nothing;
    t.model = s.residuals[i];
    p.targets.push_back(std::move(t));
  }
  return p;
}

}  // namespace

FitProblem fit_problem(const Model& model) {
  if (model.fits.empty()) {
    if (model.equations.size() > model.unknowns.size() && !model.in_time()) return of_equations(model);
    throw Error(
        ErrorKind::shape,
        fmt::format("'{}' has nothing to fit: [data] and [fit] say what was measured, or give more equations than "
                    "unknowns",
                    model.called()));
  }
  if (model.equations.empty()) return of_table(model);
  if (model.in_time()) return of_run(model);
  throw Error(
      ErrorKind::unsupported,
      fmt::format("'{}' has [fit] and equations without time: a fit of steady states is not part of this version; "
                  "solve the equations for the unknowns and write them as [definitions]",
                  model.called()));
}

}  // namespace boreon
