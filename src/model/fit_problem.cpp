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

// Parameters that are marked as to be found.
void add_marked(FitProblem& p, const Model& model) {
  for (const Parameter& q : model.parameters) {
    if (!q.fit) continue;
    add_unknown(p, q.name, q.symbol, q.value.to_double(), q.lower, q.upper);
    p.start_of.emplace_back();
  }
}

[[noreturn]] void nothing_marked(const Model& model) {
  throw Error(ErrorKind::shape, fmt::format("'{}' does not say what to find: mark parameters with fit = true, as in "
                                            "alpha = {{ value = 1e-13, fit = true }}",
                                            model.called()));
}

// The models of the columns and their deviations, as outputs: rates and unknowns in them are then written out.
Model with_targets_as_outputs(const Model& model) {
  Model with = model;
  with.outputs.clear();
  for (const FitSeries& f : model.fits) {
    with.outputs.push_back({"model", "", "", f.model, f.model, f.position});
    with.outputs.push_back({"deviation", "", "", f.deviation, f.deviation, f.position});
  }
  return with;
}

void add_targets(FitProblem& p, const Model& model, const std::vector<Expr>& models,
                 const std::vector<Expr>& deviations) {
  for (std::size_t i = 0; i < model.fits.size(); ++i) {
    const FitSeries& f = model.fits[i];
    p.targets.push_back({f.name, model.data->symbols[f.column], models[i], deviations[i], f.absolute, f.robust});
  }
}

// What with_targets_as_outputs() has put there.
void take_targets(FitProblem& p, const Model& model, System& s) {
  std::vector<Expr> models;
  std::vector<Expr> deviations;
  for (std::size_t i = 0; i < model.fits.size(); ++i) {
    models.push_back(s.outputs[2 * i]);
    deviations.push_back(s.outputs[2 * i + 1]);
  }
  s.outputs.clear();
  s.output_names.clear();
  add_targets(p, model, models, deviations);
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
  p.run = time_system(with_targets_as_outputs(model));
  p.time = model.independent;
  p.from = model.run.from;
  p.relative_tolerance = std::min(1e-9, model.run.relative_tolerance);
  add_marked(p, model);
  for (const Unknown& u : model.unknowns) {
    if (!u.fit) continue;
    add_unknown(p, u.name + "(0)", Symbol(u.name + "_start"), u.start, u.lower, u.upper);
    for (std::size_t k = 0; k < p.run->states.size(); ++k)
      if (p.run->state_names[k] == u.name) p.start_of.emplace_back(k);
  }
  if (p.unknowns.empty()) nothing_marked(model);
  add_parameters(p, model, false);
  p.data = *model.data;
  take_targets(p, model, *p.run);
  return p;
}

// Measured columns against steady states: equations that hold for each row, with columns among their parameters.
FitProblem of_steady_states(const Model& model) {
  FitProblem p;
  Model with = with_targets_as_outputs(model);
  if (model.data->find(Expr(model.independent))) with.independent = Symbol("_still");  // time is a column like others
  p.steady = system_of(with);
  add_marked(p, model);
  if (p.unknowns.empty()) nothing_marked(model);
  for (const Unknown& u : model.unknowns) {
    if (u.fit)
      throw Error(ErrorKind::usage,
                  fmt::format("{} has fit = true, but its start is only where the search for a steady state begins; "
                              "mark parameters",
                              u.name),
                  u.position);
  }
  add_parameters(p, model, false);
  p.data = *model.data;
  take_targets(p, model, *p.steady);
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
  return model.in_time() ? of_run(model) : of_steady_states(model);
}

}  // namespace boreon
