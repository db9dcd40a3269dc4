// Steady states through KINSOL.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <kinsol/kinsol.h>
#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "boreon/error.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();

class Attempt {
 public:
  Attempt(const System& system, const SteadyOptions& options)
      : system_(system),
        options_(options),
        inputs_{{"y", system.states}, {"p", system.parameters}},
        residual_(with_parameters({OutputGroup("f", system.residuals)}, inputs_, system.parameter_values)),
        jacobian_(system.residuals, system.states, inputs_, system.parameter_values, options.linear_solver, context_),
        n_(system.states.size()),
        y_(n_),
        f_(n_) {}

  // One run of KINSOL. Unknowns with a lower bound only (or an upper bound only) are counted from it, so that the bound
  // is a sign constraint; two-sided bounds also refuse points beyond the far end.
  SteadyResult run(std::span<const double> start, int strategy) {
    SteadyResult result;
    last_.assign(start.begin(), start.end());
    iterations_.clear();
    left_domain_ = false;
    if (!evaluate(last_)) {
      result.outcome = SteadyOutcome::not_finite_at_start;
      result.values = last_;
      return result;
    }
    VectorHandle u = make_vector(n_, context_);
    VectorHandle scale = make_vector(n_, context_);
    VectorHandle weight = make_vector(n_, context_);
    VectorHandle constraints = make_vector(n_, context_);
    bool constrained = false;
    for (std::size_t i = 0; i < n_; ++i) {
      data(u)[i] = to_shifted(i, start[i]);
      data(scale)[i] = 1 / std::max(std::abs(start[i]), 1e-3 * typical_size(start));
      const bool bounded = shifted(i) || mirrored(i);
      data(constraints)[i] = bounded ? 1.0 : 0.0;
      constrained = constrained || bounded;
    }
    row_weights(start, data(weight));
    void* mem = KINCreate(context_.get());
    if (mem == nullptr) throw std::bad_alloc();
    KINInit(mem, &Attempt::residual_callback, u.get());
    KINSetUserData(mem, this);
    KINSetErrFile(mem, nullptr);
    KINSetErrHandlerFn(
        mem, [](int, const char*, const char*, char*, void*) {}, nullptr);
    KINSetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix());
    KINSetJacFn(mem, &Attempt::jacobian_callback);
    KINSetMaxSetupCalls(mem, 1);
    KINSetNumMaxIters(mem, options_.max_iterations);
    KINSetFuncNormTol(mem, options_.tolerance);
    KINSetScaledStepTol(mem, 1e-15);
    KINSetMaxNewtonStep(mem, 1e3 * (1 + scaled_norm(data(u), data(scale))));
    if (constrained) KINSetConstraints(mem, constraints.get());
    const int flag = KINSol(mem, u.get(), strategy, scale.get(), weight.get());
    KINFree(&mem);
    result.values.resize(n_);
    for (std::size_t i = 0; i < n_; ++i) result.values[i] = from_shifted(i, data(u)[i]);
    const bool finite = evaluate(result.values);
    result.residual_norm = finite ? norm(f_) : infinite;
    polish(result);
    record(result.values, result.residual_norm);
    result.iterations = iterations_;
    result.converged = finite && (flag == KIN_SUCCESS || flag == KIN_INITIAL_GUESS_OK || flag == KIN_STEP_LT_STPTOL) && is_root(result.values);
    result.correction = correction_;
    result.outcome = outcome(flag, result);
    return result;
  }

  // Newton steps without scaling tests at the end: the answer is taken to rounding.
  void polish(SteadyResult& result) {
    std::vector<double> y = result.values;
    for (int k = 0; k < 3 && n_ <= 400; ++k) {
      const Eigen::MatrixXd j = dense_jacobian(y);
      if (!j.allFinite()) return;
      const Eigen::Map<const Eigen::VectorXd> f(f_.data(), static_cast<Eigen::Index>(n_));
      const Eigen::VectorXd d = j.partialPivLu().solve(f);
      if (!d.allFinite()) return;
      std::vector<double> next(n_);
      for (std::size_t i = 0; i < n_; ++i) {
        next[i] = y[i] - d(static_cast<Eigen::Index>(i));
        if (next[i] < system_.lower[i] || next[i] > system_.upper[i]) return;
      }
      if (!evaluate(next)) {
        if (!evaluate(y)) return;
        return;
      }
      const double r = norm(f_);
      if (!(r < result.residual_norm)) {
        (void)evaluate(y);
        return;
      }
      y = next;
      result.values = next;
      result.residual_norm = r;
    }
  }

  // A root: the Newton correction is far below the size of the unknowns.
  bool is_root(const std::vector<double>& y) {
    correction_ = 0;
    if (!evaluate(y)) return false;
    if (norm(f_) == 0) return true;
    const Eigen::MatrixXd j = dense_jacobian(y);
    if (!j.allFinite()) return false;
    Eigen::VectorXd f(static_cast<Eigen::Index>(n_));
    for (std::size_t i = 0; i < n_; ++i) f(static_cast<Eigen::Index>(i)) = f_[i];
    const Eigen::FullPivLU<Eigen::MatrixXd> lu(j);
    const Eigen::VectorXd d = lu.solve(f);
    if (!d.allFinite()) return false;
    double worst = 0;
    double size = 0;
    for (std::size_t i = 0; i < n_; ++i) {
      worst = std::max(worst, std::abs(d(static_cast<Eigen::Index>(i))));
      size = std::max(size, std::abs(y[i]));
    }
    correction_ = worst / std::max(size, 1e-300);
    return worst <= 1e-7 * std::max(size, 1e-300) || worst == 0;
  }

  [[nodiscard]] std::vector<std::string> undetermined(const std::vector<double>& y) {
    std::vector<std::string> names;
    if (n_ > 400) return names;
    Eigen::MatrixXd j = dense_jacobian(y);
    if (!j.allFinite()) return names;
    for (Eigen::Index c = 0; c < j.cols(); ++c) {  // columns in units of the unknowns
      j.col(c) *= std::max(std::abs(y[static_cast<std::size_t>(c)]), 1e-12 * typical_size(y));
    }
    for (Eigen::Index r = 0; r < j.rows(); ++r) {
      const double m = j.row(r).cwiseAbs().maxCoeff();
      if (m > 0) j.row(r) /= m;
    }
    const Eigen::JacobiSVD<Eigen::MatrixXd> svd(j, Eigen::ComputeFullV);
    if (svd.singularValues()(j.cols() - 1) > 1e-11 * svd.singularValues()(0)) return names;
    const Eigen::VectorXd null = svd.matrixV().col(j.cols() - 1);
    for (std::size_t i = 0; i < n_; ++i) {
      if (std::abs(null(static_cast<Eigen::Index>(i))) > 0.05) names.push_back(system_.state_names[i]);
    }
    return names;
  }

  [[nodiscard]] bool singular(const std::vector<double>& y) { return !undetermined(y).empty(); }

  // Singular wherever one looks, not just at an unlucky start: the equations themselves are dependent.
  [[nodiscard]] bool singular_around(std::vector<double> y) {
    for (std::size_t i = 0; i < n_; ++i) {
      y[i] += (0.013 + 0.007 * static_cast<double>(i % 5)) * (y[i] != 0 ? y[i] : 0.1);
      y[i] = std::clamp(y[i], system_.lower[i], system_.upper[i]);
    }
    return singular(y);
  }

  void outputs(SteadyResult& result) const {
    if (system_.outputs.empty()) return;
    const Kernel k = compile({OutputGroup("g", system_.outputs)}, {inputs_[0], inputs_[1], {"t", {system_.time}}});
    result.outputs.resize(system_.outputs.size());
    const double time = 0;
    const double* in[] = {result.values.data(), system_.parameter_values.data(), &time};
    double* out[] = {result.outputs.data()};
    k(in, out);
  }

  std::size_t residual_calls = 0;
  std::size_t jacobian_calls = 0;
  [[nodiscard]] const NumericJacobian& jacobian() const { return jacobian_; }

 private:
  static int residual_callback(N_Vector u, N_Vector f, void* self) {
    auto& a = *static_cast<Attempt*>(self);
    for (std::size_t i = 0; i < a.n_; ++i) {
      a.y_[i] = a.from_shifted(i, data(u)[i]);
      if (a.y_[i] < a.system_.lower[i] || a.y_[i] > a.system_.upper[i]) return 1;  // the line search shortens the step
    }
    if (!a.evaluate(a.y_)) {
      a.left_domain_ = true;
      return 1;
    }
    std::copy(a.f_.begin(), a.f_.end(), data(f));
    return 0;
  }

  static int jacobian_callback(N_Vector u, N_Vector f, SUNMatrix j, void* self, N_Vector, N_Vector) {
    auto& a = *static_cast<Attempt*>(self);
    for (std::size_t i = 0; i < a.n_; ++i) a.y_[i] = a.from_shifted(i, data(u)[i]);
    ++a.jacobian_calls;
    double sum = 0;
    for (std::size_t i = 0; i < a.n_; ++i) sum += data(f)[i] * data(f)[i];
    a.record(a.y_, std::sqrt(sum));
    const double* in[] = {a.y_.data(), a.system_.parameter_values.data()};
    if (!a.jacobian_.fill(in, j)) return 1;
    for (std::size_t i = 0; i < a.n_; ++i) {
      if (a.mirrored(i)) a.scale_column(j, i, -1);
    }
    return 0;
  }

  void scale_column(SUNMatrix j, std::size_t column, double factor) const;

  // Coordinates in which a bound is a sign: counted from the lower bound, or downwards from the upper one.
  // A bound far beyond the size of the start would cost digits; it only refuses points.
  [[nodiscard]] bool near(double bound, std::size_t i) const { return std::abs(bound) <= 1e6 * std::max(std::abs(system_.start[i]), 1e-3 * typical_size(system_.start)); }
  [[nodiscard]] bool shifted(std::size_t i) const { return near(system_.lower[i], i); }
  [[nodiscard]] bool mirrored(std::size_t i) const { return !shifted(i) && near(system_.upper[i], i); }
  [[nodiscard]] double to_shifted(std::size_t i, double y) const {
    if (shifted(i)) return y - system_.lower[i];
    return mirrored(i) ? system_.upper[i] - y : y;
  }
  [[nodiscard]] double from_shifted(std::size_t i, double u) const {
    if (shifted(i)) return u + system_.lower[i];
    return mirrored(i) ? system_.upper[i] - u : u;
  }

  bool evaluate(const std::vector<double>& y) {
    ++residual_calls;
    const double* in[] = {y.data(), system_.parameter_values.data()};
    double* out[] = {f_.data()};
    residual_(in, out);
    return std::all_of(f_.begin(), f_.end(), [](double v) { return std::isfinite(v); });
  }

  Eigen::MatrixXd dense_jacobian(const std::vector<double>& y) {
    const double* in[] = {y.data(), system_.parameter_values.data()};
    (void)jacobian_.fill(in, jacobian_.matrix());
    Eigen::MatrixXd j = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(n_), static_cast<Eigen::Index>(n_));
    const SparsityPattern& p = jacobian_.pattern();
    for (std::size_t i = 0; i < p.rows; ++i) {
      for (auto k = static_cast<std::size_t>(p.row_start[i]); k < static_cast<std::size_t>(p.row_start[i + 1]); ++k) {
        j(static_cast<Eigen::Index>(i), p.columns[k]) = jacobian_.values()[k];
      }
    }
    return j;
  }

  // Residuals are weighed by what a change of the unknowns by their own size does to them.
  void row_weights(std::span<const double> start, double* weight) {
    const std::vector<double> y(start.begin(), start.end());
    const Eigen::MatrixXd j = dense_jacobian(y);
    const double typical = typical_size(start);
    for (std::size_t i = 0; i < n_; ++i) {
      double size = 0;
      for (std::size_t k = 0; k < n_; ++k) {
        const double v = std::abs(j(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(k))) * std::max(std::abs(y[k]), 1e-3 * typical);
        if (std::isfinite(v)) size = std::max(size, v);
      }
      weight[i] = size > 0 ? 1 / size : 1;
    }
  }

  static double typical_size(std::span<const double> y) {
    double size = 0;
    for (const double v : y) size = std::max(size, std::abs(v));
    return size > 0 ? size : 1;
  }

  double scaled_norm(const double* u, const double* scale) const {
    double s = 0;
    for (std::size_t i = 0; i < n_; ++i) s += u[i] * u[i] * scale[i] * scale[i];
    return std::sqrt(s);
  }

  static double norm(const std::vector<double>& v) {
    double s = 0;
    for (const double x : v) s += x * x;
    return std::sqrt(s);
  }

  void record(const std::vector<double>& y, double residual) {
    double step = 0;
    for (std::size_t i = 0; i < n_; ++i) step = std::max(step, std::abs(y[i] - last_[i]) / std::max({std::abs(y[i]), std::abs(last_[i]), 1e-300}));
    iterations_.push_back({static_cast<int>(iterations_.size()), residual, step});
    last_ = y;
  }

  SteadyOutcome outcome(int flag, const SteadyResult& result) {
    if (result.converged) return SteadyOutcome::converged;
    if (singular(result.values)) return SteadyOutcome::singular;
    for (std::size_t i = 0; i < n_; ++i) {
      const double margin = 1e-9 * std::max(1.0, std::abs(result.values[i]));
      if (std::abs(result.values[i] - system_.lower[i]) <= margin || std::abs(result.values[i] - system_.upper[i]) <= margin) return SteadyOutcome::at_bound;
    }
    if (flag == KIN_MAXITER_REACHED) return SteadyOutcome::too_many_iterations;
    return left_domain_ ? SteadyOutcome::left_domain : SteadyOutcome::stalled;
  }

  const System& system_;
  const SteadyOptions& options_;
  SundialsContext context_;
  std::vector<InputGroup> inputs_;
  StagedKernel residual_;
  NumericJacobian jacobian_;
  std::size_t n_;
  std::vector<double> y_;
  std::vector<double> f_;
  std::vector<double> last_;
  std::vector<Iteration> iterations_;
  bool left_domain_ = false;
  double correction_ = 0;
};

void Attempt::scale_column(SUNMatrix j, std::size_t column, double factor) const {
  if (SUNMatGetID(j) == SUNMATRIX_DENSE) {
    double* c = SUNDenseMatrix_Column(j, static_cast<sunindextype>(column));
    for (std::size_t i = 0; i < n_; ++i) c[i] *= factor;
    return;
  }
  const sunindextype* starts = SUNSparseMatrix_IndexPointers(j);
  for (sunindextype k = starts[column]; k < starts[column + 1]; ++k) SUNSparseMatrix_Data(j)[k] *= factor;
}

std::string describe(const SteadyResult& r, const System& s) {
  switch (r.outcome) {
    case SteadyOutcome::converged: {
      std::string text = r.restarts == 0 ? "converged" : fmt::format("converged from another start (attempt {})", r.restarts);
      if (!r.suspects.empty()) text += fmt::format(", but the equations do not determine {} there: other solutions lie beside this one", fmt::join(r.suspects, ", "));
      return text;
    }
    case SteadyOutcome::left_domain:
      return "the iteration was driven to points where a function leaves its domain (such as the logarithm of a negative number); give bounds (lower, upper) "
             "or a start nearer to the solution";
    case SteadyOutcome::singular:
      return fmt::format("the Jacobian is singular: the equations do not determine {}; an equation may be missing or repeated, for example a conservation law",
                         fmt::join(r.suspects, ", "));
    case SteadyOutcome::stalled: return "the iteration stalled before the residuals vanished: there may be no solution near this start; try another start";
    case SteadyOutcome::at_bound:
      return fmt::format("the iteration is stuck at the bound of {}; the solution may lie beyond it, so check the bounds", fmt::join(r.at_bounds, ", "));
    case SteadyOutcome::too_many_iterations: return fmt::format("no convergence after {} iterations; try a start nearer to the solution", r.iterations.size());
    case SteadyOutcome::not_finite_at_start: break;
  }
  return fmt::format("the equations have no finite value at the start ({} = {:.6g}{}); choose a start inside their domain", s.state_names[0], r.values[0],
                     s.states.size() > 1 ? ", ..." : "");
}

}  // namespace

SteadyResult solve_steady(const System& system, const SteadyOptions& options) {
  if (system.residuals.size() != system.states.size()) {
    throw Error(ErrorKind::unsupported, fmt::format("{} equations for {} unknowns: a steady state needs as many equations as unknowns; fitting more equations than unknowns is "
                                                    "not part of this version",
                                                    system.residuals.size(), system.states.size()));
  }
  Attempt attempt(system, options);
  SteadyResult best = attempt.run(system.start, KIN_LINESEARCH);
  if (!best.converged) {
    SteadyResult other = attempt.run(system.start, KIN_NONE);
    if (other.converged) best = std::move(other);
  }
  const bool dependent = best.outcome == SteadyOutcome::singular && attempt.singular_around(best.values);
  std::mt19937_64 random(42);
  for (int k = 1; k <= options.restarts && !best.converged && !dependent; ++k) {
    std::vector<double> start = system.start;
    const double spread = 0.15 * k;
    for (std::size_t i = 0; i < start.size(); ++i) {
      const double r = static_cast<double>(random() >> 11U) * 0x1.0p-52 - 1;
      start[i] += spread * r * std::max(std::abs(start[i]), 0.1);
      start[i] = std::clamp(start[i], system.lower[i], system.upper[i]);
    }
    SteadyResult other = attempt.run(start, KIN_LINESEARCH);
    if (other.converged) {
      other.restarts = k;
      best = std::move(other);
    }
  }
  for (std::size_t i = 0; i < system.states.size(); ++i) {
    const double margin = 1e-9 * std::max(1e-300, std::abs(best.values[i]));
    if (std::abs(best.values[i] - system.lower[i]) <= margin || std::abs(best.values[i] - system.upper[i]) <= margin) best.at_bounds.push_back(system.state_names[i]);
  }
  if (best.outcome == SteadyOutcome::singular || best.converged) best.suspects = attempt.undetermined(best.values);
  if (best.outcome == SteadyOutcome::at_bound && best.at_bounds.empty()) best.outcome = SteadyOutcome::stalled;
  best.message = describe(best, system);
  best.linear_solver = attempt.jacobian().description();
  best.nonzeros = attempt.jacobian().pattern().nonzeros();
  best.residual_calls = attempt.residual_calls;
  best.jacobian_calls = attempt.jacobian_calls;
  if (best.outcome != SteadyOutcome::not_finite_at_start) attempt.outputs(best);
  return best;
}

}  // namespace boreon
