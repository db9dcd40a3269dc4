// SPDX-License-Identifier: MIT
// Differential-algebraic systems of index 1 through IDAS: y' - f(y, t) = 0 for states with a rate, g(y, t) = 0 for
// others. Source: Hindmarsh et al., SUNDIALS, ACM TOMS 31 (2005) 363.
#include "solvers/differential_algebraic.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "expr/work.hpp"
#include "solvers/consistent_start.hpp"
#include "solvers/ida_support.hpp"
#include "solvers/run_support.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {
namespace {

class AlgebraicStepper {
 public:
  AlgebraicStepper(const System& system, const TimeOptions& options)
      : system_(system),
        options_(options),
        n_(system.states.size()),
        inputs_{{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}, {"c", {Symbol("_rate")}}},
        right_side_(with_parameters({OutputGroup("f", system.right_sides)}, inputs_, system.parameter_values)),
        outputs_(with_parameters({OutputGroup("g", system.outputs)}, inputs_, system.parameter_values)),
        jacobian_(corrector_functions(system), system.states, inputs_, system.parameter_values, options.linear_solver,
                  context_),
        bounds_(system, options) {}
  AlgebraicStepper(const AlgebraicStepper&) = delete;
  AlgebraicStepper& operator=(const AlgebraicStepper&) = delete;

  TimeResult run() {
    TimeResult result;
    result.method = "BDF for differential-algebraic systems, variable order 1 to 5";
    result.linear_solver = jacobian_.description();
    result.nonzeros = jacobian_.pattern().nonzeros();
    y_ = make_vector(n_, context_);
    slope_ = make_vector(n_, context_);
    std::copy(system_.start.begin(), system_.start.end(), data(y_));
    if (!evaluate(options_.from, data(y_), data(slope_))) {
      result.message = fmt::format(
          "the equations have no finite value at the start, {} = {}: {}", system_.time.name(), options_.from,
          fault(system_.right_sides, inputs_, {system_.start, system_.parameter_values, {options_.from}, {0}}));
      return result;
    }
    if (!consistent(result)) return result;
    prepare();
    result.tolerances = bounds_.tolerances();
    sample(result, options_.from);
    step(result);
    result.completed = result.message.empty();
    IDAGetNumSteps(mem_.get(), &result.steps);
    IDAGetNumResEvals(mem_.get(), &result.right_side_calls);
    IDAGetNumJacEvals(mem_.get(), &result.jacobian_calls);
    IDAGetNumErrTestFails(mem_.get(), &result.error_test_failures);
    IDAGetNumNonlinSolvConvFails(mem_.get(), &result.nonlinear_failures);
    IDAGetLastStep(mem_.get(), &result.last_step);
    return result;
  }

 private:
  [[nodiscard]] bool is_algebraic(std::size_t i) const { return system_.algebraic[i] != 0; }

  void prepare() {
    VectorHandle kinds = make_vector(n_, context_);
    for (std::size_t i = 0; i < n_; ++i) data(kinds)[i] = is_algebraic(i) ? 0 : 1;
    bounds_.set_tolerances(absolute_tolerances(system_.start, data(slope_), options_.until - options_.from,
                                               options_.relative_tolerance, options_.absolute_tolerance,
                                               options_.sizes));
    VectorHandle tolerance = make_vector(n_, context_);
    std::copy(bounds_.tolerances().begin(), bounds_.tolerances().end(), data(tolerance));
    accept(IDAInit(mem_.get(), &AlgebraicStepper::residual_callback, options_.from, y_.get(), slope_.get()), "start");
    accept(IDASetUserData(mem_.get(), this), "data");
    accept(IDASVtolerances(mem_.get(), options_.relative_tolerance, tolerance.get()), "tolerances");
    accept(IDASetId(mem_.get(), kinds.get()), "kinds of equations");
    accept(IDASetLinearSolver(mem_.get(), jacobian_.solver(), jacobian_.matrix()), "linear solver");
    accept(IDASetJacFn(mem_.get(), &AlgebraicStepper::jacobian_callback), "Jacobian");
    accept(IDASetMaxNumSteps(mem_.get(), options_.max_steps), "limit of steps");
    accept(IDASetStopTime(mem_.get(), options_.until), "end");
    accept(IDASetMaxErrTestFails(mem_.get(), 20), "options");
    if (bounds_.count() == 0) return;
    accept(IDARootInit(mem_.get(), static_cast<int>(bounds_.count()), &AlgebraicStepper::bound_callback), "bounds");
    std::vector<int> falling(bounds_.count(), -1);
    accept(IDASetRootDirection(mem_.get(), falling.data()), "bounds");
    accept(IDASetNoInactiveRootWarn(mem_.get()), "bounds");
  }

  // Values of the algebraic states, and rates of the others, that fulfil the equations at the start.
  bool consistent(TimeResult& result) {
    ConsistentStart start(system_);
    const std::string problem = start.find(system_.parameter_values, options_.from, data(y_));
    const bool determined = problem.empty() && start.determined(data(y_));
    if (determined && evaluate(options_.from, data(y_), data(slope_))) {
      for (std::size_t i = 0; i < n_; ++i) {
        if (is_algebraic(i)) data(slope_)[i] = 0;
      }
      return true;
    }
    std::vector<std::string> names;
    for (std::size_t i = 0; i < n_; ++i)
      if (is_algebraic(i)) names.push_back(system_.state_names[i]);
    result.message = fmt::format(
        "no values of {} fulfil the equations at the start, {} = {}{}: other starts may help; if "
        "the equations do not determine {}, derive them by time",
        fmt::join(names, ", "), system_.time.name(), options_.from, problem.empty() ? "" : " (" + problem + ")",
        names.size() == 1 ? "it" : "them");
    return false;
  }

  void step(TimeResult& result) {
    double reached = options_.from;
    for (std::size_t k = 1; k < sample_count(options_); ++k) {
      const double target = sample_time(options_, k);
      int flag = IDA_SUCCESS;
      for (;;) {
        flag = IDASolve(mem_.get(), target, &reached, y_.get(), slope_.get(), IDA_NORMAL);
        if (flag != IDA_ROOT_RETURN) break;
        note_crossings(reached, result);
        if (options_.at_bound == TimeOptions::AtBound::stop) {
          sample(result, reached);
          result.message = bounds_.crossed(result);
          return;
        }
        if (reached >= target) break;
      }
      if (interrupt_requested()) stop_run(system_, reached);
      if (flag < 0) {
        const std::string at = fmt::format("at {} = {:.6g}", system_.time.name(), reached);
        std::vector<double> values(n_);
        result.message = !evaluate(reached, data(y_), values.data())
                             ? fmt::format("the equations leave their domain {}", at)
                         : flag == IDA_TOO_MUCH_WORK
                             ? fmt::format("more than {} steps were needed {}", options_.max_steps, at)
                             : fmt::format(
                                   "the step became too small {}: a jump, a singularity, or a place where the "
                                   "algebraic equations no longer determine their unknowns",
                                   at);
        return;
      }
      sample(result, reached);
      if (options_.progress) options_.progress(reached);
    }
  }

  bool evaluate(double t, const double* y, double* f) const {
    const double rate = 0;
    const double* in[] = {y, system_.parameter_values.data(), &t, &rate};
    double* out[] = {f};
    right_side_(in, out);
    return std::all_of(f, f + n_, [](double v) { return std::isfinite(v); });
  }

  static int residual_callback(double t, N_Vector y, N_Vector slope, N_Vector r, void* self) {
    const auto& s = *static_cast<const AlgebraicStepper*>(self);
    if (interrupt_requested()) return -1;
    if (!s.evaluate(t, data(y), data(r))) return 1;
    for (std::size_t i = 0; i < s.n_; ++i) data(r)[i] = (s.is_algebraic(i) ? 0 : data(slope)[i]) - data(r)[i];
    return 0;
  }

  static int jacobian_callback(double t, double c, N_Vector y, N_Vector, N_Vector, SUNMatrix j, void* self, N_Vector,
                               N_Vector, N_Vector) {
    auto& s = *static_cast<AlgebraicStepper*>(self);
    const double* in[] = {data(y), s.system_.parameter_values.data(), &t, &c};
    return fill_corrector(s.jacobian_, in, j) ? 0 : 1;
  }

  static int bound_callback(double, N_Vector y, N_Vector, double* g, void* self) {
    static_cast<const AlgebraicStepper*>(self)->bounds_.room(data(y), g);
    return 0;
  }

  void note_crossings(double time, TimeResult& result) const {
    std::vector<int> which(bounds_.count());
    IDAGetRootInfo(mem_.get(), which.data());
    bounds_.note(which, time, result);
  }

  void sample(TimeResult& result, double t) const {
    result.times.push_back(t);
    result.states.emplace_back(data(y_), data(y_) + n_);
    std::vector<double> g(system_.outputs.size());
    const double rate = 0;
    const double* in[] = {data(y_), system_.parameter_values.data(), &t, &rate};
    double* out[] = {g.data()};
    outputs_(in, out);
    result.outputs.push_back(std::move(g));
  }

  const System& system_;
  const TimeOptions& options_;
  std::size_t n_;
  SundialsContext context_;
  std::vector<InputGroup> inputs_;
  StagedKernel right_side_;
  StagedKernel outputs_;
  NumericJacobian jacobian_;
  BoundWatch bounds_;
  VectorHandle y_;
  VectorHandle slope_;
  IdaMemory mem_{context_};  // goes first, as it refers to the rest
};

}  // namespace

TimeResult step_differential_algebraic(const System& system, const TimeOptions& options) {
  if (options.method == SteppingMethod::adams)
    throw Error(ErrorKind::usage,
                "Adams' method needs a rate of every unknown; a differential-algebraic system takes BDF");
  return AlgebraicStepper(system, options).run();
}

}  // namespace boreon
