// SPDX-License-Identifier: MIT
// Sensitivities of runs in which some states have an equation instead of a rate, through IDAS: x' = f(x, z), 0 = g(x,
// z), of index 1. Source: Cao, Li, Petzold, Serban, Adjoint sensitivity analysis for differential-algebraic equations,
// SIAM J. Sci. Comput. 24 (2003) 1076.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "boreon/work.hpp"
#include "solvers/consistent_start.hpp"
#include "solvers/ida_support.hpp"
#include "solvers/klu_factors.hpp"
#include "solvers/run_derivatives.hpp"
#include "solvers/run_support.hpp"

namespace boreon {
namespace {

constexpr long steps_between_checkpoints_of_algebra = 200;

class AlgebraicDerivatives final : public RunDerivatives {
 public:
  AlgebraicDerivatives(const System& system, std::vector<RunInput> by, double relative_tolerance,
                       double absolute_tolerance)
      : RunDerivatives(system, std::move(by), relative_tolerance, absolute_tolerance, corrector_functions(system)),
        start_(system) {
    for (std::size_t i = 0; i < n_; ++i) {
      place_.push_back(is_algebraic(i) ? algebraic_.size() : n_);
      if (is_algebraic(i)) algebraic_.push_back(i);
    }
  }

  std::string adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                      std::vector<double>& gradient) override;

 protected:
  std::string run(const Point& at, const std::vector<double>& times, bool derivatives, const Visit& visit) override;

 private:
  static AlgebraicDerivatives& self_of(void* self) { return *static_cast<AlgebraicDerivatives*>(self); }
  [[nodiscard]] double rate(std::size_t i, const double* slope) const { return is_algebraic(i) ? 0 : slope[i]; }

  static int residual_callback(double t, N_Vector y, N_Vector slope, N_Vector r, void* self) {
    AlgebraicDerivatives& s = self_of(self);
    if (interrupt_requested()) return -1;
    if (!s.evaluate(t, data(y), data(r))) return 1;
    for (std::size_t i = 0; i < s.n_; ++i) data(r)[i] = s.rate(i, data(slope)) - data(r)[i];
    return 0;
  }
  static int jacobian_callback(double t, double c, N_Vector y, N_Vector, N_Vector, SUNMatrix j, void* self, N_Vector,
                               N_Vector, N_Vector) {
    AlgebraicDerivatives& s = self_of(self);
    const double* in[] = {data(y), s.at_.parameters.data(), &t, &c};
    return fill_corrector(s.jacobian_, in, j) ? 0 : 1;
  }
  // s' - (J s + df/dp) for states with a rate, -(J s + dg/dp) for the others.
  static int slopes_callback(int count, double t, N_Vector y, N_Vector, N_Vector, N_Vector* s, N_Vector* rates,
                             N_Vector* r, void* self, N_Vector, N_Vector, N_Vector) {
    AlgebraicDerivatives& a = self_of(self);
    if (interrupt_requested()) return -1;
    if (!a.evaluate_jacobian(t, data(y)) || !a.evaluate_by_parameters(t, data(y))) return 1;
    a.along_inputs(s, r, static_cast<std::size_t>(count));
    for (int k = 0; k < count; ++k) {
      for (std::size_t i = 0; i < a.n_; ++i) data(r[k])[i] = a.rate(i, data(rates[k])) - data(r[k])[i];
    }
    return 0;
  }
  // l' + J^T l for rows with a rate, J^T l for the others, from the end backwards.
  static int backward_callback(double t, N_Vector y, N_Vector, N_Vector l, N_Vector rates, N_Vector r, void* self) {
    AlgebraicDerivatives& a = self_of(self);
    if (interrupt_requested()) return -1;
    if (!a.evaluate_jacobian(t, data(y))) return 1;
    a.transposed(data(l), data(r));
    for (std::size_t i = 0; i < a.n_; ++i) data(r)[i] += a.rate(i, data(rates));
    ++a.counts_.backward_right_sides;
    return 0;
  }
  static int backward_jacobian_callback(double t, double c, N_Vector y, N_Vector, N_Vector, N_Vector, N_Vector,
                                        SUNMatrix j, void* self, N_Vector, N_Vector, N_Vector) {
    AlgebraicDerivatives& a = self_of(self);
    if (!a.evaluate_jacobian(t, data(y), -c)) return 1;
    a.fill_transposed(1, j);
    return 0;
  }
  static int integrand_callback(double t, N_Vector y, N_Vector, N_Vector l, N_Vector, N_Vector q, void* self) {
    AlgebraicDerivatives& a = self_of(self);
    if (!a.evaluate_by_parameters(t, data(y))) return 1;
    a.along_parameters(data(l), data(q));
    N_VScale(-1, q, q);
    return 0;
  }

  // Factors of dg/dz with what was evaluated last; null where the equations do not determine the states.
  [[nodiscard]] std::unique_ptr<KluFactors> algebra() const;
  [[nodiscard]] std::string begin(void* mem);
  [[nodiscard]] VectorHandle absolute_tolerances(const std::vector<double>& at_end,
                                                 const std::vector<double>& of_states) const;
  void slopes_of_algebraic(Slopes& s);

  std::vector<std::size_t> algebraic_;  // states
  std::vector<std::size_t> place_;      // of a state among them
  ConsistentStart start_;
  VectorHandle y_;
  VectorHandle rates_;
  VectorHandle kinds_;
};

std::unique_ptr<KluFactors> AlgebraicDerivatives::algebra() const {
  std::vector<int> starts{0};
  std::vector<int> columns;
  std::vector<double> entries;
  for (const std::size_t row : algebraic_) {
    jacobian_.pattern().each(row, [&](std::size_t k, std::size_t column) {
      if (!is_algebraic(column)) return;
      columns.push_back(static_cast<int>(place_[column]));
      entries.push_back(jacobian_.values()[k]);
    });
    starts.push_back(static_cast<int>(columns.size()));
  }
  auto f = std::make_unique<KluFactors>(std::move(starts), std::move(columns), std::move(entries));
  if (!(f->reciprocal_condition() > 0)) return nullptr;
  return f;
}

// The run itself, from consistent values.
std::string AlgebraicDerivatives::begin(void* mem) {
  y_ = make_vector(n_, context_);
  rates_ = make_vector(n_, context_);
  kinds_ = make_vector(n_, context_);
  std::copy(at_.start.begin(), at_.start.end(), data(y_));
  if (const std::string problem = start_.find(at_.parameters, at_.from, data(y_)); !problem.empty())
    return fmt::format("no values of the algebraic unknowns fulfil the equations at the start, {} = {:.6g}: {}",
                       system_.time.name(), at_.from, problem);
  if (!evaluate(at_.from, data(y_), data(rates_)))
    return fmt::format("the equations have no value at the start, {} = {:.6g}", system_.time.name(), at_.from);
  for (std::size_t i = 0; i < n_; ++i) {
    data(kinds_)[i] = is_algebraic(i) ? 0 : 1;
    if (is_algebraic(i)) data(rates_)[i] = 0;
  }
  const VectorHandle tolerance = make_vector(n_, context_);
  std::copy(tolerances_.begin(), tolerances_.end(), data(tolerance));
  accept(IDAInit(mem, &AlgebraicDerivatives::residual_callback, at_.from, y_.get(), rates_.get()), "start");
  accept(IDASetUserData(mem, this), "data");
  accept(IDASVtolerances(mem, relative_, tolerance.get()), "tolerances");
  accept(IDASetId(mem, kinds_.get()), "kinds of equations");
  accept(IDASetLinearSolver(mem, jacobian_.solver(), jacobian_.matrix()), "linear solver");
  accept(IDASetJacFn(mem, &AlgebraicDerivatives::jacobian_callback), "Jacobian");
  accept(IDASetMaxNumSteps(mem, most_steps_), "limit of steps");
  accept(IDASetMaxErrTestFails(mem, 20), "options");
  return {};
}

// What the equations make of the slopes of the other states: dz = -(dg/dz)^-1 (dg/dx dx + dg/dp).
void AlgebraicDerivatives::slopes_of_algebraic(Slopes& s) {
  if (!evaluate_jacobian(at_.from, data(y_)) || !evaluate_by_parameters(at_.from, data(y_))) return;
  const auto factors = algebra();
  if (factors == nullptr) return;
  std::vector<VectorHandle> products_of;
  std::vector<N_Vector> handles;
  for (std::size_t k = 0; k < s.handles.size(); ++k) {
    products_of.push_back(make_vector(n_, context_));
    handles.push_back(products_of.back().get());
  }
  along_inputs(s.handles.data(), handles.data(), handles.size());
  for (std::size_t k = 0; k < handles.size(); ++k) {
    std::vector<double> right;
    for (const std::size_t row : algebraic_) right.push_back(-data(handles[k])[row]);
    if (!factors->solve(right)) continue;
    for (std::size_t i = 0; i < algebraic_.size(); ++i) data(s.vectors[k])[algebraic_[i]] = right[i];
  }
}

std::string AlgebraicDerivatives::run(const Point& at, const std::vector<double>& times, bool derivatives,
                                      const Visit& visit) {
  const double until = times.empty() ? at.from : times.back();
  prepare(at, until);
  const std::size_t m = derivatives ? by_.size() : 0;
  const IdaMemory mem(context_);
  if (std::string problem = begin(mem.get()); !problem.empty()) return problem;
  Slopes s;
  Slopes rates;
  if (derivatives) {
    s = slopes_at_start(at);
    slopes_of_algebraic(s);
    rates = slopes_at_start(at);
    along_inputs(s.handles.data(), rates.handles.data(), m);
    for (std::size_t k = 0; k < m; ++k) {
      for (const std::size_t i : algebraic_) data(rates.vectors[k])[i] = 0;
    }
    accept(IDASensInit(mem.get(), static_cast<int>(m), IDA_STAGGERED, &AlgebraicDerivatives::slopes_callback,
                       s.handles.data(), rates.handles.data()),
           "sensitivities");
    accept(IDASetSensParams(mem.get(), nullptr, s.sizes.data(), nullptr), "sensitivities");
    accept(IDASensEEtolerances(mem.get()), "tolerances");
    accept(IDASetSensErrCon(mem.get(), 1), "tolerances");
  }
  s.values.resize(by_.size(), nullptr);
  double reached = at.from;
  std::string problem;
  long charged = 0;
  for (std::size_t k = 0; k < times.size(); ++k) {
    if (times[k] > reached) {
      accept(IDASetStopTime(mem.get(), until), "end");
      const int flag = IDASolve(mem.get(), times[k], &reached, y_.get(), rates_.get(), IDA_NORMAL);
      long done = 0;
      IDAGetNumSteps(mem.get(), &done);
      charge(done, charged, m);
      if (interrupt_requested()) throw Stopped(Error(ErrorKind::interrupted, "the run was stopped"));
      if (flag < 0) {
        problem = describe(flag == IDA_TOO_MUCH_WORK, flag, reached, data(y_));
        break;
      }
      if (m > 0) accept(IDAGetSensDky(mem.get(), times[k], 0, s.handles.data()), "sensitivities");
      reached = times[k];
    }
    visit(k, data(y_), s.values);
  }
  long calls = 0;
  IDAGetNumResEvals(mem.get(), &calls);
  counts_.right_sides += calls;
  if (m > 0) {
    IDAGetSensNumResEvals(mem.get(), &calls);
    counts_.sensitivity_right_sides += calls * static_cast<long>(m);
  }
  return problem;
}

// With v = -(dg/dz)^-T dG/dz at the end, l there is dG/dx + (dg/dx)^T v, and v^T dg/dp joins the gradient.
// Those of the backward run; multipliers of algebraic equations by the largest of them at the end.
VectorHandle AlgebraicDerivatives::absolute_tolerances(const std::vector<double>& at_end,
                                                       const std::vector<double>& of_states) const {
  VectorHandle tolerance = make_vector(n_, context_);
  double largest = 0;
  for (const std::size_t i : algebraic_) largest = std::max(largest, std::fabs(at_end[i]));
  for (std::size_t i = 0; i < n_; ++i)
    data(tolerance)[i] = is_algebraic(i) && largest > 0 ? 1e-2 * relative_ * largest : of_states[i];
  return tolerance;
}

std::string AlgebraicDerivatives::adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                                          std::vector<double>& gradient) {
  prepare(at, until);
  gradient.assign(by_.size(), 0.0);
  const IdaMemory mem(context_);
  if (std::string problem = begin(mem.get()); !problem.empty()) return problem;
  accept(IDAAdjInit(mem.get(), steps_between_checkpoints_of_algebra, IDA_HERMITE), "checkpoints");
  double reached = at.from;
  int checkpoints = 0;
  const int flag = IDASolveF(mem.get(), until, &reached, y_.get(), rates_.get(), IDA_NORMAL, &checkpoints);
  if (interrupt_requested()) throw Stopped(Error(ErrorKind::interrupted, "the run was stopped"));
  if (flag < 0) return describe(flag == IDA_TOO_MUCH_WORK, flag, reached, data(y_));
  double value = 0;
  const std::vector<double> tolerances = backward_tolerances(end_slope, data(y_), value);
  if (tolerances.empty()) return {};
  const VectorHandle l = make_vector(n_, context_);
  const VectorHandle l_rates = make_vector(n_, context_);
  const std::size_t m = parameter_inputs_.size();
  const VectorHandle q = make_vector(std::max<std::size_t>(m, 1), context_);
  N_VConst(0, q.get());
  if (!evaluate_jacobian(until, data(y_)) || !evaluate_by_parameters(until, data(y_)))
    return "a derivative of the equations has no finite value at the end";
  const auto factors = algebra();
  if (factors == nullptr) return "the algebraic equations do not determine their unknowns at the end";
  // v, in the rows of the algebraic equations
  std::vector<double> v(n_, 0.0);
  const auto solve_into = [&](std::vector<double>& rows, const std::vector<double>& right_by_state) {
    std::vector<double> right;
    for (const std::size_t i : algebraic_) right.push_back(-right_by_state[i]);
    if (!factors->solve_transposed(right)) return false;
    for (std::size_t i = 0; i < algebraic_.size(); ++i) rows[algebraic_[i]] = right[i];
    return true;
  };
  if (!solve_into(v, end_slope)) return "the linear system of the algebraic equations cannot be solved";
  std::vector<double> product(n_);
  transposed(v.data(), product.data());
  std::vector<double> lambda(n_, 0.0);
  for (std::size_t i = 0; i < n_; ++i) {
    if (!is_algebraic(i)) lambda[i] = end_slope[i] + product[i];
  }
  std::vector<double> at_end(m);
  along_parameters(v.data(), at_end.data());
  transposed(lambda.data(), product.data());
  if (!solve_into(lambda, product)) return "the linear system of the algebraic equations cannot be solved";
  std::copy(lambda.begin(), lambda.end(), data(l));
  transposed(lambda.data(), product.data());
  for (std::size_t i = 0; i < n_; ++i) data(l_rates)[i] = is_algebraic(i) ? 0 : -product[i];
  make_transposed();
  const VectorHandle tolerance = absolute_tolerances(lambda, tolerances);
  int which = 0;
  accept(IDACreateB(mem.get(), &which), "backward run");
  accept(IDAInitB(mem.get(), which, &AlgebraicDerivatives::backward_callback, until, l.get(), l_rates.get()),
         "backward run");
  accept(IDASetUserDataB(mem.get(), which, this), "data");
  accept(IDASVtolerancesB(mem.get(), which, relative_, tolerance.get()), "tolerances");
  accept(IDASetIdB(mem.get(), which, kinds_.get()), "kinds of equations");
  accept(IDASetSuppressAlgB(mem.get(), which, 1), "kinds of equations");
  accept(IDASetLinearSolverB(mem.get(), which, transposed_solver_, transposed_), "linear solver");
  accept(IDASetJacFnB(mem.get(), which, &AlgebraicDerivatives::backward_jacobian_callback), "Jacobian");
  accept(IDASetMaxNumStepsB(mem.get(), which, most_steps_), "limit of steps");
  if (m > 0) {
    accept(IDAQuadInitB(mem.get(), which, &AlgebraicDerivatives::integrand_callback, q.get()), "integrals");
    accept(IDAQuadSStolerancesB(mem.get(), which, relative_, 1e-3 * relative_ * value), "tolerances");
    accept(IDASetQuadErrConB(mem.get(), which, 1), "tolerances");
  }
  const int back = IDASolveB(mem.get(), at.from, IDA_NORMAL);
  if (interrupt_requested()) throw Stopped(Error(ErrorKind::interrupted, "the backward run was stopped"));
  if (back < 0) return fmt::format("the backward run stopped (code {})", back);
  double start = 0;
  accept(IDAGetB(mem.get(), which, &start, l.get(), l_rates.get()), "result");
  if (m > 0) accept(IDAGetQuadB(mem.get(), which, &start, q.get()), "result");
  for (std::size_t k = 0; k < m; ++k) gradient[parameter_inputs_[k]] = data(q)[k] + at_end[k];
  for (std::size_t i = 0; i < by_.size(); ++i) {
    if (by_[i].start && !is_algebraic(by_[i].index)) gradient[i] = data(l)[by_[i].index];
  }
  return {};
}

}  // namespace

std::unique_ptr<RunDerivatives> derivatives_with_algebra(const System& system, std::vector<RunInput> by,
                                                         double relative_tolerance, double absolute_tolerance) {
  return std::make_unique<AlgebraicDerivatives>(system, std::move(by), relative_tolerance, absolute_tolerance);
}

}  // namespace boreon
