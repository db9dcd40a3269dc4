// SPDX-License-Identifier: MIT
#include "solvers/output_map.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/names.hpp"
#include "boreon/solvers.hpp"
#include "expr/work.hpp"
#include "solvers/klu_factors.hpp"

namespace boreon {

std::vector<Expr> outputs_named(const System& s, const std::vector<std::string>& names) {
  std::vector<std::string> all = s.output_names;
  all.insert(all.end(), s.state_names.begin(), s.state_names.end());
  std::vector<Expr> list;
  for (const std::string& name : names) {
    const auto at = std::find(all.begin(), all.end(), name);
    if (at == all.end())
      throw Error(ErrorKind::name, fmt::format("there is no output or unknown '{}'{}", name, suggestion(name, all)));
    const auto i = static_cast<std::size_t>(at - all.begin());
    list.push_back(i < s.outputs.size() ? s.outputs[i] : s.states[i - s.outputs.size()]);
  }
  return list;
}

std::size_t parameter_named(const System& s, const std::string& name) {
  const auto p = std::find(s.parameter_names.begin(), s.parameter_names.end(), name);
  if (p == s.parameter_names.end())
    throw Error(ErrorKind::name,
                fmt::format("there is no parameter '{}'{}", name, suggestion(name, s.parameter_names)));
  return static_cast<std::size_t>(p - s.parameter_names.begin());
}

namespace {

// A parameter, or "n(0)" for the start of n.
RunInput input_named(const System& s, const std::string& name, OutputsAt at) {
  const auto p = std::find(s.parameter_names.begin(), s.parameter_names.end(), name);
  if (p != s.parameter_names.end()) return {false, static_cast<std::size_t>(p - s.parameter_names.begin())};
  const std::size_t open = name.find('(');
  if (open != std::string::npos && name.ends_with(")")) {
    const auto u = std::find(s.state_names.begin(), s.state_names.end(), name.substr(0, open));
    if (u != s.state_names.end()) {
      if (at == OutputsAt::steady_state)
        throw Error(ErrorKind::usage,
                    fmt::format("{} is where the search for the steady state begins; it does not depend on it", name));
      return {true, static_cast<std::size_t>(u - s.state_names.begin())};
    }
  }
  if (std::find(s.state_names.begin(), s.state_names.end(), name) != s.state_names.end())
    throw Error(ErrorKind::name, fmt::format("{0} is an unknown; its start value in a run is written {0}(0)", name));
  return {false, parameter_named(s, name)};
}

std::vector<RunInput> inputs_named(const System& s, const std::vector<std::string>& names, OutputsAt at) {
  std::vector<RunInput> list;
  for (const std::string& n : names) list.push_back(input_named(s, n, at));
  return list;
}

std::vector<Expr> slopes_by_states(const std::vector<Expr>& outputs, const System& s) {
  std::vector<Expr> all;
  for (const Expr& o : outputs) {
    const std::vector<Expr> g = gradient(o, s.states);
    all.insert(all.end(), g.begin(), g.end());
  }
  return all;
}

std::vector<Expr> symbols_of(const System& s, const std::vector<RunInput>& by) {
  std::vector<Expr> all;
  for (const RunInput& i : by) all.push_back(i.start ? s.states[i.index] : s.parameters[i.index]);
  return all;
}

// Outputs by inputs; a start value is the state itself only where outputs are taken at the start.
std::vector<Expr> slopes_by_inputs(const std::vector<Expr>& outputs, const System& s, const std::vector<RunInput>& by,
                                   bool at_start) {
  std::vector<Expr> all;
  for (const Expr& o : outputs) {
    const std::vector<Expr> g = gradient(o, symbols_of(s, by));
    for (std::size_t i = 0; i < by.size(); ++i) all.push_back(by[i].start && !at_start ? Expr(0) : g[i]);
  }
  return all;
}

std::vector<InputGroup> groups_of(const System& s) { return {{"y", s.states}, {"p", s.parameters}, {"t", {s.time}}}; }

}  // namespace

OutputMap::OutputMap(const System& system, const std::vector<std::string>& outputs,
                     const std::vector<std::string>& inputs, const SensitivityOptions& options)
    : system_(system),
      options_(options),
      outputs_(outputs_named(system, outputs)),
      by_(inputs_named(system, inputs, options.at)),
      groups_(groups_of(system)),
      value_(with_parameters({OutputGroup("g", outputs_)}, groups_, system.parameter_values)),
      by_states_(
          with_parameters({OutputGroup("g_y", slopes_by_states(outputs_, system_))}, groups_, system.parameter_values)),
      by_inputs_(with_parameters(
          {OutputGroup("g_p", slopes_by_inputs(outputs_, system_, by_, options.at == OutputsAt::start))}, groups_,
          system.parameter_values)) {
  for (const RunInput& i : by_)
    input_values_.push_back(i.start ? system_.start[i.index] : system_.parameter_values[i.index]);
  if (options_.at == OutputsAt::end_of_run)
    run_ = run_derivatives(system_, by_, options_.relative_tolerance, options_.absolute_tolerance);
}

long OutputMap::right_sides() const {
  if (!run_) return 0;
  const RunDerivatives::Counts& c = run_->counts();
  return c.right_sides + c.sensitivity_right_sides + c.backward_right_sides;
}

void OutputMap::take(const std::vector<double>& inputs) {
  for (std::size_t k = 0; k < by_.size(); ++k)
    (by_[k].start ? system_.start : system_.parameter_values)[by_[k].index] = inputs[k];
}

std::vector<double> OutputMap::evaluated(StagedKernel& kernel, std::size_t count) {
  std::vector<double> out(count);
  const double t = time();
  const double* in[] = {states_.data(), system_.parameter_values.data(), &t};
  double* to[] = {out.data()};
  kernel.prepare(in);
  if (count > 0) kernel(in, to);
  return out;
}

// Beside a steady state that is known, Newton's method from there, with functions that are compiled once; else, or if
// that fails, all that solve_steady() does.
bool OutputMap::find_steady_state() {
  spend(5000 + 50 * system_.states.size());
  if (!states_.empty()) {
    if (!newton_) newton_ = std::make_unique<NewtonRun>(system_, LinearSolver::automatic);
    newton_->prepare();
    const SteadyResult r = newton_from(*newton_, states_, true, {});
    if (r.converged && newton_->verify(r.values).worst_correction() < 1e-9) {
      states_ = r.values;
      return true;
    }
  }
  System near = system_;
  if (!states_.empty()) near.start = states_;  // the branch on which the last one was
  const SteadyResult r = solve_steady(near, {});
  // Rounding that moves a root this far says that two of them meet there: no derivative exists.
  const bool multiple = r.converged && r.correction > 1e-9;
  message_ = multiple      ? "the Jacobian is singular at the steady state, or nearly so (a multiple root or a turning "
                             "point): there sensitivities are infinite"
             : r.converged ? std::string()
                           : r.message;
  if (r.converged) states_ = r.values;
  return r.converged && !multiple;
}

bool OutputMap::find_states() {
  message_.clear();
  if (options_.at == OutputsAt::start) {
    states_ = system_.start;
    return true;
  }
  if (options_.at == OutputsAt::steady_state) return find_steady_state();
  message_ = run_->forward({system_.start, system_.parameter_values, options_.from}, {options_.until}, false,
                           [&](std::size_t, const double* y, const std::vector<const double*>&) {
                             states_.assign(y, y + system_.states.size());
                           });
  return message_.empty();
}

std::vector<double> OutputMap::values(const std::vector<double>& inputs) {
  take(inputs);
  if (!find_states()) return {};
  return evaluated(value_, outputs_.size());
}

// The residuals around a steady state: their derivatives by states and inputs.
struct OutputMap::Linearised {
  NumericJacobian jacobian;
  SparsityPattern by_inputs;
  StagedKernel by_inputs_kernel;
  std::vector<double> by_inputs_values;
  std::optional<ScaledRows> scaled;
  std::optional<KluFactors> factors;
  std::vector<double> sizes;

  Linearised(const System& s, const std::vector<InputGroup>& groups, const std::vector<RunInput>& by,
             const SundialsContext& context)
      : jacobian(s.residuals, s.states, groups, s.parameter_values, LinearSolver::automatic, context),
        by_inputs_kernel(Program{}, {}) {
    const SparseMatrix m = sparse_jacobian(s.residuals, symbols_of(s, by));
    by_inputs = m.pattern;
    by_inputs_kernel = with_parameters({OutputGroup("f_p", m)}, groups, s.parameter_values);
    by_inputs_values.resize(m.pattern.nonzeros());
  }

  void take(const System& s, const std::vector<double>& y, double t) {
    const double* in[] = {y.data(), s.parameter_values.data(), &t};
    jacobian.prepare(in);
    by_inputs_kernel.prepare(in);
    if (!jacobian.evaluate(in)) throw Error(ErrorKind::domain, "the Jacobian has no finite value at the steady state");
    double* out[] = {by_inputs_values.data()};
    by_inputs_kernel(in, out);
    sizes.clear();
    for (const double v : y) sizes.push_back(v != 0 ? std::fabs(v) : 1);
    scaled.emplace(jacobian.pattern(), jacobian.values(), sizes);
    factors.emplace(jacobian.pattern(), scaled->entries);
    if (!(factors->reciprocal_condition() > 1e-15))
      throw Error(ErrorKind::domain,
                  "the Jacobian is singular at the steady state (a multiple root or a turning point): there "
                  "sensitivities are infinite");
  }

  // visit(row, input, value) for each nonzero of the derivatives by the inputs
  template <class Visit>
  void each(const Visit& visit) const {
    for (std::size_t row = 0; row < by_inputs.rows; ++row) {
      for (auto k = static_cast<std::size_t>(by_inputs.row_start[row]);
           k < static_cast<std::size_t>(by_inputs.row_start[row + 1]); ++k)
        visit(row, static_cast<std::size_t>(by_inputs.columns[k]), by_inputs_values[k]);
    }
  }
};

OutputMap::~OutputMap() = default;

OutputMap::Linearised& OutputMap::linearised() {
  if (!linearised_) linearised_ = std::make_unique<Linearised>(system_, groups_, by_, context_);
  linearised_->take(system_, states_, time());
  return *linearised_;
}

std::vector<std::vector<double>> OutputMap::forward() {
  const std::size_t n = system_.states.size();
  const std::size_t m = by_.size();
  const std::vector<double> by_states = evaluated(by_states_, outputs_.size() * n);
  const std::vector<double> by_inputs = evaluated(by_inputs_, outputs_.size() * m);
  std::vector<std::vector<double>> result(outputs_.size(), std::vector<double>(m));
  std::vector<std::vector<double>> slopes(m, std::vector<double>(n, 0.0));  // of the states
  if (options_.at == OutputsAt::end_of_run) {
    message_ = run_->forward({system_.start, system_.parameter_values, options_.from}, {options_.until}, true,
                             [&](std::size_t, const double*, const std::vector<const double*>& s) {
                               for (std::size_t i = 0; i < m; ++i) slopes[i].assign(s[i], s[i] + n);
                             });
    if (!message_.empty()) return {};
  } else if (options_.at == OutputsAt::steady_state) {
    Linearised& l = linearised();
    l.each([&](std::size_t row, std::size_t input, double v) { slopes[input][row] -= v / l.scaled->rows[row]; });
    for (std::size_t i = 0; i < m; ++i) {
      if (!l.factors->solve(slopes[i])) throw Error(ErrorKind::domain, "the linear system cannot be solved");
      for (std::size_t row = 0; row < n; ++row) slopes[i][row] *= l.sizes[row];
      ++linear_solves_;
    }
  }
  for (std::size_t o = 0; o < outputs_.size(); ++o) {
    for (std::size_t i = 0; i < m; ++i) {
      result[o][i] = by_inputs[o * m + i];
      for (std::size_t row = 0; row < n; ++row) {
        // what an output does not depend on may have any slope
        if (by_states[o * n + row] != 0) result[o][i] += by_states[o * n + row] * slopes[i][row];
      }
    }
  }
  return result;
}

std::vector<std::vector<double>> OutputMap::adjoint() {
  const std::size_t n = system_.states.size();
  const std::size_t m = by_.size();
  const std::vector<double> by_states = evaluated(by_states_, outputs_.size() * n);
  const std::vector<double> by_inputs = evaluated(by_inputs_, outputs_.size() * m);
  std::vector<std::vector<double>> result(outputs_.size());
  Linearised* const l = options_.at == OutputsAt::steady_state ? &linearised() : nullptr;
  for (std::size_t o = 0; o < outputs_.size(); ++o) {
    std::vector<double> end(by_states.begin() + static_cast<std::ptrdiff_t>(o * n),
                            by_states.begin() + static_cast<std::ptrdiff_t>((o + 1) * n));
    result[o].assign(m, 0.0);
    if (options_.at == OutputsAt::end_of_run) {
      message_ =
          run_->adjoint({system_.start, system_.parameter_values, options_.from}, options_.until, end, result[o]);
      if (!message_.empty()) return {};
    } else if (options_.at == OutputsAt::steady_state) {
      for (std::size_t row = 0; row < n; ++row) end[row] *= l->sizes[row];
      if (!l->factors->solve_transposed(end)) throw Error(ErrorKind::domain, "the linear system cannot be solved");
      ++linear_solves_;
      l->each([&](std::size_t row, std::size_t input, double v) {
        result[o][input] -= v * end[row] / l->scaled->rows[row];
      });
    }
    for (std::size_t i = 0; i < m; ++i) result[o][i] += by_inputs[o * m + i];
  }
  return result;
}

double settled_difference(const std::vector<DifferenceStep>& steps) {
  double best = std::numeric_limits<double>::quiet_NaN();
  if (steps.size() == 2) return steps[1].central;
  double least = std::numeric_limits<double>::infinity();
  // changes to both neighbours: two steps so short that nothing changes between them may agree by chance
  for (std::size_t k = 1; k + 1 < steps.size(); ++k) {
    const double change = std::max(std::fabs(steps[k].central - steps[k - 1].central),
                                   std::fabs(steps[k].central - steps[k + 1].central));
    if (!(change < least)) continue;
    least = change;
    best = steps[k].central;
  }
  return best;
}

}  // namespace boreon
