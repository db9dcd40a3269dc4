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
        jacobian_(system.right_sides, system.states, inputs_, system.parameter_values, options.linear_solver, context_),
        n_(system.states.size()) {
    for (std::size_t i = 0; i < n_ && options.at_bound != TimeOptions::AtBound::ignore; ++i) {
      if (std::isfinite(system.lower[i])) bounds_.push_back({i, false});
      if (std::isfinite(system.upper[i])) bounds_.push_back({i, true});
    }
  }

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
    VectorHandle tolerance = make_vector(n_, context_);
    set_tolerances(slope, data(tolerance));
    void* mem = CVodeCreate(options_.method == SteppingMethod::bdf ? CV_BDF : CV_ADAMS, context_.get());
    if (mem == nullptr) throw std::bad_alloc();
    require(CVodeInit(mem, &Stepper::right_side_callback, options_.from, y.get()), "start");
    require(CVodeSetUserData(mem, this), "data");
    require(CVodeSetErrHandlerFn(
                mem, [](int, const char*, const char*, char*, void*) {}, nullptr),
            "messages");
    require(CVodeSVtolerances(mem, options_.relative_tolerance, tolerance.get()), "tolerances");
    require(CVodeSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix()), "linear solver");
    require(CVodeSetJacFn(mem, &Stepper::jacobian_callback), "Jacobian");
    require(CVodeSetMaxNumSteps(mem, options_.max_steps), "limit of steps");
    require(CVodeSetStopTime(mem, options_.until), "end");
    require(CVodeSetMaxErrTestFails(mem, 20), "options");
    slack_.assign(data(tolerance), data(tolerance) + n_);
    if (!bounds_.empty()) {
      require(CVodeRootInit(mem, static_cast<int>(bounds_.size()), &Stepper::bound_callback), "bounds");
      std::vector<int> falling(bounds_.size(), -1);
      require(CVodeSetRootDirection(mem, falling.data()), "bounds");
      require(CVodeSetNoInactiveRootWarn(mem), "bounds");
    }
    sample(result, options_.from, data(y));
    const std::size_t samples = std::max<std::size_t>(2, options_.samples);
    double reached = options_.from;
    for (std::size_t k = 1; k < samples; ++k) {
      const double target = k + 1 == samples
                                ? options_.until
                                : options_.from + (options_.until - options_.from) * static_cast<double>(k) /
                                                      static_cast<double>(samples - 1);
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
        throw Stopped(Error(ErrorKind::interrupted,
                            fmt::format("the run was stopped at {} = {:.6g}", to_name(system_.time), reached)));
      }
      if (stopped) {
        sample(result, reached, data(y));
        const BoundCrossing& c = result.crossings.back();
        result.message = fmt::format("{} crosses its {} bound {:.6g} at {} = {:.6g}", c.state,
                                     c.upper ? "upper" : "lower", c.bound, to_name(system_.time), c.time);
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
  struct Bound {
    std::size_t state;
    bool upper;
  };

  static void require(int flag, const char* what) {
    if (flag < 0)
      throw Error(ErrorKind::unsupported, fmt::format("the time stepping refuses its {} (code {})", what, flag));
  }

  // What a state has left to its bound. Rounding around a bound at which a state rests is no crossing.
  [[nodiscard]] double room(const Bound& b, const double* y) const {
    const double bound = b.upper ? system_.upper[b.state] : system_.lower[b.state];
    const double left = b.upper ? bound - y[b.state] : y[b.state] - bound;
    return left + 100 * slack_[b.state] + 10 * options_.relative_tolerance * std::fabs(bound);
  }

  static int bound_callback(double, N_Vector y, double* g, void* self) {
    const auto& s = *static_cast<const Stepper*>(self);
    for (std::size_t k = 0; k < s.bounds_.size(); ++k) g[k] = s.room(s.bounds_[k], data(y));
    return 0;
  }

  void note_crossings(void* mem, double time, TimeResult& result) const {
    std::vector<int> which(bounds_.size());
    CVodeGetRootInfo(mem, which.data());
    for (std::size_t k = 0; k < bounds_.size(); ++k) {
      const Bound& b = bounds_[k];
      const std::string& name = system_.state_names[b.state];
      const bool known = std::any_of(result.crossings.begin(), result.crossings.end(),
                                     [&](const BoundCrossing& c) { return c.state == name && c.upper == b.upper; });
      if (which[k] != 0 && !known)
        result.crossings.push_back({name, time, b.upper ? system_.upper[b.state] : system_.lower[b.state], b.upper});
    }
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

  // The size of a state is its start value or, where it starts at zero, what its first rate makes of it.
  void set_tolerances(const std::vector<double>& slope, double* tolerance) const {
    double largest = 0;
    for (const double v : system_.start) largest = std::max(largest, std::abs(v));
    for (std::size_t i = 0; i < n_; ++i) {
      double size = std::abs(system_.start[i]);
      if (size == 0)
        size = std::min(std::abs(slope[i]) * std::abs(options_.until - options_.from), largest > 0 ? largest : 1.0);
      if (size == 0) size = largest > 0 ? 1e-3 * largest : 1;
      tolerance[i] =
          options_.absolute_tolerance > 0 ? options_.absolute_tolerance : options_.relative_tolerance * 1e-3 * size;
    }
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
      const double start = std::max(std::fabs(system_.start[i]), slack_.empty() ? 0.0 : slack_[i]);
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
  std::vector<Bound> bounds_;
  std::vector<double> slack_;  // absolute tolerances
};

}  // namespace

TimeResult step_in_time(const System& given, const TimeOptions& options) {
  const System system = checked(given, Purpose::in_time);
  if (!(options.until > options.from))
    throw Error(ErrorKind::usage,
                fmt::format("the run must end after it starts: from {} until {}", options.from, options.until));
  if (!(options.relative_tolerance > 0) || options.relative_tolerance >= 1)
    throw Error(ErrorKind::usage, "the relative tolerance must lie between 0 and 1");
  if (system.differential_algebraic()) return step_differential_algebraic(system, options);
  return Stepper(system, options).run();
}

std::string to_csv(const System& system, const TimeResult& result) {
  std::string text = system.time.name();
  for (const auto& n : system.state_names) text += "," + n;
  for (const auto& n : system.output_names) text += "," + n;
  text += '\n';
  for (std::size_t k = 0; k < result.times.size(); ++k) {
    text += fmt::format("{:.17g}", result.times[k]);
    for (const double v : result.states[k]) text += fmt::format(",{:.17g}", v);
    for (const double v : result.outputs[k]) text += fmt::format(",{:.17g}", v);
    text += '\n';
  }
  return text;
}

}  // namespace boreon
