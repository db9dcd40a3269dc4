// SPDX-License-Identifier: MIT
// Fields in time through CVODES, or IDAS where some equations have no rate.
#include "boreon/field_run.hpp"

#include <cvodes/cvodes.h>
#include <fmt/format.h>
#include <idas/idas.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/error.hpp"
#include "expr/work.hpp"
#include "solvers/field_matrix.hpp"
#include "solvers/ida_support.hpp"
#include "solvers/run_support.hpp"

namespace boreon {
namespace {

// Which rows have no rate.
std::vector<char> algebraic_rows(const FieldPlan& plan, const std::vector<char>& by_equation) {
  std::vector<char> rows;
  if (std::find(by_equation.begin(), by_equation.end(), char{1}) == by_equation.end()) return rows;
  rows.assign(plan.rows(), 0);
  bool any = false;
  for (const FieldBox& b : plan.boxes()) {
    for (const FieldBox::Row& r : b.rows) {
      if (by_equation[r.equation] == 0) continue;
      any = true;
      for_each_row(b, r, [&](std::size_t row) { rows[row] = 1; });
    }
  }
  if (!any) rows.clear();
  return rows;
}

class FieldStepper {
 public:
  FieldStepper(const FieldProblem& problem, const FieldRunOptions& options)
      : problem_(problem),
        options_(options),
        plan_(problem.rates, problem.sizes, true),
        rates_(plan_, FieldOutput::values, executors(options.native)),
        algebraic_(algebraic_rows(plan_, problem.algebraic)),
        n_(plan_.rows()) {
    if (!problem.outputs.equations.empty()) {
      output_plan_.emplace(problem.outputs, problem.sizes);
      outputs_.emplace(*output_plan_, FieldOutput::values, executors(options.native));
    }
    times_.from = problem.from;
    times_.until = options.until > 0 ? options.until : problem.until;
    times_.samples = options.samples > 0 ? options.samples : problem.samples;
    times_.relative_tolerance =
        options.relative_tolerance > 0 ? options.relative_tolerance : problem.relative_tolerance;
    if (!(times_.until > times_.from))
      throw Error(ErrorKind::usage,
                  fmt::format("the run must end after it starts: from {} until {}", times_.from, times_.until));
    if (std::all_of(problem.algebraic.begin(), problem.algebraic.end(), [](char a) { return a != 0; }))
      throw Error(ErrorKind::unsupported,
                  fmt::format("no equation of '{}' has a rate, so there is nothing to step in time", problem.title));
  }

  FieldRun run() {
    FieldRun result;
    result.boxes = plan_.boxes().size();
    result.method = algebraic_.empty() ? "BDF, variable order 1 to 5"
                                       : "BDF for differential-algebraic systems, variable order 1 to 5";
    y_ = make_vector(n_, context_);
    slope_ = make_vector(n_, context_);
    const std::vector<double> start = start_of(problem_, options_.threads);
    std::copy(start.begin(), start.end(), data(y_));
    if (!evaluate(times_.from, data(y_), data(slope_))) {
      result.message =
          fmt::format("the equations have no finite value at the start, {} = {}", time_name(), times_.from);
      return result;
    }
    matrix_.emplace(plan_, problem_, options_.threads, options_.native, context_);
    result.linear_solver = matrix_->description();
    const std::vector<double> tolerances = absolute_tolerances(
        start, data(slope_), times_.until - times_.from, times_.relative_tolerance, problem_.absolute_tolerance, {});
    VectorHandle tolerance = make_vector(n_, context_);
    std::copy(tolerances.begin(), tolerances.end(), data(tolerance));
    if (algebraic_.empty()) {
      explicit_rates(result, tolerance);
    } else {
      with_algebraic(result, tolerance);
    }
    result.completed = result.message.empty();
    result.state.assign(data(y_), data(y_) + n_);
    return result;
  }

 private:
  [[nodiscard]] std::string time_name() const { return problem_.rates.time.name(); }

  bool evaluate(double t, const double* y, double* f) const {
    rates_({y, n_}, problem_.parameters, t, {f, n_}, options_.threads);
    return std::all_of(f, f + n_, [](double v) { return std::isfinite(v); });
  }

  static int rates_callback(double t, N_Vector y, N_Vector f, void* self) {
    if (interrupt_requested()) return -1;
    return static_cast<const FieldStepper*>(self)->evaluate(t, data(y), data(f)) ? 0 : 1;
  }
  static int residual_callback(double t, N_Vector y, N_Vector slope, N_Vector r, void* self) {
    const auto& s = *static_cast<const FieldStepper*>(self);
    if (interrupt_requested()) return -1;
    if (!s.evaluate(t, data(y), data(r))) return 1;
    for (std::size_t i = 0; i < s.n_; ++i) data(r)[i] = (s.algebraic_[i] != 0 ? 0 : data(slope)[i]) - data(r)[i];
    return 0;
  }
  static int jacobian_callback(double t, N_Vector y, N_Vector, SUNMatrix j, void* self, N_Vector, N_Vector, N_Vector) {
    const auto& s = *static_cast<const FieldStepper*>(self);
    return s.matrix_->fill(t, data(y), j) ? 0 : 1;
  }
  static int corrector_callback(double t, double c, N_Vector y, N_Vector, N_Vector, SUNMatrix j, void* self, N_Vector,
                                N_Vector, N_Vector) {
    const auto& s = *static_cast<const FieldStepper*>(self);
    return s.matrix_->fill_corrector(t, data(y), c, s.algebraic_, j) ? 0 : 1;
  }

  static int rates_preconditioner(double t, N_Vector y, N_Vector, booleantype, booleantype* fresh, double c,
                                  void* self) {
    auto& s = *static_cast<FieldStepper*>(self);
    *fresh = SUNTRUE;
    return s.matrix_->prepare(t, data(y), c, s.algebraic_) ? 0 : 1;
  }
  static int rates_precondition(double, N_Vector, N_Vector, N_Vector right, N_Vector solution, double, double, int,
                                void* self) {
    static_cast<const FieldStepper*>(self)->matrix_->precondition(data(right), data(solution));
    return 0;
  }
  static int corrector_preconditioner(double t, N_Vector y, N_Vector, N_Vector, double c, void* self) {
    auto& s = *static_cast<FieldStepper*>(self);
    return s.matrix_->prepare(t, data(y), c, s.algebraic_) ? 0 : 1;
  }
  static int corrector_precondition(double, N_Vector, N_Vector, N_Vector, N_Vector right, N_Vector solution, double,
                                    double, void* self) {
    static_cast<const FieldStepper*>(self)->matrix_->precondition(data(right), data(solution));
    return 0;
  }

  static int rates_product(N_Vector v, N_Vector product, double t, N_Vector y, N_Vector, void* self, N_Vector) {
    return static_cast<FieldStepper*>(self)->matrix_->multiply(t, data(y), data(v), data(product)) ? 0 : 1;
  }
  static int corrector_product(double t, N_Vector y, N_Vector, N_Vector, N_Vector v, N_Vector product, double c,
                               void* self, N_Vector, N_Vector) {
    auto& s = *static_cast<FieldStepper*>(self);
    if (!s.matrix_->multiply(t, data(y), data(v), data(product))) return 1;
    for (std::size_t i = 0; i < s.n_; ++i)
      data(product)[i] = (s.algebraic_[i] != 0 ? 0 : c * data(v)[i]) - data(product)[i];
    return 0;
  }

  void explicit_rates(FieldRun& result, const VectorHandle& tolerance) {
    struct Memory {
      void* mem;
      ~Memory() { CVodeFree(&mem); }
    } memory{CVodeCreate(CV_BDF, context_.get())};
    void* const mem = memory.mem;
    if (mem == nullptr) throw std::bad_alloc();
    accept(CVodeInit(mem, &FieldStepper::rates_callback, times_.from, y_.get()), "start");
    accept(CVodeSetUserData(mem, this), "data");
    accept(CVodeSetErrHandlerFn(
               mem, [](int, const char*, const char*, char*, void*) {}, nullptr),
           "messages");
    accept(CVodeSVtolerances(mem, times_.relative_tolerance, tolerance.get()), "tolerances");
    accept(CVodeSetLinearSolver(mem, matrix_->solver(), matrix_->matrix()), "linear solver");
    if (matrix_->matrix() != nullptr) accept(CVodeSetJacFn(mem, &FieldStepper::jacobian_callback), "Jacobian");
    if (matrix_->has_products()) accept(CVodeSetJacTimes(mem, nullptr, &FieldStepper::rates_product), "products");
    if (matrix_->preconditioned())
      accept(CVodeSetPreconditioner(mem, &FieldStepper::rates_preconditioner, &FieldStepper::rates_precondition),
             "incomplete factors");
    accept(CVodeSetMaxNumSteps(mem, options_.max_steps), "limit of steps");
    accept(CVodeSetStopTime(mem, times_.until), "end");
    walk(result, [&](double target, double& reached) { return CVode(mem, target, y_.get(), &reached, CV_NORMAL); });
    CVodeGetNumSteps(mem, &result.steps);
    CVodeGetNumRhsEvals(mem, &result.right_side_calls);
    CVodeGetNumJacEvals(mem, &result.jacobian_calls);
  }

  void with_algebraic(FieldRun& result, const VectorHandle& tolerance) {
    const IdaMemory memory(context_);
    void* const mem = memory.get();
    VectorHandle kinds = make_vector(n_, context_);
    for (std::size_t i = 0; i < n_; ++i) {
      data(kinds)[i] = algebraic_[i] != 0 ? 0 : 1;
      if (algebraic_[i] != 0) data(slope_)[i] = 0;
    }
    accept(IDAInit(mem, &FieldStepper::residual_callback, times_.from, y_.get(), slope_.get()), "start");
    accept(IDASetUserData(mem, this), "data");
    accept(IDASVtolerances(mem, times_.relative_tolerance, tolerance.get()), "tolerances");
    accept(IDASetId(mem, kinds.get()), "kinds of equations");
    accept(IDASetLinearSolver(mem, matrix_->solver(), matrix_->matrix()), "linear solver");
    if (matrix_->matrix() != nullptr) accept(IDASetJacFn(mem, &FieldStepper::corrector_callback), "Jacobian");
    if (matrix_->has_products()) accept(IDASetJacTimes(mem, nullptr, &FieldStepper::corrector_product), "products");
    if (matrix_->preconditioned())
      accept(IDASetPreconditioner(mem, &FieldStepper::corrector_preconditioner, &FieldStepper::corrector_precondition),
             "incomplete factors");
    accept(IDASetMaxNumSteps(mem, options_.max_steps), "limit of steps");
    // Values without a rate, and rates, that fulfil the equations at the start.
    const double soon = times_.from + 1e-3 * (times_.until - times_.from);
    if (IDACalcIC(mem, IDA_YA_YDP_INIT, soon) < 0) {
      result.message =
          fmt::format("no values of the unknowns without a rate fulfil their equations at the start, {} = {}",
                      time_name(), times_.from);
      return;
    }
    IDAGetConsistentIC(mem, y_.get(), slope_.get());
    accept(IDASetStopTime(mem, times_.until), "end");
    walk(result, [&](double target, double& reached) {
      return IDASolve(mem, target, &reached, y_.get(), slope_.get(), IDA_NORMAL);
    });
    IDAGetNumSteps(mem, &result.steps);
    IDAGetNumResEvals(mem, &result.right_side_calls);
    IDAGetNumJacEvals(mem, &result.jacobian_calls);
  }

  template <class Step>
  void walk(FieldRun& result, const Step& step) {
    sample(result, times_.from);
    double reached = times_.from;
    for (std::size_t k = 1; k < sample_count(times_); ++k) {
      const int flag = step(sample_time(times_, k), reached);
      if (interrupt_requested())
        throw Stopped(
            Error(ErrorKind::interrupted, fmt::format("the run was stopped at {} = {:.6g}", time_name(), reached)));
      if (flag < 0) {
        std::vector<double> f(n_);
        const bool finite = evaluate(reached, data(y_), f.data());
        result.message =
            fmt::format("{} at {} = {:.6g}",
                        !finite                    ? "the equations leave their domain"
                        : !grown(result).empty()   ? grown(result) + " grows without bound"
                        : flag == CV_TOO_MUCH_WORK ? fmt::format("more than {} steps were needed", options_.max_steps)
                                                   : "the step became too small: a jump or a singularity",
                        time_name(), reached);
        return;
      }
      sample(result, reached);
      if (const std::string crossed = out_of_bounds(result); !crossed.empty()) {
        result.message = crossed;
        return;
      }
      if (options_.progress) options_.progress(reached);
    }
  }

  // An unknown that has become far larger than anything at the start.
  [[nodiscard]] std::string grown(const FieldRun& result) const {
    constexpr double far = 1e6;
    const auto size = [](const FieldSummary& s) { return std::max(std::fabs(s.least), std::fabs(s.greatest)); };
    double largest = 0;
    for (std::size_t u = 0; u < problem_.rates.unknowns.size(); ++u)
      largest = std::max(largest, size(result.summaries.front()[u]));
    for (std::size_t u = 0; u < problem_.rates.unknowns.size(); ++u) {
      if (size(of_unknown(u)) > far * std::max(largest, 1e-300)) return problem_.rates.unknowns[u].name;
    }
    return {};
  }

  [[nodiscard]] FieldSummary of_unknown(std::size_t u) const {
    return summary(plan_.part(u, std::span<const double>(data(y_), n_)));
  }

  void sample(FieldRun& result, double t) const {
    result.times.push_back(t);
    std::vector<FieldSummary>& list = result.summaries.emplace_back();
    for (std::size_t u = 0; u < problem_.rates.unknowns.size(); ++u) list.push_back(of_unknown(u));
    if (outputs_) {
      result.outputs.resize(outputs_->outputs());
      (*outputs_)({data(y_), n_}, problem_.parameters, t, result.outputs, options_.threads);
      for (std::size_t o = 0; o < problem_.outputs.results.size(); ++o)
        list.push_back(summary(output_plan_->part(o, std::span<const double>(result.outputs))));
    }
    if (options_.at_sample) options_.at_sample(t, {data(y_), n_}, result.outputs);
  }

  // Bounds are looked at where the run is sampled.
  [[nodiscard]] std::string out_of_bounds(const FieldRun& result) const {
    for (std::size_t u = 0; u < problem_.bounds.size(); ++u) {
      const auto& [lower, upper] = problem_.bounds[u];
      const FieldSummary& s = result.summaries.back()[u];
      const double slack = 10 * times_.relative_tolerance * std::max(std::fabs(s.least), std::fabs(s.greatest));
      if (s.least < lower - slack || s.greatest > upper + slack)
        return fmt::format("{} is beyond its {} bound {} at {} = {:.6g}", problem_.rates.unknowns[u].name,
                           s.least < lower - slack ? "lower" : "upper", s.least < lower - slack ? lower : upper,
                           time_name(), result.times.back());
    }
    return {};
  }

  const FieldProblem& problem_;
  const FieldRunOptions& options_;
  SundialsContext context_;
  FieldPlan plan_;
  FieldKernel rates_;
  std::optional<FieldPlan> output_plan_;
  std::optional<FieldKernel> outputs_;
  std::vector<char> algebraic_;
  std::size_t n_;
  TimeOptions times_;
  std::optional<FieldMatrix> matrix_;
  VectorHandle y_, slope_;
};

}  // namespace

FieldSummary summary(std::span<const double> values) {
  FieldSummary s{std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity(), true};
  for (const double v : values) {
    s.least = std::min(s.least, v);
    s.greatest = std::max(s.greatest, v);
    s.finite = s.finite && std::isfinite(v);
  }
  return s;
}

ExecutorMaker executors(bool native) {
  if (native) return [](std::shared_ptr<const Program> p) { return native_executor(std::move(p)); };
  return [](std::shared_ptr<const Program> p) {
    NativeOptions interpreted;
    interpreted.expected_calls = 0;
    return native_executor(std::move(p), interpreted);
  };
}

std::vector<double> start_of(const FieldProblem& problem, unsigned threads) {
  const FieldPlan plan(problem.starts, problem.sizes);
  std::vector<double> start(plan.rows());
  const std::vector<double> nothing(plan.columns());
  FieldKernel(plan, FieldOutput::values, executors(true))(nothing, problem.parameters, problem.from, start, threads);
  for (std::size_t u = 0; u < problem.bounds.size(); ++u) {
    for (double& v : plan.part(u, std::span<double>(start)))
      v = std::clamp(v, problem.bounds[u].first, problem.bounds[u].second);
  }
  return start;
}

FieldRun run_fields(const FieldProblem& problem, const FieldRunOptions& options) {
  return FieldStepper(problem, options).run();
}

}  // namespace boreon
