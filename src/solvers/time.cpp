// Time stepping through CVODES.
#include <cvodes/cvodes.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
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
        n_(system.states.size()) {}

  TimeResult run() {
    TimeResult result;
    result.method = options_.method == SteppingMethod::bdf ? "BDF, variable order 1 to 5" : "Adams, variable order 1 to 12";
    result.linear_solver = jacobian_.description();
    result.nonzeros = jacobian_.pattern().nonzeros();
    VectorHandle y = make_vector(n_, context_);
    std::copy(system_.start.begin(), system_.start.end(), data(y));
    std::vector<double> slope(n_);
    if (!evaluate(options_.from, data(y), slope.data())) {
      result.message = fmt::format("the equations have no finite value at the start, {} = {}: {}", to_name(system_.time), options_.from, first_bad(slope));
      return result;
    }
    VectorHandle tolerance = make_vector(n_, context_);
    set_tolerances(slope, data(tolerance));
    void* mem = CVodeCreate(options_.method == SteppingMethod::bdf ? CV_BDF : CV_ADAMS, context_.get());
    if (mem == nullptr) throw std::bad_alloc();
    CVodeInit(mem, &Stepper::right_side_callback, options_.from, y.get());
    CVodeSetUserData(mem, this);
    CVodeSetErrHandlerFn(
        mem, [](int, const char*, const char*, char*, void*) {}, nullptr);
    CVodeSVtolerances(mem, options_.relative_tolerance, tolerance.get());
    CVodeSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix());
    CVodeSetJacFn(mem, &Stepper::jacobian_callback);
    CVodeSetMaxNumSteps(mem, options_.max_steps);
    CVodeSetStopTime(mem, options_.until);
    if (n_ > 0) CVodeSetMaxErrTestFails(mem, 20);
    sample(result, options_.from, data(y));
    const std::size_t samples = std::max<std::size_t>(2, options_.samples);
    double reached = options_.from;
    for (std::size_t k = 1; k < samples; ++k) {
      const double target = k + 1 == samples ? options_.until : options_.from + (options_.until - options_.from) * static_cast<double>(k) / static_cast<double>(samples - 1);
      const int flag = CVode(mem, target, y.get(), &reached, CV_NORMAL);
      if (flag < 0) {
        result.message = describe(flag, reached, data(y));
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
  static std::string to_name(const Expr& symbol) { return symbol.name(); }

  static int right_side_callback(double t, N_Vector y, N_Vector f, void* self) {
    auto& s = *static_cast<Stepper*>(self);
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
    const std::string text = fault(system_.right_sides, inputs_, {system_.start, system_.parameter_values, {options_.from}});
    return text.empty() ? text : ": " + text;
  }

  std::string first_bad(const std::vector<double>& slope) const {
    for (std::size_t i = 0; i < n_; ++i) {
      if (!std::isfinite(slope[i])) return fmt::format("the rate of {} is {}{}", system_.state_names[i], slope[i], why());
    }
    return "a rate is not finite";
  }

  // The size of a state is its start value or, where it starts at zero, what its first rate makes of it.
  void set_tolerances(const std::vector<double>& slope, double* tolerance) const {
    double largest = 0;
    for (const double v : system_.start) largest = std::max(largest, std::abs(v));
    for (std::size_t i = 0; i < n_; ++i) {
      double size = std::abs(system_.start[i]);
      if (size == 0) size = std::min(std::abs(slope[i]) * std::abs(options_.until - options_.from), largest > 0 ? largest : 1.0);
      if (size == 0) size = largest > 0 ? 1e-3 * largest : 1;
      tolerance[i] = options_.absolute_tolerance > 0 ? options_.absolute_tolerance : options_.relative_tolerance * 1e-3 * size;
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

  std::string describe(int flag, double reached, const double* y) const {
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
    switch (flag) {
      case CV_TOO_MUCH_WORK: return fmt::format("more than {} steps were needed {}; use BDF for stiff systems, or looser tolerances", options_.max_steps, at);
      case CV_ERR_FAILURE:
      case CV_CONV_FAILURE:
        if (!finite || largest > 1e100) return fmt::format("the solution grows without bound {}: {} = {:.3g}", at, system_.state_names[which], y[which]);
        return fmt::format("the step became too small {}: a jump or a singularity near {} = {:.6g}?", at, system_.state_names[which], y[which]);
      case CV_RHSFUNC_FAIL:
      case CV_REPTD_RHSFUNC_ERR:
      case CV_UNREC_RHSFUNC_ERR:
      case CV_FIRST_RHSFUNC_ERR: return fmt::format("the equations leave their domain {}: {}", at, finite ? "just beyond this time" : first_bad(slope));
      case CV_TOO_MUCH_ACC: return fmt::format("the tolerance {} is below what double precision allows {}", options_.relative_tolerance, at);
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
};

}  // namespace

TimeResult step_in_time(const System& system, const TimeOptions& options) {
  if (system.right_sides.size() != system.states.size() || system.states.empty()) {
    throw Error(ErrorKind::shape, "the system has no right-hand sides to step in time; make it with time_system()");
  }
  if (!(options.until > options.from)) throw Error(ErrorKind::usage, fmt::format("the run must end after it starts: from {} until {}", options.from, options.until));
  if (!(options.relative_tolerance > 0) || options.relative_tolerance >= 1) throw Error(ErrorKind::usage, "the relative tolerance must lie between 0 and 1");
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
