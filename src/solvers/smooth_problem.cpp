// SPDX-License-Identifier: MIT
#include "solvers/smooth_problem.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/fresh_symbols.hpp"
#include "solvers/scaling.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {
namespace {

constexpr double no_limit = std::numeric_limits<double>::infinity();

bool finite_entries(const double* v, std::size_t n) {
  return std::all_of(v, v + n, [](double x) { return std::isfinite(x); });
}

std::vector<Expr> values_of(const std::vector<Constraint>& constraints) {
  std::vector<Expr> list;
  for (const Constraint& c : constraints) list.push_back(c.value);
  return list;
}

// Weights of the objective and of the constraints in the Lagrangian.
std::vector<Expr> weight_symbols(const OptimisationProblem& p) {
  std::vector<Expr> all = values_of(p.constraints);
  all.push_back(p.objective);
  all.insert(all.end(), p.unknowns.begin(), p.unknowns.end());
  all.insert(all.end(), p.parameters.begin(), p.parameters.end());
  return fresh_symbols("multiplier", p.constraints.size() + 1, all);
}

}  // namespace

System unknowns_of(const OptimisationProblem& p) {
  System s;
  s.state_names = p.names;
  s.states = p.unknowns;
  s.start = p.start;
  s.lower = p.lower;
  s.upper = p.upper;
  s.parameters = p.parameters;
  s.parameter_names = p.parameter_names;
  s.parameter_values = p.parameter_values;
  return s;
}

OptimisationProblem completed(const OptimisationProblem& problem) {
  OptimisationProblem p = problem;
  const std::size_t n = p.unknowns.size();
  if (n == 0) throw Error(ErrorKind::shape, "there is nothing to find: the problem has no unknowns");
  if (!p.start.empty() && p.start.size() != n)
    throw Error(ErrorKind::shape,
                fmt::format("{} start values for {} unknowns; give one for each, or none", p.start.size(), n));
  p.start.resize(n, 0.0);
  if (p.lower.empty()) p.lower.assign(n, -no_limit);
  if (p.upper.empty()) p.upper.assign(n, no_limit);
  if (p.lower.size() == n && p.upper.size() == n) {
    for (std::size_t i = 0; i < n; ++i) {
      if (p.lower[i] <= p.upper[i]) p.start[i] = std::clamp(p.start[i], p.lower[i], p.upper[i]);
    }
  }
  for (std::size_t j = 0; j < p.constraints.size(); ++j) {
    Constraint& c = p.constraints[j];
    if (c.name.empty()) c.name = fmt::format("constraint {}", j + 1);
    if (!(c.lower <= c.upper) || c.lower == no_limit || c.upper == -no_limit)
      throw Error(ErrorKind::usage,
                  fmt::format("the constraint {} asks for a value between {:.6g} and {:.6g}: no value is", c.name,
                              c.lower, c.upper));
  }
  // The rest is what any system has to be: symbols that are known, bounds that leave room.
  System s = unknowns_of(p);
  s.residuals = p.unknowns;
  s.outputs = values_of(p.constraints);
  s.outputs.push_back(p.objective);
  for (const Expr& e : s.outputs) {
    if (is_condition(e))
      throw Error(ErrorKind::usage, fmt::format("{} is a condition; the value of a constraint or objective is a number",
                                                to_text(e, {60})));
  }
  s = checked(s, Purpose::steady);
  p.names = s.state_names;
  p.start = s.start;
  p.lower = s.lower;
  p.upper = s.upper;
  p.parameter_names = s.parameter_names;
  return p;
}

SmoothProblem::SmoothProblem(const OptimisationProblem& problem)
    : problem_(problem),
      objective_(problem.maximise ? -problem.objective : problem.objective),
      constraints_(values_of(problem.constraints)),
      weights_(weight_symbols(problem)),
      inputs_{{"y", problem.unknowns}, {"p", problem.parameters}},
      value_(with_parameters({{"f", {objective_}}, {"g", constraints_}}, inputs_, problem.parameter_values)),
      slope_(Program{}, {}),
      curvature_(Program{}, {}),
      magnitude_([&] {
        std::vector<Expr> list;
        for (const Expr& g : constraints_) list.push_back(magnitude(g));
        return with_parameters({{"f", {magnitude(objective_)}}, {"g", list}}, inputs_, problem.parameter_values);
      }()) {
  SparseMatrix jacobian = sparse_jacobian(constraints_, problem.unknowns);
  jacobian_pattern_ = jacobian.pattern;
  slope_ = with_parameters({{"f", gradient(objective_, problem.unknowns)}, {"g", jacobian.values}}, inputs_,
                           problem.parameter_values);
  std::vector<Expr> terms{weights_[0] * objective_};
  for (std::size_t j = 0; j < constraints_.size(); ++j) terms.push_back(weights_[j + 1] * constraints_[j]);
  SparseMatrix hessian = sparse_hessian(add(terms), problem.unknowns);
  hessian_pattern_ = hessian.pattern;
  std::vector<InputGroup> weighted = inputs_;
  weighted.emplace_back("w", weights_);
  curvature_ = with_parameters({{"h", hessian.values}}, weighted, problem.parameter_values);
}

bool SmoothProblem::value(const double* x, double& f, double* constraints) const {
  const double* in[] = {x, problem_.parameter_values.data()};
  double* out[] = {&f, constraints};
  value_(in, out);
  return std::isfinite(f) && finite_entries(constraints, constraints_.size());
}

bool SmoothProblem::slopes(const double* x, double* gradient, double* jacobian) const {
  const double* in[] = {x, problem_.parameter_values.data()};
  double* out[] = {gradient, jacobian};
  slope_(in, out);
  return finite_entries(gradient, unknowns()) && finite_entries(jacobian, jacobian_pattern_.nonzeros());
}

bool SmoothProblem::curvature(const double* x, double weight, const double* multipliers, double* hessian) const {
  std::vector<double> weights{weight};
  weights.insert(weights.end(), multipliers, multipliers + constraints_.size());
  const double* in[] = {x, problem_.parameter_values.data(), weights.data()};
  double* out[] = {hessian};
  curvature_(in, out);
  return finite_entries(hessian, hessian_pattern_.nonzeros());
}

bool SmoothProblem::exactly(const std::vector<double>& x, const std::vector<double>& multipliers,
                            std::vector<double>& slopes, std::vector<double>& hessian) const {
  constexpr std::size_t most = 60;
  if (unknowns() > most) return false;
  std::vector<Expr> terms{objective_};
  Bindings at;
  for (std::size_t j = 0; j < constraints(); ++j) {
    if (multipliers[j] != 0) terms.push_back(Expr(Number::from_double(multipliers[j])) * constraints_[j]);
  }
  for (std::size_t i = 0; i < unknowns(); ++i) at.set(problem_.unknowns[i], Expr(Number::from_double(x[i])));
  for (std::size_t i = 0; i < problem_.parameters.size(); ++i)
    at.set(problem_.parameters[i], Expr(Number::from_double(problem_.parameter_values[i])));
  const Expr lagrangian = add(terms);
  const auto value = [&](const Expr& e) {
    const Enclosure c = certify(e, at, 17, Unused::allowed);
    return std::strtod(c.real.c_str(), nullptr);
  };
  try {
    slopes.clear();
    for (const Expr& e : gradient(lagrangian, problem_.unknowns)) slopes.push_back(value(e));
    // its pattern is a part of the one that all constraints make
    const SparseMatrix second = sparse_hessian(lagrangian, problem_.unknowns);
    hessian.assign(hessian_pattern_.nonzeros(), 0.0);
    for (std::size_t i = 0; i < second.pattern.rows; ++i) {
      auto to = static_cast<std::size_t>(hessian_pattern_.row_start[i]);
      second.pattern.each(i, [&](std::size_t e, std::size_t column) {
        while (static_cast<std::size_t>(hessian_pattern_.columns[to]) != column) ++to;
        hessian[to] = value(second.values[e]);
      });
    }
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return false;
  }
  return finite_entries(slopes.data(), slopes.size()) && finite_entries(hessian.data(), hessian.size());
}

void SmoothProblem::magnitudes(const double* x, double& f, double* constraints) const {
  const double* in[] = {x, problem_.parameter_values.data()};
  double* out[] = {&f, constraints};
  magnitude_(in, out);
}

std::string SmoothProblem::fault_at(const std::vector<double>& x) const {
  std::vector<Expr> all{problem_.objective};
  all.insert(all.end(), constraints_.begin(), constraints_.end());
  std::string found = fault(all, inputs_, {x, problem_.parameter_values});
  if (!found.empty()) return found;
  all = gradient(problem_.objective, problem_.unknowns);
  const SparseMatrix j = sparse_jacobian(constraints_, problem_.unknowns);
  all.insert(all.end(), j.values.begin(), j.values.end());
  found = fault(all, inputs_, {x, problem_.parameter_values});
  return found.empty() ? found : "in a derivative, " + found;
}

SmoothProblem::Sizes SmoothProblem::sizes_at(const std::vector<double>& x, const Sizes* usual) const {
  constexpr double nothing = 1e-6;
  const std::size_t n = unknowns();
  Sizes s;
  s.unknowns.resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    const double low = problem_.lower[i];
    const double high = problem_.upper[i];
    s.unknowns[i] = std::fabs(x[i]);
    if (usual != nullptr && s.unknowns[i] < nothing * usual->unknowns[i]) s.unknowns[i] = usual->unknowns[i];
    if (std::isfinite(low) && std::isfinite(high)) {
      s.unknowns[i] = std::max(s.unknowns[i], 0.1 * (high - low));
    } else if (s.unknowns[i] == 0) {
      for (const double bound : {low, high}) {
        if (std::isfinite(bound)) s.unknowns[i] = std::max(s.unknowns[i], std::fabs(bound));
      }
    }
    if (!(s.unknowns[i] > 0) || !std::isfinite(s.unknowns[i])) s.unknowns[i] = 1;
  }
  std::vector<double> g(n);
  std::vector<double> j(jacobian_pattern_.nonzeros());
  const bool finite = slopes(x.data(), g.data(), j.data());
  const auto usable = [](double v) { return v > 0 && std::isfinite(v) ? v : 1.0; };
  double f = 0;
  s.constraints.assign(constraints(), 0.0);
  magnitudes(x.data(), f, s.constraints.data());
  if (finite) {
    // where the slope vanishes, the curvature says how much the objective changes
    double change = 0;
    for (std::size_t i = 0; i < n; ++i) change = std::max(change, std::fabs(g[i]) * s.unknowns[i]);
    std::vector<double> h(hessian_pattern_.nonzeros());
    const std::vector<double> none(constraints(), 0.0);
    if (curvature(x.data(), 1, none.data(), h.data())) {
      for (std::size_t i = 0; i < n; ++i) {
        hessian_pattern_.each(i, [&](std::size_t e, std::size_t column) {
          change = std::max(change, std::fabs(h[e]) * s.unknowns[i] * s.unknowns[column]);
        });
      }
    }
    if (change > 0) f = change;
    for (std::size_t k = 0; k < constraints(); ++k) {
      change = 0;
      jacobian_pattern_.each(k, [&](std::size_t e, std::size_t column) {
        change = std::max(change, std::fabs(j[e]) * s.unknowns[column]);
      });
      if (change > 0) s.constraints[k] = change;
    }
  }
  s.objective = usable(f);
  for (double& c : s.constraints) c = usable(c);
  return s;
}

}  // namespace boreon
