// SPDX-License-Identifier: MIT
// Sensitivities of runs in time through CVODES, with derived right-hand sides. Source: Serban and Hindmarsh, CVODES:
// the sensitivity-enabled ODE solver in SUNDIALS, 2005.
#include "solvers/run_derivatives.hpp"

#include <cvodes/cvodes.h>
#include <fmt/format.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunlinsol/sunlinsol_klu.h>
#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "boreon/work.hpp"
#include "expr/work.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/run_support.hpp"

namespace boreon {
namespace {

constexpr long steps_between_checkpoints = 200;

std::vector<Expr> parameters_among(const System& s, const std::vector<RunInput>& by) {
  std::vector<Expr> list;
  for (const RunInput& i : by) {
    if (!i.start) list.push_back(s.parameters[i.index]);
  }
  return list;
}

// CVODES memory with what all runs have.
class CvodeMemory {
 public:
  explicit CvodeMemory(const SundialsContext& context) : mem_(CVodeCreate(CV_BDF, context.get())) {
    if (mem_ == nullptr) throw std::bad_alloc();
    CVodeSetErrHandlerFn(
        mem_, [](int, const char*, const char*, char*, void*) {}, nullptr);
  }
  ~CvodeMemory() { CVodeFree(&mem_); }
  CvodeMemory(const CvodeMemory&) = delete;
  CvodeMemory& operator=(const CvodeMemory&) = delete;
  [[nodiscard]] void* get() const noexcept { return mem_; }

 private:
  void* mem_;
};

}  // namespace

RunDerivatives::RunDerivatives(const System& system, std::vector<RunInput> by, double relative_tolerance,
                               double absolute_tolerance)
    : system_(system),
      by_(std::move(by)),
      relative_(relative_tolerance),
      absolute_(absolute_tolerance),
      n_(system.states.size()),
      inputs_{{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}},
      right_side_(with_parameters({OutputGroup("f", system.right_sides)}, inputs_, system.parameter_values)),
      jacobian_(system.right_sides, system.states, inputs_, system.parameter_values, LinearSolver::automatic, context_),
      by_parameters_kernel_(Program{}, {}) {
  require_rates(system, "sensitivities");
  const SparseMatrix m = sparse_jacobian(system.right_sides, parameters_among(system, by_));
  by_parameters_ = m.pattern;
  by_parameters_kernel_ = with_parameters({OutputGroup("by parameters", m)}, inputs_, system.parameter_values);
  by_parameters_values_.resize(by_parameters_.nonzeros());
  for (std::size_t i = 0; i < by_.size(); ++i) {
    if (!by_[i].start) parameter_inputs_.push_back(i);
  }
}

RunDerivatives::~RunDerivatives() {
  if (transposed_solver_ != nullptr) SUNLinSolFree(transposed_solver_);
  if (transposed_ != nullptr) SUNMatDestroy(transposed_);
}

bool RunDerivatives::evaluate(double t, const double* y, double* f) const {
  const double* in[] = {y, at_.parameters.data(), &t};
  double* out[] = {f};
  right_side_(in, out);
  return std::all_of(f, f + n_, [](double v) { return std::isfinite(v); });
}

bool RunDerivatives::evaluate_by_parameters(double t, const double* y) {
  const double* in[] = {y, at_.parameters.data(), &t};
  double* out[] = {by_parameters_values_.data()};
  by_parameters_kernel_(in, out);
  return std::all_of(by_parameters_values_.begin(), by_parameters_values_.end(),
                     [](double v) { return std::isfinite(v); });
}

void RunDerivatives::prepare(const Point& at, double until) {
  at_ = at;
  const double* in[] = {at_.start.data(), at_.parameters.data(), &at_.from};
  right_side_.prepare(in);
  jacobian_.prepare(in);
  by_parameters_kernel_.prepare(in);
  std::vector<double> slope(n_);
  (void)evaluate(at.from, at.start.data(), slope.data());
  tolerances_ = absolute_tolerances(at.start, slope.data(), until - at.from, relative_, absolute_);
}

int RunDerivatives::right_side_callback(double t, N_Vector y, N_Vector f, void* self) {
  if (interrupt_requested()) return -1;
  return static_cast<RunDerivatives*>(self)->evaluate(t, data(y), data(f)) ? 0 : 1;
}

int RunDerivatives::jacobian_callback(double t, N_Vector y, N_Vector, SUNMatrix j, void* self, N_Vector, N_Vector,
                                      N_Vector) {
  auto& r = *static_cast<RunDerivatives*>(self);
  const double* in[] = {data(y), r.at_.parameters.data(), &t};
  return r.jacobian_.fill(in, j) ? 0 : 1;
}

// ds/dt = J s + df/dp for each input.
int RunDerivatives::slopes_callback(int count, double t, N_Vector y, N_Vector, N_Vector* s, N_Vector* slope, void* self,
                                    N_Vector, N_Vector) {
  auto& r = *static_cast<RunDerivatives*>(self);
  if (interrupt_requested()) return -1;
  const double* in[] = {data(y), r.at_.parameters.data(), &t};
  if (!r.jacobian_.evaluate(in) || !r.evaluate_by_parameters(t, data(y))) return 1;
  const SparsityPattern& p = r.jacobian_.pattern();
  const std::vector<double>& values = r.jacobian_.values();
  for (int i = 0; i < count; ++i) {
    const double* const from = data(s[i]);
    double* const to = data(slope[i]);
    for (std::size_t row = 0; row < r.n_; ++row) {
      double sum = 0;
      for (auto k = static_cast<std::size_t>(p.row_start[row]); k < static_cast<std::size_t>(p.row_start[row + 1]); ++k)
        sum += values[k] * from[p.columns[k]];
      to[row] = sum;
    }
  }
  for (std::size_t row = 0; row < r.n_; ++row) {
    for (auto k = static_cast<std::size_t>(r.by_parameters_.row_start[row]);
         k < static_cast<std::size_t>(r.by_parameters_.row_start[row + 1]); ++k) {
      const std::size_t input = r.parameter_inputs_[static_cast<std::size_t>(r.by_parameters_.columns[k])];
      data(slope[input])[row] += r.by_parameters_values_[k];
    }
  }
  return 0;
}

std::string RunDerivatives::describe(int flag, double reached, const double* y) const {
  std::vector<double> slope(n_);
  const std::string at = fmt::format("at {} = {:.6g}", system_.time.name(), reached);
  if (!evaluate(reached, y, slope.data())) return fmt::format("the rates have no value {}", at);
  if (flag == CV_TOO_MUCH_WORK) return fmt::format("more than {} steps were needed {}", most_steps_, at);
  return fmt::format("the step became too small {} (code {})", at, flag);
}

// The run itself, from the values in y.
void RunDerivatives::initialise(void* mem, const VectorHandle& y) {
  std::copy(at_.start.begin(), at_.start.end(), data(y));
  const VectorHandle tolerance = make_vector(n_, context_);
  std::copy(tolerances_.begin(), tolerances_.end(), data(tolerance));
  accept(CVodeInit(mem, &RunDerivatives::right_side_callback, at_.from, y.get()), "start");
  accept(CVodeSetUserData(mem, this), "data");
  accept(CVodeSVtolerances(mem, relative_, tolerance.get()), "tolerances");
  accept(CVodeSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix()), "linear solver");
  accept(CVodeSetJacFn(mem, &RunDerivatives::jacobian_callback), "Jacobian");
  accept(CVodeSetMaxNumSteps(mem, most_steps_), "limit of steps");
  accept(CVodeSetMaxErrTestFails(mem, 20), "options");
}

std::string RunDerivatives::forward(const Point& at, const std::vector<double>& times, bool derivatives,
                                    const Visit& visit) {
  prepare(at, times.empty() ? at.from : times.back());
  derivatives = derivatives && !by_.empty();
  const std::size_t m = derivatives ? by_.size() : 0;
  const VectorHandle y = make_vector(n_, context_);
  std::vector<VectorHandle> s;
  std::vector<N_Vector> handles;
  std::vector<double> sizes;
  std::vector<const double*> slopes(by_.size(), nullptr);
  for (std::size_t i = 0; i < m; ++i) {
    s.push_back(make_vector(n_, context_));
    N_VConst(0, s.back().get());
    if (by_[i].start) data(s.back())[by_[i].index] = 1;
    handles.push_back(s.back().get());
    slopes[i] = data(s.back());
    const double value = by_[i].start ? at.start[by_[i].index] : at.parameters[by_[i].index];
    sizes.push_back(value != 0 ? std::fabs(value) : 1);
  }
  const CvodeMemory mem(context_);
  initialise(mem.get(), y);
  if (m > 0) {
    accept(
        CVodeSensInit(mem.get(), static_cast<int>(m), CV_STAGGERED, &RunDerivatives::slopes_callback, handles.data()),
        "sensitivities");
    accept(CVodeSetSensParams(mem.get(), nullptr, sizes.data(), nullptr), "sensitivities");
    accept(CVodeSensEEtolerances(mem.get()), "tolerances");
    accept(CVodeSetSensErrCon(mem.get(), 1), "tolerances");
  }
  double reached = at.from;
  std::string problem;
  long charged = 0;  // of the steps
  for (std::size_t k = 0; k < times.size(); ++k) {
    // times in the same place need no step, and the start is one
    if (times[k] > reached) {
      accept(CVodeSetStopTime(mem.get(), times.back()), "end");
      const int flag = CVode(mem.get(), times[k], y.get(), &reached, CV_NORMAL);
      long done = 0;
      CVodeGetNumSteps(mem.get(), &done);
      spend(static_cast<std::uint64_t>(done - charged + 1) * (300 + 30 * n_ * (1 + m)));
      charged = done;
      if (flag < 0) {
        problem = describe(flag, reached, data(y));
        break;
      }
      if (m > 0) accept(CVodeGetSensDky(mem.get(), times[k], 0, handles.data()), "sensitivities");
      reached = times[k];
    }
    visit(k, data(y), slopes);
  }
  long calls = 0;
  CVodeGetNumRhsEvals(mem.get(), &calls);
  counts_.right_sides += calls;
  if (m > 0) {
    CVodeGetSensNumRhsEvals(mem.get(), &calls);
    counts_.sensitivity_right_sides += calls * static_cast<long>(m);
  }
  return problem;
}

// dl/dt = -J^T l, from the end backwards.
int RunDerivatives::backward_callback(double t, N_Vector y, N_Vector l, N_Vector slope, void* self) {
  auto& r = *static_cast<RunDerivatives*>(self);
  if (interrupt_requested()) return -1;
  const double* in[] = {data(y), r.at_.parameters.data(), &t};
  if (!r.jacobian_.evaluate(in)) return 1;
  N_VConst(0, slope);
  const SparsityPattern& p = r.jacobian_.pattern();
  for (std::size_t row = 0; row < r.n_; ++row) {
    for (auto k = static_cast<std::size_t>(p.row_start[row]); k < static_cast<std::size_t>(p.row_start[row + 1]); ++k)
      data(slope)[p.columns[k]] -= r.jacobian_.values()[k] * data(l)[row];
  }
  ++r.counts_.backward_right_sides;
  return 0;
}

// Rows of the Jacobian are columns of the matrix wanted.
int RunDerivatives::backward_jacobian_callback(double t, N_Vector y, N_Vector, N_Vector, SUNMatrix j, void* self,
                                               N_Vector, N_Vector, N_Vector) {
  auto& r = *static_cast<RunDerivatives*>(self);
  const double* in[] = {data(y), r.at_.parameters.data(), &t};
  if (!r.jacobian_.evaluate(in)) return 1;
  const SparsityPattern& p = r.jacobian_.pattern();
  if (SUNMatGetID(j) == SUNMATRIX_DENSE) {
    SUNMatZero(j);
    for (std::size_t row = 0; row < r.n_; ++row) {
      for (auto k = static_cast<std::size_t>(p.row_start[row]); k < static_cast<std::size_t>(p.row_start[row + 1]); ++k)
        SM_ELEMENT_D(j, p.columns[k], static_cast<sunindextype>(row)) = -r.jacobian_.values()[k];
    }
    return 0;
  }
  sunindextype* const starts = SUNSparseMatrix_IndexPointers(j);
  for (std::size_t row = 0; row <= r.n_; ++row) starts[row] = static_cast<sunindextype>(p.row_start[row]);
  for (std::size_t k = 0; k < p.nonzeros(); ++k) {
    SUNSparseMatrix_IndexValues(j)[k] = static_cast<sunindextype>(p.columns[k]);
    SUNSparseMatrix_Data(j)[k] = -r.jacobian_.values()[k];
  }
  return 0;
}

// l^T df/dp, from the end backwards.
int RunDerivatives::integrand_callback(double t, N_Vector y, N_Vector l, N_Vector q, void* self) {
  auto& r = *static_cast<RunDerivatives*>(self);
  if (!r.evaluate_by_parameters(t, data(y))) return 1;
  N_VConst(0, q);
  for (std::size_t row = 0; row < r.n_; ++row) {
    for (auto k = static_cast<std::size_t>(r.by_parameters_.row_start[row]);
         k < static_cast<std::size_t>(r.by_parameters_.row_start[row + 1]); ++k)
      data(q)[r.by_parameters_.columns[k]] -= r.by_parameters_values_[k] * data(l)[row];
  }
  return 0;
}

std::string RunDerivatives::adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                                    std::vector<double>& gradient) {
  prepare(at, until);
  gradient.assign(by_.size(), 0.0);
  const auto n = static_cast<sunindextype>(n_);
  const VectorHandle y = make_vector(n_, context_);
  VectorHandle l = make_vector(n_, context_);
  std::copy(end_slope.begin(), end_slope.end(), data(l));
  const std::size_t m = parameter_inputs_.size();
  VectorHandle q = make_vector(std::max<std::size_t>(m, 1), context_);
  N_VConst(0, q.get());
  if (transposed_ == nullptr) {
    transposed_ = jacobian_.sparse()
                      ? SUNSparseMatrix(n, n, static_cast<sunindextype>(jacobian_.pattern().nonzeros() + n_), CSC_MAT,
                                        context_.get())
                      : SUNDenseMatrix(n, n, context_.get());
    transposed_solver_ = jacobian_.sparse() ? SUNLinSol_KLU(l.get(), transposed_, context_.get())
                                            : SUNLinSol_Dense(l.get(), transposed_, context_.get());
    if (transposed_ == nullptr || transposed_solver_ == nullptr) throw std::bad_alloc();
  }
  const CvodeMemory mem(context_);
  initialise(mem.get(), y);
  accept(CVodeAdjInit(mem.get(), steps_between_checkpoints, CV_HERMITE), "checkpoints");
  double reached = at.from;
  int checkpoints = 0;
  const int flag = CVodeF(mem.get(), until, y.get(), &reached, CV_NORMAL, &checkpoints);
  if (flag < 0) return describe(flag, reached, data(y));
  // What is small for the adjoint: the slopes at the end against the states they belong to.
  double value = 0;
  for (std::size_t i = 0; i < n_; ++i)
    value = std::max(value, std::fabs(end_slope[i]) * std::max(std::fabs(data(y)[i]), tolerances_[i] / relative_));
  double largest = 0;
  for (const double v : end_slope) largest = std::max(largest, std::fabs(v));
  if (largest == 0) return {};
  VectorHandle backward_tolerance = make_vector(n_, context_);
  for (std::size_t i = 0; i < n_; ++i) {
    const double size = std::max({std::fabs(data(y)[i]), std::fabs(at.start[i]), tolerances_[i] / relative_});
    data(backward_tolerance)[i] = 1e-2 * relative_ * (size > 0 ? value / size : largest);
    if (!(data(backward_tolerance)[i] > 0)) data(backward_tolerance)[i] = relative_ * 1e-3 * largest;
  }
  int which = 0;
  accept(CVodeCreateB(mem.get(), CV_BDF, &which), "backward run");
  accept(CVodeInitB(mem.get(), which, &RunDerivatives::backward_callback, until, l.get()), "backward run");
  accept(CVodeSetUserDataB(mem.get(), which, this), "data");
  accept(CVodeSVtolerancesB(mem.get(), which, relative_, backward_tolerance.get()), "tolerances");
  accept(CVodeSetLinearSolverB(mem.get(), which, transposed_solver_, transposed_), "linear solver");
  accept(CVodeSetJacFnB(mem.get(), which, &RunDerivatives::backward_jacobian_callback), "Jacobian");
  accept(CVodeSetMaxNumStepsB(mem.get(), which, most_steps_), "limit of steps");
  if (m > 0) {
    accept(CVodeQuadInitB(mem.get(), which, &RunDerivatives::integrand_callback, q.get()), "integrals");
    accept(CVodeQuadSStolerancesB(mem.get(), which, relative_, 1e-3 * relative_ * value), "tolerances");
    accept(CVodeSetQuadErrConB(mem.get(), which, 1), "tolerances");
  }
  const int back = CVodeB(mem.get(), at.from, CV_NORMAL);
  if (interrupt_requested()) throw Stopped(Error(ErrorKind::interrupted, "the backward run was stopped"));
  if (back < 0) return fmt::format("the backward run stopped (code {})", back);
  double start = 0;
  accept(CVodeGetB(mem.get(), which, &start, l.get()), "result");
  if (m > 0) accept(CVodeGetQuadB(mem.get(), which, &start, q.get()), "result");
  for (std::size_t k = 0; k < m; ++k) gradient[parameter_inputs_[k]] = data(q)[k];
  for (std::size_t i = 0; i < by_.size(); ++i) {
    if (by_[i].start) gradient[i] = data(l)[by_[i].index];
  }
  return {};
}

}  // namespace boreon
