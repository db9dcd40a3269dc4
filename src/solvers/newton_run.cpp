// SPDX-License-Identifier: MIT
#include "solvers/newton_run.hpp"

#include <fmt/format.h>
#include <kinsol/kinsol.h>
#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/error.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();
// An unknown this much smaller than its scale is zero as far as rounding tells.
constexpr double zero_part = 1e-12;

double largest(const std::vector<double>& list) {
  double m = 0;
  for (const double v : list) m = std::isnan(v) ? infinite : std::max(m, std::fabs(v));
  return m;
}

double norm(const std::vector<double>& v) {
  // Scaled by its largest entry, so that no square overflows.
  const double m = largest(v);
  if (m == 0 || !std::isfinite(m)) return m;
  double s = 0;
  for (const double x : v) s += (x / m) * (x / m);
  return m * std::sqrt(s);
}

void require(int flag, const char* what) {
  if (flag < 0)
    throw Error(ErrorKind::unsupported, fmt::format("the nonlinear solver refuses its {} (code {})", what, flag));
}

}  // namespace

double Verification::worst_correction() const { return solvable ? largest(corrections) : infinite; }
double Verification::worst_move() const { return solvable ? largest(moves) : infinite; }
double Verification::worst_residual() const { return largest(residuals); }
bool Verification::is_root() const {
  return worst_residual() == 0 || (solvable && worst_move() <= 1e-7 && worst_residual() <= 1e-7);
}

NewtonRun::NewtonRun(const System& system, LinearSolver linear_solver)
    : system_(system),
      inputs_{{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}},
      residual_(with_parameters({OutputGroup("f", system.residuals)}, inputs_, system.parameter_values)),
      jacobian_(system.residuals, system.states, inputs_, system.parameter_values, linear_solver, context_),
      scaling_(system),
      n_(system.states.size()),
      size_(n_, 1.0),
      weight_(n_, 1.0),
      y_(n_),
      f_(n_) {
  Scaling::Sizes sizes = scaling_.unknowns(system.start);
  scale_ = std::move(sizes.least);
  reach_ = std::move(sizes.reach);
}

void NewtonRun::prepare() {
  const double* in[] = {nullptr, system_.parameter_values.data(), nullptr};
  residual_.prepare(in);
  jacobian_.prepare(in);
  scaling_.prepare();
}

NewtonRun::Ending NewtonRun::newton(const std::vector<double>& start, bool line_search, const SteadyOptions& options) {
  take_sizes(start);
  VectorHandle u = make_vector(n_, context_);
  VectorHandle ones = make_vector(n_, context_);
  VectorHandle constraints = make_vector(n_, context_);
  bool constrained = false;
  double length = 0;
  for (std::size_t i = 0; i < n_; ++i) {
    data(u)[i] = to_unit(i, start[i]);
    data(ones)[i] = 1;
    length += data(u)[i] * data(u)[i];
    const bool bounded = shifted(i) || mirrored(i);
    data(constraints)[i] = bounded ? 1.0 : 0.0;
    constrained = constrained || bounded;
  }
  outside_.reset();
  void* mem = KINCreate(context_.get());
  if (mem == nullptr) throw std::bad_alloc();
  KINSetErrFile(mem, nullptr);
  KINSetErrHandlerFn(
      mem, [](int, const char*, const char*, char*, void*) {}, nullptr);
  require(KINInit(mem, &NewtonRun::residual_callback, u.get()), "memory");
  require(KINSetUserData(mem, this), "data");
  require(KINSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix()), "linear solver");
  require(KINSetJacFn(mem, &NewtonRun::jacobian_callback), "Jacobian");
  require(KINSetMaxSetupCalls(mem, 1), "options");
  require(KINSetNumMaxIters(mem, options.max_iterations), "limit of iterations");
  require(KINSetFuncNormTol(mem, options.tolerance), "tolerance");
  require(KINSetScaledStepTol(mem, 1e-15), "options");
  require(KINSetMaxNewtonStep(mem, 1e3 * (1 + std::sqrt(length))), "options");
  if (constrained) require(KINSetConstraints(mem, constraints.get()), "bounds");
  const int flag = KINSol(mem, u.get(), line_search ? KIN_LINESEARCH : KIN_NONE, ones.get(), ones.get());
  KINFree(&mem);
  spend(1);  // an interrupt that has ended the run ends the call
  Ending end;
  end.values.resize(n_);
  for (std::size_t i = 0; i < n_; ++i) end.values[i] = from_unit(i, data(u)[i]);
  end.outcome = flag == KIN_MAXITER_REACHED ? SteadyOutcome::too_many_iterations
                : outside_                  ? SteadyOutcome::left_domain
                                            : SteadyOutcome::stalled;
  return end;
}

int NewtonRun::residual_callback(N_Vector u, N_Vector f, void* self) {
  auto& r = *static_cast<NewtonRun*>(self);
  if (interrupt_requested()) return -1;
  for (std::size_t i = 0; i < r.n_; ++i) {
    r.y_[i] = r.from_unit(i, data(u)[i]);
    if (r.y_[i] < r.system_.lower[i] || r.y_[i] > r.system_.upper[i]) return 1;  // the line search shortens the step
  }
  if (!r.evaluate(r.y_)) {
    r.outside_ = r.y_;
    return 1;
  }
  for (std::size_t i = 0; i < r.n_; ++i) data(f)[i] = r.f_[i] / r.weight_[i];
  return 0;
}

int NewtonRun::jacobian_callback(N_Vector u, N_Vector, SUNMatrix j, void* self, N_Vector, N_Vector) {
  auto& r = *static_cast<NewtonRun*>(self);
  for (std::size_t i = 0; i < r.n_; ++i) r.y_[i] = r.from_unit(i, data(u)[i]);
  ++r.jacobian_calls;
  r.record(r.y_);
  if (!r.fill(r.y_, j)) return 1;
  r.scale_matrix(j);
  return 0;
}

// Of g = f/weight by u = +-(y - bound)/size.
void NewtonRun::scale_matrix(SUNMatrix j) const {
  const auto factor = [&](std::size_t row, std::size_t column) {
    return (mirrored(column) ? -1 : 1) * size_[column] / weight_[row];
  };
  if (SUNMatGetID(j) == SUNMATRIX_DENSE) {
    for (std::size_t c = 0; c < n_; ++c) {
      double* const column = SUNDenseMatrix_Column(j, static_cast<sunindextype>(c));
      for (std::size_t i = 0; i < n_; ++i) column[i] *= factor(i, c);
    }
    return;
  }
  const sunindextype* const starts = SUNSparseMatrix_IndexPointers(j);
  const sunindextype* const rows = SUNSparseMatrix_IndexValues(j);
  for (std::size_t c = 0; c < n_; ++c) {
    for (sunindextype k = starts[c]; k < starts[c + 1]; ++k)
      SUNSparseMatrix_Data(j)[k] *= factor(static_cast<std::size_t>(rows[k]), c);
  }
}

// The size of an unknown now, not below a part of its scale; equations by the magnitude of their terms, or by what a
// change of the unknowns by their size does to them where those vanish.
void NewtonRun::take_sizes(const std::vector<double>& y) {
  const bool at_start = last_ == y && iterations_.empty();
  for (std::size_t i = 0; i < n_; ++i) {
    const double own = std::fabs(y[i]);
    // where the run begins, what starts at zero is as large as it may have to become
    size_[i] = at_start ? std::max(own, reach_[i]) : own > zero_part * scale_[i] ? own : reach_[i];
    if (!(size_[i] > 0) || !std::isfinite(size_[i])) size_[i] = 1;
  }
  weight_ = scaling_.equations(y);
  const bool have = fill(y, jacobian_.matrix());
  const SparsityPattern& p = jacobian_.pattern();
  for (std::size_t i = 0; i < n_; ++i) {
    double change = 0;
    for (auto k = static_cast<std::size_t>(p.row_start[i]); have && k < static_cast<std::size_t>(p.row_start[i + 1]);
         ++k) {
      change = std::max(change, std::fabs(jacobian_.values()[k]) * size_[static_cast<std::size_t>(p.columns[k])]);
    }
    if (std::isfinite(change)) weight_[i] = std::max(weight_[i], change);
    if (!(weight_[i] > 0) || !std::isfinite(weight_[i])) weight_[i] = 1;
  }
}

bool NewtonRun::near(double bound, std::size_t i) const {
  return std::fabs(bound) <= 1e6 * std::max(size_[i], scale_[i]);
}

double NewtonRun::to_unit(std::size_t i, double y) const {
  if (shifted(i)) return (y - system_.lower[i]) / size_[i];
  return mirrored(i) ? (system_.upper[i] - y) / size_[i] : y / size_[i];
}

double NewtonRun::from_unit(std::size_t i, double u) const {
  if (shifted(i)) return u * size_[i] + system_.lower[i];
  return mirrored(i) ? system_.upper[i] - u * size_[i] : u * size_[i];
}

bool NewtonRun::evaluate(const std::vector<double>& y) {
  ++residual_calls;
  const double time = 0;
  const double* in[] = {y.data(), system_.parameter_values.data(), &time};
  double* out[] = {f_.data()};
  residual_(in, out);
  return std::all_of(f_.begin(), f_.end(), [](double v) { return std::isfinite(v); });
}

bool NewtonRun::fill(const std::vector<double>& y, SUNMatrix target) {
  const double time = 0;
  const double* in[] = {y.data(), system_.parameter_values.data(), &time};
  return jacobian_.fill(in, target);
}

bool NewtonRun::finite(const std::vector<double>& y) { return evaluate(y); }

std::vector<double> NewtonRun::own_sizes(const std::vector<double>& y) const {
  std::vector<double> own(n_);
  for (std::size_t i = 0; i < n_; ++i) own[i] = std::max(std::fabs(y[i]), zero_part * scale_[i]);
  return own;
}

Verification NewtonRun::verify(const std::vector<double>& y) {
  Verification v;
  if (!evaluate(y)) {
    v.residuals.assign(n_, infinite);
    return v;
  }
  const std::vector<double> magnitudes = scaling_.equations(y);
  for (std::size_t i = 0; i < n_; ++i) v.residuals.push_back(f_[i] == 0 ? 0 : std::fabs(f_[i]) / magnitudes[i]);
  if (!fill(y, jacobian_.matrix())) return v;
  const std::vector<double> own = own_sizes(y);
  const auto s = newton_step(jacobian_.pattern(), jacobian_.values(), f_, magnitudes, own);
  if (!s) return v;
  v.solvable = true;
  v.step = s->step;
  for (std::size_t i = 0; i < n_; ++i) {
    v.moves.push_back(std::fabs(s->step[i]) / own[i]);
    // what cannot be told from zero is as sure as rounding is small beside its scale
    const double sure = std::fabs(y[i]) <= s->noise[i] ? std::max(scale_[i], own[i]) : own[i];
    v.corrections.push_back(std::max(std::fabs(s->step[i]), s->noise[i]) / sure);
    // An equation whose terms all vanish with an unknown that is zero (k*x = 0) is fulfilled when that unknown is.
  }
  for (std::size_t i = 0; i < n_; ++i) {
    if (v.residuals[i] <= 1e-7) continue;
    const SparsityPattern& p = jacobian_.pattern();
    double at_scale = 0;
    for (auto k = static_cast<std::size_t>(p.row_start[i]); k < static_cast<std::size_t>(p.row_start[i + 1]); ++k) {
      at_scale = std::max(at_scale, std::fabs(jacobian_.values()[k]) * scale_[static_cast<std::size_t>(p.columns[k])]);
    }
    if (at_scale > 0 && std::fabs(f_[i]) <= zero_part * at_scale)
      v.residuals[i] = std::min(v.residuals[i], std::fabs(f_[i]) / at_scale);
  }
  return v;
}

Dependence NewtonRun::dependence_at(const std::vector<double>& y) {
  if (!fill(y, jacobian_.matrix())) return {};
  const std::vector<double> own = own_sizes(y);
  return dependence(jacobian_.pattern(), jacobian_.values(), own);
}

bool NewtonRun::dependent_around(std::vector<double> y) {
  if (dependence_at(y).unknowns.empty()) return false;
  for (std::size_t i = 0; i < n_; ++i) {
    y[i] += (0.013 + 0.007 * static_cast<double>(i % 5)) * std::max(std::fabs(y[i]), 0.1 * scale_[i]);
    y[i] = std::clamp(y[i], system_.lower[i], system_.upper[i]);
  }
  return !dependence_at(y).unknowns.empty();
}

std::vector<double> NewtonRun::outputs(const std::vector<double>& y) const {
  std::vector<double> values(system_.outputs.size());
  if (values.empty()) return values;
  const Kernel k = compile({OutputGroup("g", system_.outputs)}, inputs_);
  const double time = 0;
  const double* in[] = {y.data(), system_.parameter_values.data(), &time};
  double* out[] = {values.data()};
  k(in, out);
  return values;
}

void NewtonRun::begin(const std::vector<double>& start) {
  last_ = start;
  iterations_.clear();
}

void NewtonRun::record(const std::vector<double>& y) {
  const double residual = evaluate(y) ? norm(f_) : infinite;
  double step = 0;
  for (std::size_t i = 0; i < n_; ++i)
    step = std::max(
        step, std::fabs(y[i] - last_[i]) / std::max({std::fabs(y[i]), std::fabs(last_[i]), zero_part * scale_[i]}));
  if (step == 0 && !iterations_.empty()) return;  // a run goes on where the last one ended
  iterations_.push_back({static_cast<int>(iterations_.size()), residual, step});
  last_ = y;
}

std::string NewtonRun::fault_at(const std::vector<double>& y) const {
  return fault(system_.residuals, inputs_, {y, system_.parameter_values, {0}});
}

}  // namespace boreon
