// SPDX-License-Identifier: MIT
// Time stepping through CVODES.
#include <cvodes/cvodes.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "boreon/work.hpp"
#include "expr/work.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/differential_algebraic.hpp"
#include "solvers/run_support.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {
namespace {

class Stepper {
 public:
  Stepper(const System& system, const TimeOptions& options)
      : system_(system),
        options_(options),
        inputs_{{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}},
        right_side_(with_parameters({OutputGroup("f", system.right_sides)}, inputs_, system.parameter_values)),
        outputs_(with_parameters({OutputGroup("g", system.outputs)}, inputs_, system.parameter_values)),
        jacobian_(system.right_sides, system.states, inputs_, system.parameter_values, options.linear_solver, context_,
                  Diagonal::whole),
        n_(system.states.size()),
        bounds_(system, options) {}

  TimeResult run() {
    TimeResult result;
    result.method =
        options_.method == SteppingMethod::bdf ? "BDF, variable order 1 to 5" : "Adams, variable order 1 to 12";
    result.linear_solver = jacobian_.description();
    result.nonzeros = jacobian_.pattern().nonzeros();
    VectorHandle y = make_vector(n_, context_);
    std::copy(system_.start.begin(), system_.start.end(), data(y));
    std::vector<double> slope(n_);
    if (!evaluate(options_.from, data(y), slope.data())) {
      result.message = fmt::format("the equations have no finite value at the start, {} = {}: {}",
                                   to_name(system_.time), options_.from, first_bad(slope));
      return result;
    }
    bounds_.set_tolerances(absolute_tolerances(system_.start, slope.data(), options_.until - options_.from,
                                               options_.relative_tolerance, options_.absolute_tolerance,
                                               options_.sizes));
    VectorHandle tolerance = make_vector(n_, context_);
    std::copy(bounds_.tolerances().begin(), bounds_.tolerances().end(), data(tolerance));
    result.tolerances = bounds_.tolerances();
    void* mem = CVodeCreate(options_.method == SteppingMethod::bdf ? CV_BDF : CV_ADAMS, context_.get());
    if (mem == nullptr) throw std::bad_alloc();
    accept(CVodeInit(mem, &Stepper::right_side_callback, options_.from, y.get()), "start");
    accept(CVodeSetUserData(mem, this), "data");
    accept(CVodeSetErrHandlerFn(
               mem, [](int, const char*, const char*, char*, void*) {}, nullptr),
           "messages");
    accept(CVodeSVtolerances(mem, options_.relative_tolerance, tolerance.get()), "tolerances");
    accept(CVodeSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix()), "linear solver");
    accept(CVodeSetJacFn(mem, &Stepper::jacobian_callback), "Jacobian");
    accept(CVodeSetMaxNumSteps(mem, options_.max_steps), "limit of steps");
    accept(CVodeSetStopTime(mem, options_.until), "end");
    accept(CVodeSetMaxErrTestFails(mem, 20), "options");
    if (bounds_.count() > 0) {
      accept(CVodeRootInit(mem, static_cast<int>(bounds_.count()), &Stepper::bound_callback), "bounds");
      std::vector<int> falling(bounds_.count(), -1);
      accept(CVodeSetRootDirection(mem, falling.data()), "bounds");
      accept(CVodeSetNoInactiveRootWarn(mem), "bounds");
    }
    sample(result, options_.from, data(y));
    double reached = options_.from;
    for (std::size_t k = 1; k < sample_count(options_); ++k) {
      const double target = sample_time(options_, k);
      int flag = CV_SUCCESS;
      bool stopped = false;
      for (;;) {
        flag = CVode(mem, target, y.get(), &reached, CV_NORMAL);
        if (flag != CV_ROOT_RETURN) break;
        note_crossings(mem, reached, result);
        stopped = options_.at_bound == TimeOptions::AtBound::stop;
        if (stopped || reached >= target) break;
      }
      if (interrupt_requested()) {
        CVodeFree(&mem);
        stop_run(system_, reached);
      }
      if (stopped) {
        sample(result, reached, data(y));
        result.message = bounds_.crossed(result);
        break;
      }
      if (flag < 0) {
        double step = 0;
        CVodeGetCurrentStep(mem, &step);
        result.message = describe(flag, reached, step, data(y));
        break;
      }
      sample(result, reached, data(y));
      if (options_.progress) options_.progress(reached);
    }
    result.completed = result.message.empty();
    CVodeGetNumSteps(mem, &result.steps);
    CVodeGetNumRhsEvals(mem, &result.right_side_calls);
    CVodeGetNumJacEvals(mem, &result.jacobian_calls);
    CVodeGetNumErrTestFails(mem, &result.error_test_failures);
    CVodeGetNumNonlinSolvConvFails(mem, &result.nonlinear_failures);
    CVodeGetLastStep(mem, &result.last_step);
    CVodeFree(&mem);
    return result;
  }

 private:
  static int bound_callback(double, N_Vector y, double* g, void* self) {
    static_cast<const Stepper*>(self)->bounds_.room(data(y), g);
    return 0;
  }

  void note_crossings(void* mem, double time, TimeResult& result) const {
    std::vector<int> which(bounds_.count());
    CVodeGetRootInfo(mem, which.data());
    bounds_.note(which, time, result);
  }

  static std::string to_name(const Expr& symbol) { return symbol.name(); }

  static int right_side_callback(double t, N_Vector y, N_Vector f, void* self) {
    auto& s = *static_cast<Stepper*>(self);
    if (interrupt_requested()) return -1;
    return s.evaluate(t, data(y), data(f)) ? 0 : 1;
  }

  static int jacobian_callback(double t, N_Vector y, N_Vector, SUNMatrix j, void* self, N_Vector, N_Vector, N_Vector) {
    auto& s = *static_cast<Stepper*>(self);
    const double* in[] = {data(y), s.system_.parameter_values.data(), &t};
    return s.jacobian_.fill(in, j) ? 0 : 1;
  }

  bool evaluate(double t, const double* y, double* f) const {
    const double* in[] = {y, system_.parameter_values.data(), &t};
    double* out[] = {f};
    right_side_(in, out);
    return std::all_of(f, f + n_, [](double v) { return std::isfinite(v); });
  }

  // The subexpression that spoils the rates at the start.
  std::string why() const {
    const std::string text =
        fault(system_.right_sides, inputs_, {system_.start, system_.parameter_values, {options_.from}});
    return text.empty() ? text : ": " + text;
  }

  std::string first_bad(const std::vector<double>& slope) const {
    for (std::size_t i = 0; i < n_; ++i) {
      if (!std::isfinite(slope[i]))
        return fmt::format("the rate of {} is {}{}", system_.state_names[i], slope[i], why());
    }
    return "a rate is not finite";
  }

  void sample(TimeResult& result, double t, const double* y) const {
    result.times.push_back(t);
    result.states.emplace_back(y, y + n_);
    std::vector<double> g(system_.outputs.size());
    const double* in[] = {y, system_.parameter_values.data(), &t};
    double* out[] = {g.data()};
    outputs_(in, out);
    result.outputs.push_back(std::move(g));
  }

  // The state that grows fastest at the end, if the time in which it would grow by itself once more is nothing.
  std::string blow_up(double reached, double step, const double* y, const std::vector<double>& slope) const {
    const double span = std::fabs(options_.until - options_.from);
    double fastest = 0;
    std::size_t which = 0;
    for (std::size_t i = 0; i < n_; ++i) {
      const double start = std::max(std::fabs(system_.start[i]), bounds_.tolerances()[i]);
      if (!(std::fabs(y[i]) > 1e3 * start) || slope[i] * y[i] < 0) continue;
      const double rate = std::fabs(slope[i] / y[i]);
      if (!(rate <= fastest)) {
        fastest = rate;
        which = i;
      }
    }
    if (!(fastest * span > 1e4) && !(std::fabs(step) < 1e-9 * span && fastest > 0)) return {};
    return fmt::format(
        "{0} grows without bound near {1} = {2:.6g} (it is {3:.3g} there): the solution ends at a singularity, so let "
        "the run end before it",
        system_.state_names[which], to_name(system_.time), reached, y[which]);
  }

  std::string describe(int flag, double reached, double step, const double* y) const {
    std::vector<double> slope(n_);
    const std::string at = fmt::format("at {} = {:.6g}", to_name(system_.time), reached);
    const bool finite = evaluate(reached, y, slope.data());
    double largest = 0;
    std::size_t which = 0;
    for (std::size_t i = 0; i < n_; ++i) {
      if (std::abs(y[i]) > largest) {
        largest = std::abs(y[i]);
        which = i;
      }
    }
    if (const std::string text = blow_up(reached, step, y, slope); !text.empty() && flag != CV_TOO_MUCH_ACC)
      return text;
    switch (flag) {
      case CV_TOO_MUCH_WORK:
        return fmt::format(
            "more than {} steps were needed {}, the last of {:.1e}; {}looser tolerances or more samples may help",
            options_.max_steps, at, step, options_.method == SteppingMethod::adams ? "stiff systems want BDF; " : "");
      case CV_ERR_FAILURE:
      case CV_CONV_FAILURE:
        if (!finite || largest > 1e100)
          return fmt::format("the solution grows without bound {}: {} = {:.3g}", at, system_.state_names[which],
                             y[which]);
        return fmt::format("the step became too small {}: a jump or a singularity near {} = {:.6g}?", at,
                           system_.state_names[which], y[which]);
      case CV_RHSFUNC_FAIL:
      case CV_REPTD_RHSFUNC_ERR:
      case CV_UNREC_RHSFUNC_ERR:
      case CV_FIRST_RHSFUNC_ERR:
        return fmt::format("the equations leave their domain {}: {}", at,
                           finite ? "just beyond this time" : first_bad(slope));
      case CV_TOO_MUCH_ACC:
        return fmt::format("the tolerance {} is below what double precision allows {}", options_.relative_tolerance,
                           at);
      default: return fmt::format("the time stepping stopped {} (code {})", at, flag);
    }
  }

  const System& system_;
  const TimeOptions& options_;
  SundialsContext context_;
  std::vector<InputGroup> inputs_;
  StagedKernel right_side_;
  StagedKernel outputs_;
  NumericJacobian jacobian_;
  std::size_t n_;
  BoundWatch bounds_;
};

}  // namespace

TimeResult step_in_time(const System& given, const TimeOptions& options) {
  const System system = checked(given, Purpose::in_time);
  if (!(options.until > options.from))
    throw Error(ErrorKind::usage,
                fmt::format("the run must end after it starts: from {} until {}", options.from, options.until));
  if (!(options.relative_tolerance > 0) || options.relative_tolerance >= 1)
    throw Error(ErrorKind::usage, "the relative tolerance must lie between 0 and 1");
  const auto run = [&](const TimeOptions& o) {
    return system.differential_algebraic() ? step_differential_algebraic(system, o) : Stepper(system, o).run();
  };
  TimeResult first = run(options);
  if (!first.completed || system.integrals == 0 || options.absolute_tolerance > 0) return first;
  std::vector<double> largest(system.states.size(), 0.0);
  for (const auto& y : first.states) {
    for (std::size_t i = 0; i < y.size(); ++i) largest[i] = std::max(largest[i], std::fabs(y[i]));
  }
  TimeOptions again = options;
  again.sizes = sizes_of_integrals(system, first.tolerances, largest, options.relative_tolerance);
  if (again.sizes.empty()) return first;
  again.max_steps = std::min(options.max_steps, 1000 + 20 * first.steps);  // rounding alone may be what is left
  TimeResult second = run(again);
  return second.completed ? second : first;
}

std::string csv_field(const std::string& name) { return name.find(',') == std::string::npos ? name : '"' + name + '"'; }

std::string to_csv(const System& system, const TimeResult& result) {
  std::string text = system.time.name();
  const std::size_t states = system.state_names.size() - system.integrals;
  for (std::size_t i = 0; i < states; ++i) text += "," + csv_field(system.state_names[i]);
  for (const auto& n : system.output_names) text += "," + csv_field(n);
  text += '\n';
  for (std::size_t k = 0; k < result.times.size(); ++k) {
    text += fmt::format("{:.17g}", result.times[k]);
    for (std::size_t i = 0; i < states; ++i) text += fmt::format(",{:.17g}", result.states[k][i]);
    for (const double v : result.outputs[k]) text += fmt::format(",{:.17g}", v);
    text += '\n';
  }
  return text;
}

}  // namespace boreon
