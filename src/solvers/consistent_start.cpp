// SPDX-License-Identifier: MIT
#include "solvers/consistent_start.hpp"

#include <algorithm>
#include <cmath>

#include "solvers/klu_factors.hpp"
#include "solvers/newton_search.hpp"

namespace boreon {

ConsistentStart::ConsistentStart(const System& system) : own_parameters_(system.parameters.size()) {
  algebra_.time = Symbol("_now");  // the time itself is a parameter here
  algebra_.parameters = system.parameters;
  algebra_.parameter_names = system.parameter_names;
  for (std::size_t i = 0; i < system.states.size(); ++i) {
    if (system.algebraic[i] == 0) {
      given_.push_back(i);
      algebra_.parameters.push_back(system.states[i]);
      algebra_.parameter_names.push_back(system.state_names[i]);
      continue;
    }
    places_.push_back(i);
    algebra_.states.push_back(system.states[i]);
    algebra_.state_names.push_back(system.state_names[i]);
    algebra_.lower.push_back(system.lower[i]);
    algebra_.upper.push_back(system.upper[i]);
    algebra_.residuals.push_back(system.right_sides[i]);
    algebra_.equation_names.push_back("the equation of " + system.state_names[i]);
  }
  algebra_.parameters.push_back(system.time);
  algebra_.parameter_names.push_back(system.time.name());
  algebra_.parameter_values.resize(algebra_.parameters.size());
  algebra_.start.resize(places_.size());
}

void ConsistentStart::take(const double* y) {
  for (std::size_t k = 0; k < given_.size(); ++k) algebra_.parameter_values[own_parameters_ + k] = y[given_[k]];
  for (std::size_t k = 0; k < places_.size(); ++k)
    algebra_.start[k] = std::clamp(y[places_[k]], algebra_.lower[k], algebra_.upper[k]);
}

std::string ConsistentStart::find(const std::vector<double>& parameters, double t, double* y) {
  std::copy(parameters.begin(), parameters.end(), algebra_.parameter_values.begin());
  algebra_.parameter_values.back() = t;
  take(y);
  if (!newton_) newton_ = std::make_unique<NewtonRun>(algebra_, LinearSolver::automatic);
  newton_->prepare();
  SteadyResult r = newton_from(*newton_, algebra_.start, true, {});
  if (!r.converged) r = solve_steady(algebra_);
  if (!r.converged) return r.message;
  for (std::size_t k = 0; k < places_.size(); ++k) y[places_[k]] = r.values[k];
  return {};
}

bool ConsistentStart::determined(const double* y) {
  take(y);
  const Verification v = newton_->verify(algebra_.start);
  if (!v.solvable) return false;
  std::vector<double> sizes;
  for (const double value : algebra_.start) sizes.push_back(value != 0 ? std::fabs(value) : 1);
  const NumericJacobian& j = newton_->jacobian();
  const ScaledRows scaled(j.pattern(), j.values(), sizes);
  return KluFactors(j.pattern(), scaled.entries).reciprocal_condition() > 1e-15;
}

}  // namespace boreon
