// SPDX-License-Identifier: MIT
// Sensitivities of runs in time through CVODES, with derived right-hand sides. Source: Serban and Hindmarsh, CVODES:
// the sensitivity-enabled ODE solver in SUNDIALS, 2005.
#include <cvodes/cvodes.h>
#include <fmt/format.h>

#include "boreon/error.hpp"
#include "boreon/work.hpp"
#include "solvers/run_derivatives.hpp"
#include "solvers/run_support.hpp"

namespace boreon {
namespace {

constexpr long steps_between_checkpoints = 200;

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

class RateDerivatives final : public RunDerivatives {
 public:
  RateDerivatives(const System& system, std::vector<RunInput> by, double relative_tolerance, double absolute_tolerance)
      : RunDerivatives(system, std::move(by), relative_tolerance, absolute_tolerance, system.right_sides) {}

  std::string adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                      std::vector<double>& gradient) override;

 protected:
  std::string run(const Point& at, const std::vector<double>& times, bool derivatives, const Visit& visit) override;

 private:
  static RateDerivatives& self_of(void* self) { return *static_cast<RateDerivatives*>(self); }
  static int right_side_callback(double t, N_Vector y, N_Vector f, void* self) {
    if (interrupt_requested()) return -1;
    return self_of(self).evaluate(t, data(y), data(f)) ? 0 : 1;
  }
  static int jacobian_callback(double t, N_Vector y, N_Vector, SUNMatrix j, void* self, N_Vector, N_Vector, N_Vector) {
    return self_of(self).fill_jacobian(t, data(y), 0, j) ? 0 : 1;
  }
  // ds/dt = J s + df/dp for each input.
  static int slopes_callback(int count, double t, N_Vector y, N_Vector, N_Vector* s, N_Vector* slope, void* self,
                             N_Vector, N_Vector) {
    RateDerivatives& r = self_of(self);
    if (interrupt_requested()) return -1;
    if (!r.evaluate_jacobian(t, data(y)) || !r.evaluate_by_parameters(t, data(y))) return 1;
    r.along_inputs(s, slope, static_cast<std::size_t>(count));
    return 0;
  }
  // dl/dt = -J^T l, from the end backwards.
  static int backward_callback(double t, N_Vector y, N_Vector l, N_Vector slope, void* self) {
    RateDerivatives& r = self_of(self);
    if (interrupt_requested()) return -1;
    if (!r.evaluate_jacobian(t, data(y))) return 1;
    r.transposed(data(l), data(slope));
    N_VScale(-1, slope, slope);
    ++r.counts_.backward_right_sides;
    return 0;
  }
  static int backward_jacobian_callback(double t, N_Vector y, N_Vector, N_Vector, SUNMatrix j, void* self, N_Vector,
                                        N_Vector, N_Vector) {
    RateDerivatives& r = self_of(self);
    if (!r.evaluate_jacobian(t, data(y))) return 1;
    r.fill_transposed(-1, j);
    return 0;
  }
  // -l^T df/dp: the integral runs backwards too.
  static int integrand_callback(double t, N_Vector y, N_Vector l, N_Vector q, void* self) {
    RateDerivatives& r = self_of(self);
    if (!r.evaluate_by_parameters(t, data(y))) return 1;
    r.along_parameters(data(l), data(q));
    N_VScale(-1, q, q);
    return 0;
  }
  void initialise(void* mem, const VectorHandle& y);
};

// The run itself, from the values in y.
void RateDerivatives::initialise(void* mem, const VectorHandle& y) {
  std::copy(at_.start.begin(), at_.start.end(), data(y));
  const VectorHandle tolerance = make_vector(n_, context_);
  std::copy(tolerances_.begin(), tolerances_.end(), data(tolerance));
  accept(CVodeInit(mem, &RateDerivatives::right_side_callback, at_.from, y.get()), "start");
  accept(CVodeSetUserData(mem, this), "data");
  accept(CVodeSVtolerances(mem, relative_, tolerance.get()), "tolerances");
  accept(CVodeSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix()), "linear solver");
  accept(CVodeSetJacFn(mem, &RateDerivatives::jacobian_callback), "Jacobian");
  accept(CVodeSetMaxNumSteps(mem, most_steps_), "limit of steps");
  accept(CVodeSetMaxErrTestFails(mem, 20), "options");
}

std::string RateDerivatives::run(const Point& at, const std::vector<double>& times, bool derivatives,
                                 const Visit& visit) {
  prepare(at, times.empty() ? at.from : times.back());
  const std::size_t m = derivatives ? by_.size() : 0;
  const VectorHandle y = make_vector(n_, context_);
  Slopes s;
  if (derivatives) s = slopes_at_start(at);
  s.values.resize(by_.size(), nullptr);
  const CvodeMemory mem(context_);
  initialise(mem.get(), y);
  if (m > 0) {
    accept(CVodeSensInit(mem.get(), static_cast<int>(m), CV_STAGGERED, &RateDerivatives::slopes_callback,
                         s.handles.data()),
           "sensitivities");
    accept(CVodeSetSensParams(mem.get(), nullptr, s.sizes.data(), nullptr), "sensitivities");
    accept(CVodeSensEEtolerances(mem.get()), "tolerances");
    accept(CVodeSetSensErrCon(mem.get(), 1), "tolerances");
  }
  double reached = at.from;
  std::string problem;
  long charged = 0;
  for (std::size_t k = 0; k < times.size(); ++k) {
    // times in the same place need no step, and the start is one
    if (times[k] > reached) {
      accept(CVodeSetStopTime(mem.get(), times.back()), "end");
      const int flag = CVode(mem.get(), times[k], y.get(), &reached, CV_NORMAL);
      long done = 0;
      CVodeGetNumSteps(mem.get(), &done);
      charge(done, charged, m);
      if (flag < 0) {
        problem = describe(flag == CV_TOO_MUCH_WORK, flag, reached, data(y));
        break;
      }
      if (m > 0) accept(CVodeGetSensDky(mem.get(), times[k], 0, s.handles.data()), "sensitivities");
      reached = times[k];
    }
    visit(k, data(y), s.values);
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

std::string RateDerivatives::adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                                     std::vector<double>& gradient) {
  prepare(at, until);
  gradient.assign(by_.size(), 0.0);
  const VectorHandle y = make_vector(n_, context_);
  const VectorHandle l = make_vector(n_, context_);
  std::copy(end_slope.begin(), end_slope.end(), data(l));
  const std::size_t m = parameter_inputs_.size();
  const VectorHandle q = make_vector(std::max<std::size_t>(m, 1), context_);
  N_VConst(0, q.get());
  make_transposed();
  const CvodeMemory mem(context_);
  initialise(mem.get(), y);
  accept(CVodeAdjInit(mem.get(), steps_between_checkpoints, CV_HERMITE), "checkpoints");
  double reached = at.from;
  int checkpoints = 0;
  const int flag = CVodeF(mem.get(), until, y.get(), &reached, CV_NORMAL, &checkpoints);
  if (flag < 0) return describe(flag == CV_TOO_MUCH_WORK, flag, reached, data(y));
  double value = 0;
  const std::vector<double> tolerances = backward_tolerances(end_slope, data(y), value);
  if (tolerances.empty()) return {};  // the value does not depend on the states
  const VectorHandle tolerance = make_vector(n_, context_);
  std::copy(tolerances.begin(), tolerances.end(), data(tolerance));
  int which = 0;
  accept(CVodeCreateB(mem.get(), CV_BDF, &which), "backward run");
  accept(CVodeInitB(mem.get(), which, &RateDerivatives::backward_callback, until, l.get()), "backward run");
  accept(CVodeSetUserDataB(mem.get(), which, this), "data");
  accept(CVodeSVtolerancesB(mem.get(), which, relative_, tolerance.get()), "tolerances");
  accept(CVodeSetLinearSolverB(mem.get(), which, transposed_solver_, transposed_), "linear solver");
  accept(CVodeSetJacFnB(mem.get(), which, &RateDerivatives::backward_jacobian_callback), "Jacobian");
  accept(CVodeSetMaxNumStepsB(mem.get(), which, most_steps_), "limit of steps");
  if (m > 0) {
    accept(CVodeQuadInitB(mem.get(), which, &RateDerivatives::integrand_callback, q.get()), "integrals");
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

}  // namespace

std::unique_ptr<RunDerivatives> derivatives_of_rates(const System& system, std::vector<RunInput> by,
                                                     double relative_tolerance, double absolute_tolerance) {
  return std::make_unique<RateDerivatives>(system, std::move(by), relative_tolerance, absolute_tolerance);
}

}  // namespace boreon
