// SPDX-License-Identifier: MIT
// Steady states of fields through KINSOL.
#include <fmt/format.h>
#include <kinsol/kinsol.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "boreon/field_run.hpp"
#include "expr/work.hpp"
#include "solvers/field_matrix.hpp"
#include "solvers/klu_factors.hpp"
#include "solvers/run_support.hpp"

namespace boreon {
namespace {

class FieldNewton {
 public:
  FieldNewton(const FieldProblem& problem, const FieldRunOptions& options)
      : problem_(problem),
        options_(options),
        plan_(problem.rates, problem.sizes, true),
        values_(plan_, FieldOutput::values, executors(options.native)),
        n_(plan_.rows()),
        matrix_(plan_, problem, options.threads, options.native, context_) {}

  FieldSteady solve(double tolerance, int most_iterations) {
    FieldSteady result;
    result.boxes = plan_.boxes().size();
    result.linear_solver = matrix_.description();
    VectorHandle y = make_vector(n_, context_);
    VectorHandle sizes = make_vector(n_, context_);
    VectorHandle weights = make_vector(n_, context_);
    const std::vector<double> start = start_of(problem_, options_.threads);
    std::copy(start.begin(), start.end(), data(y));
    std::vector<double> f(n_);
    if (!evaluate(data(y), f.data())) {
      result.message = "the equations have no finite value at the start";
      return result;
    }
    scale(start, f, data(sizes), data(weights));
    struct Memory {
      void* mem;
      ~Memory() { KINFree(&mem); }
    } memory{KINCreate(context_.get())};
    void* const mem = memory.mem;
    if (mem == nullptr) throw std::bad_alloc();
    accept(KINInit(mem, &FieldNewton::values_callback, y.get()), "start");
    accept(KINSetUserData(mem, this), "data");
    accept(KINSetErrHandlerFn(
               mem, [](int, const char*, const char*, char*, void*) {}, nullptr),
           "messages");
    accept(KINSetLinearSolver(mem, matrix_.solver(), matrix_.matrix()), "linear solver");
    if (matrix_.matrix() != nullptr) accept(KINSetJacFn(mem, &FieldNewton::jacobian_callback), "Jacobian");
    if (matrix_.has_products()) accept(KINSetJacTimesVecFn(mem, &FieldNewton::product_callback), "products");
    if (matrix_.preconditioned())
      accept(KINSetPreconditioner(mem, &FieldNewton::prepare_callback, &FieldNewton::precondition_callback),
             "incomplete factors");
    accept(KINSetFuncNormTol(mem, tolerance), "tolerance");
    accept(KINSetScaledStepTol(mem, 1e-14), "tolerance of steps");
    accept(KINSetNumMaxIters(mem, most_iterations), "limit of iterations");
    accept(KINSetMaxSetupCalls(mem, 1), "Jacobians");
    accept(KINSetMaxNewtonStep(mem, 1e3 * std::sqrt(static_cast<double>(n_))), "longest step");
    const int flag = KINSol(mem, y.get(), KIN_LINESEARCH, sizes.get(), weights.get());
    if (interrupt_requested()) throw Stopped(Error(ErrorKind::interrupted, "the solution was stopped"));
    long iterations = 0;
    KINGetNumNonlinSolvIters(mem, &iterations);
    result.iterations = iterations;
    result.state.assign(data(y), data(y) + n_);
    verify(result, flag);
    if (!problem_.outputs.equations.empty()) {
      const FieldPlan outputs(problem_.outputs, problem_.sizes);
      result.outputs.resize(outputs.rows());
      FieldKernel(outputs, FieldOutput::values, executors(options_.native))(
          result.state, problem_.parameters, problem_.from, result.outputs, options_.threads);
    }
    return result;
  }

 private:
  bool evaluate(const double* y, double* f) const {
    values_({y, n_}, problem_.parameters, problem_.from, {f, n_}, options_.threads);
    return std::all_of(f, f + n_, [](double v) { return std::isfinite(v); });
  }

  // Unknowns by the size of their field, equations by what their terms come to with unknowns of that size: units change
  // nothing.
  void scale(const std::vector<double>& start, const std::vector<double>& f, double* sizes, double* weights) {
    size_.assign(n_, 1);
    for (std::size_t u = 0; u < problem_.rates.unknowns.size(); ++u) {
      const std::span<const double> of = plan_.part(u, std::span<const double>(start));
      double largest = 0;
      for (const double v : of) largest = std::max(largest, std::fabs(v));
      for (std::size_t i = 0; i < of.size() && largest > 0; ++i)
        size_[plan_.start(u) + i] = std::max(std::fabs(of[i]), 1e-3 * largest);
    }
    double worst = 0;
    for (const double v : f) worst = std::max(worst, std::fabs(v));
    const std::vector<double> rows = term_sizes(matrix_.entries(problem_.from, start.data()));
    for (std::size_t i = 0; i < n_; ++i) {
      sizes[i] = 1 / size_[i];
      const double row = rows.empty() ? worst : std::max(rows[i], std::fabs(f[i]));
      weights[i] = row > 0 ? 1 / row : 1;
    }
  }

  // Sum of |J_ij|*size_j for each row; empty without a Jacobian by formula.
  [[nodiscard]] std::vector<double> term_sizes(const FieldMatrix::Entries& j) const {
    if (j.values == nullptr) return {};
    std::vector<double> rows(n_, 0.0);
    for (std::size_t r = 0; r < n_; ++r)
      j.pattern->each(r, [&](std::size_t k, std::size_t c) { rows[r] += std::fabs((*j.values)[k]) * size_[c]; });
    return rows;
  }

  // Each equation against the size of its own terms, so that large rows do not hide small ones.
  void verify(FieldSteady& result, int flag) {
    std::vector<double> f(n_);
    const bool finite = evaluate(result.state.data(), f.data());
    // What is far smaller than its field has been counts as zero.
    for (std::size_t i = 0; i < n_; ++i) size_[i] = std::max(std::fabs(result.state[i]), 1e-6 * size_[i]);
    const FieldMatrix::Entries j = matrix_.entries(problem_.from, result.state.data());
    const std::vector<double> rows = term_sizes(j);
    double largest = 0;
    for (const double v : rows) largest = std::max(largest, v);
    result.residual = 0;
    for (std::size_t i = 0; i < n_ && finite && !rows.empty(); ++i) {
      const double row = std::max(rows[i], 1e-12 * largest);
      result.residual = std::max(result.residual, row > 0 ? std::fabs(f[i]) / row : std::fabs(f[i]) > 0 ? 1 : 0);
    }
    result.verified = finite && !rows.empty();
    constexpr double fulfilled = 1e-7;
    result.converged = flag >= 0 && finite && result.residual <= fulfilled;
    if (result.converged) result.message = one_more_step(result, j, f);
    if (result.converged && result.message.empty()) result.message = out_of_bounds(result.state);
    if (result.converged) {
      result.converged = result.message.empty();
      return;
    }
    result.message =
        !finite                       ? "the equations leave their domain on the way"
        : flag == KIN_MAXITER_REACHED ? "the iterations do not end: another start may help"
        : flag == KIN_LSETUP_FAIL || flag == KIN_LSOLVE_FAIL
            ? "the Jacobian is singular on the way: an unknown may be undetermined"
            : fmt::format("the search stalls (largest residual {:.1e} of its terms): another start may help",
                          result.residual);
  }

  // Where the Jacobian has factors: that it determines all unknowns, and how far one more Newton step would go.
  [[nodiscard]] std::string one_more_step(FieldSteady& result, const FieldMatrix::Entries& j,
                                          const std::vector<double>& f) {
    if (matrix_.matrix() == nullptr) return {};
    const ScaledRows scaled(*j.pattern, *j.values, size_);
    KluFactors factors(*j.pattern, scaled.entries);
    constexpr double singular = 1e-14;
    if (!(factors.reciprocal_condition() > singular))
      return "the Jacobian is singular there: the equations leave some unknowns undetermined, for example by a "
             "conservation law";
    std::vector<double> step(n_);
    for (std::size_t i = 0; i < n_; ++i) step[i] = f[i] / scaled.rows[i];
    if (!factors.solve(step)) return {};
    result.determined = true;
    for (const double s : step) result.correction = std::max(result.correction, std::fabs(s));
    constexpr double settled = 1e-7;
    if (result.correction > settled)
      return fmt::format("one more Newton step still changes an unknown by {:.1e} of itself", result.correction);
    return {};
  }

  [[nodiscard]] std::string out_of_bounds(const std::vector<double>& y) const {
    for (std::size_t u = 0; u < problem_.bounds.size(); ++u) {
      const auto& [lower, upper] = problem_.bounds[u];
      const FieldSummary s = summary(plan_.part(u, std::span<const double>(y)));
      const double slack = 1e-9 * std::max(std::fabs(s.least), std::fabs(s.greatest));
      if (s.least < lower - slack || s.greatest > upper + slack)
        return fmt::format("the solution lies beyond the {} bound of {}: it goes from {:.6g} to {:.6g}",
                           s.least < lower - slack ? "lower" : "upper", problem_.rates.unknowns[u].name, s.least,
                           s.greatest);
    }
    return {};
  }

  static int values_callback(N_Vector y, N_Vector f, void* self) {
    if (interrupt_requested()) return -1;
    return static_cast<const FieldNewton*>(self)->evaluate(data(y), data(f)) ? 0 : 1;
  }
  static int jacobian_callback(N_Vector y, N_Vector, SUNMatrix j, void* self, N_Vector, N_Vector) {
    const auto& s = *static_cast<const FieldNewton*>(self);
    return s.matrix_.fill(s.problem_.from, data(y), j) ? 0 : 1;
  }
  static int product_callback(N_Vector v, N_Vector product, N_Vector y, booleantype*, void* self) {
    auto& s = *static_cast<FieldNewton*>(self);
    return s.matrix_.multiply(s.problem_.from, data(y), data(v), data(product)) ? 0 : 1;
  }
  static int prepare_callback(N_Vector y, N_Vector, N_Vector, N_Vector, void* self) {
    auto& s = *static_cast<FieldNewton*>(self);
    return s.matrix_.prepare_jacobian(s.problem_.from, data(y)) ? 0 : 1;
  }
  static int precondition_callback(N_Vector, N_Vector, N_Vector, N_Vector, N_Vector v, void* self) {
    const auto& s = *static_cast<const FieldNewton*>(self);
    const std::vector<double> right(data(v), data(v) + s.n_);
    s.matrix_.precondition(right.data(), data(v));
    return 0;
  }

  const FieldProblem& problem_;
  const FieldRunOptions& options_;
  SundialsContext context_;
  FieldPlan plan_;
  FieldKernel values_;
  std::size_t n_;
  FieldMatrix matrix_;
  std::vector<double> size_;
};

}  // namespace

FieldSteady solve_fields(const FieldProblem& problem, const FieldRunOptions& options, double tolerance,
                         int most_iterations) {
  return FieldNewton(problem, options).solve(tolerance, most_iterations);
}

}  // namespace boreon
