// SPDX-License-Identifier: MIT
// What runs with derivatives share, whichever solver steps: derived functions, and products with their Jacobians.
#include "solvers/run_derivatives.hpp"

#include <fmt/format.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunlinsol/sunlinsol_klu.h>
#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "expr/work.hpp"
#include "solvers/run_support.hpp"

namespace boreon {
namespace {

std::vector<Expr> parameters_among(const System& s, const std::vector<RunInput>& by) {
  std::vector<Expr> list;
  for (const RunInput& i : by) {
    if (!i.start) list.push_back(s.parameters[i.index]);
  }
  return list;
}

}  // namespace

RunDerivatives::RunDerivatives(const System& system, std::vector<RunInput> by, double relative_tolerance,
                               double absolute_tolerance, const std::vector<Expr>& functions)
    : system_(system),
      by_(std::move(by)),
      relative_(relative_tolerance),
      absolute_(absolute_tolerance),
      n_(system.states.size()),
      inputs_{{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}, {"c", {Symbol("_rate")}}},
      right_side_(with_parameters({OutputGroup("f", system.right_sides)}, inputs_, system.parameter_values)),
      jacobian_(functions, system.states, inputs_, system.parameter_values, LinearSolver::automatic, context_,
                Diagonal::whole),
      by_parameters_kernel_(Program{}, {}) {
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
  const double c = 0;
  const double* in[] = {y, at_.parameters.data(), &t, &c};
  double* out[] = {f};
  right_side_(in, out);
  return std::all_of(f, f + n_, [](double v) { return std::isfinite(v); });
}

bool RunDerivatives::evaluate_by_parameters(double t, const double* y) {
  const double c = 0;
  const double* in[] = {y, at_.parameters.data(), &t, &c};
  double* out[] = {by_parameters_values_.data()};
  by_parameters_kernel_(in, out);
  return std::all_of(by_parameters_values_.begin(), by_parameters_values_.end(),
                     [](double v) { return std::isfinite(v); });
}

bool RunDerivatives::evaluate_jacobian(double t, const double* y, double c) {
  const double* in[] = {y, at_.parameters.data(), &t, &c};
  return jacobian_.evaluate(in);
}

bool RunDerivatives::fill_jacobian(double t, const double* y, double c, SUNMatrix matrix) {
  const double* in[] = {y, at_.parameters.data(), &t, &c};
  return jacobian_.fill(in, matrix);
}

void RunDerivatives::prepare(const Point& at, double until) {
  at_ = at;
  const double c = 0;
  const double* in[] = {at_.start.data(), at_.parameters.data(), &at_.from, &c};
  right_side_.prepare(in);
  jacobian_.prepare(in);
  by_parameters_kernel_.prepare(in);
  std::vector<double> slope(n_);
  (void)evaluate(at.from, at.start.data(), slope.data());
  for (std::size_t i = 0; i < n_; ++i) {
    if (is_algebraic(i)) slope[i] = 0;
  }
  tolerances_ = absolute_tolerances(at.start, slope.data(), until - at.from, relative_, absolute_, sizes_);
}

void RunDerivatives::along_inputs(N_Vector* s, N_Vector* slopes, std::size_t count) const {
  const std::vector<double>& values = jacobian_.values();
  for (std::size_t i = 0; i < count; ++i) {
    const double* const from = data(s[i]);
    for (std::size_t row = 0; row < n_; ++row) {
      double sum = 0;
      jacobian_.pattern().each(row, [&](std::size_t k, std::size_t column) { sum += values[k] * from[column]; });
      data(slopes[i])[row] = sum;
    }
  }
  for (std::size_t row = 0; row < n_; ++row) {
    by_parameters_.each(row, [&](std::size_t k, std::size_t column) {
      data(slopes[parameter_inputs_[column]])[row] += by_parameters_values_[k];
    });
  }
}

void RunDerivatives::transposed(const double* l, double* product) const {
  std::fill(product, product + n_, 0.0);
  for (std::size_t row = 0; row < n_; ++row) {
    jacobian_.pattern().each(
        row, [&](std::size_t k, std::size_t column) { product[column] += jacobian_.values()[k] * l[row]; });
  }
}

void RunDerivatives::along_parameters(const double* l, double* product) const {
  std::fill(product, product + parameter_inputs_.size(), 0.0);
  for (std::size_t row = 0; row < n_; ++row) {
    by_parameters_.each(
        row, [&](std::size_t k, std::size_t column) { product[column] += by_parameters_values_[k] * l[row]; });
  }
}

void RunDerivatives::make_transposed() {
  if (transposed_ != nullptr) return;
  const auto n = static_cast<sunindextype>(n_);
  const VectorHandle v = make_vector(n_, context_);
  transposed_ = jacobian_.sparse()
                    ? SUNSparseMatrix(n, n, static_cast<sunindextype>(jacobian_.pattern().nonzeros() + n_), CSC_MAT,
                                      context_.get())
                    : SUNDenseMatrix(n, n, context_.get());
  transposed_solver_ = jacobian_.sparse() ? SUNLinSol_KLU(v.get(), transposed_, context_.get())
                                          : SUNLinSol_Dense(v.get(), transposed_, context_.get());
  if (transposed_ == nullptr || transposed_solver_ == nullptr) throw std::bad_alloc();
}

// Rows of the Jacobian are columns of the matrix wanted.
void RunDerivatives::fill_transposed(double factor, SUNMatrix matrix) const {
  const SparsityPattern& p = jacobian_.pattern();
  const std::vector<double>& values = jacobian_.values();
  if (SUNMatGetID(matrix) == SUNMATRIX_DENSE) {
    SUNMatZero(matrix);
    for (std::size_t row = 0; row < n_; ++row) {
      p.each(row, [&](std::size_t k, std::size_t column) {
        SM_ELEMENT_D(matrix, static_cast<sunindextype>(column), static_cast<sunindextype>(row)) = factor * values[k];
      });
    }
    return;
  }
  sunindextype* const starts = SUNSparseMatrix_IndexPointers(matrix);
  for (std::size_t row = 0; row <= n_; ++row) starts[row] = static_cast<sunindextype>(p.row_start[row]);
  for (std::size_t k = 0; k < p.nonzeros(); ++k) {
    SUNSparseMatrix_IndexValues(matrix)[k] = static_cast<sunindextype>(p.columns[k]);
    SUNSparseMatrix_Data(matrix)[k] = factor * values[k];
  }
}

std::string RunDerivatives::describe(bool too_much_work, int flag, double reached, const double* y) const {
  std::vector<double> slope(n_);
  const std::string at = fmt::format("at {} = {:.6g}", system_.time.name(), reached);
  if (!evaluate(reached, y, slope.data())) return fmt::format("the rates have no value {}", at);
  if (too_much_work) return fmt::format("more than {} steps were needed {}", most_steps_, at);
  return fmt::format("the step became too small {} (code {})", at, flag);
}

std::vector<double> RunDerivatives::backward_tolerances(const std::vector<double>& end_slope, const double* end,
                                                        double& value) const {
  value = 0;
  for (std::size_t i = 0; i < n_; ++i)
    value = std::max(value, std::fabs(end_slope[i]) * std::max(std::fabs(end[i]), tolerances_[i] / relative_));
  double largest = 0;
  for (const double v : end_slope) largest = std::max(largest, std::fabs(v));
  if (largest == 0) return {};
  std::vector<double> list(n_);
  for (std::size_t i = 0; i < n_; ++i) {
    const double size = std::max({std::fabs(end[i]), std::fabs(at_.start[i]), tolerances_[i] / relative_});
    list[i] = 1e-2 * relative_ * (size > 0 ? value / size : largest);
    if (!(list[i] > 0)) list[i] = relative_ * 1e-3 * largest;
  }
  return list;
}

RunDerivatives::Slopes RunDerivatives::slopes_at_start(const Point& at) const {
  Slopes s;
  for (const RunInput& input : by_) {
    s.vectors.push_back(make_vector(n_, context_));
    N_VConst(0, s.vectors.back().get());
    if (input.start && !is_algebraic(input.index)) data(s.vectors.back())[input.index] = 1;
    s.handles.push_back(s.vectors.back().get());
    s.values.push_back(data(s.vectors.back()));
    const double value = input.start ? at.start[input.index] : at.parameters[input.index];
    s.sizes.push_back(value != 0 ? std::fabs(value) : 1);
  }
  return s;
}

void RunDerivatives::charge(long steps, long& charged, std::size_t derivatives) const {
  spend(static_cast<std::uint64_t>(steps - charged + 1) * (300 + 30 * n_ * (1 + derivatives)));
  charged = steps;
}

std::string RunDerivatives::forward(const Point& at, const std::vector<double>& times, bool derivatives,
                                    const Visit& visit) {
  derivatives = derivatives && !by_.empty();
  if (system_.integrals == 0 || absolute_ > 0) return run(at, times, derivatives, visit);
  std::vector<double> largest(n_, 0.0);
  const Visit watch = [&](std::size_t k, const double* y, const std::vector<const double*>& slopes) {
    for (std::size_t i = 0; i < n_; ++i) largest[i] = std::max(largest[i], std::fabs(y[i]));
    visit(k, y, slopes);
  };
  std::string problem = run(at, times, derivatives, watch);
  const std::vector<double> known = sizes_;
  std::vector<double> sizes = sizes_of_integrals(system_, tolerances_, largest, relative_);
  if (!problem.empty() || sizes.empty()) return problem;
  sizes_ = std::move(sizes);
  problem = run(at, times, derivatives, visit);
  if (problem.empty()) return problem;
  sizes_ = known;  // rounding alone is what was left
  return run(at, times, derivatives, visit);
}

std::unique_ptr<RunDerivatives> run_derivatives(const System& system, std::vector<RunInput> by,
                                                double relative_tolerance, double absolute_tolerance) {
  return system.differential_algebraic()
             ? derivatives_with_algebra(system, std::move(by), relative_tolerance, absolute_tolerance)
             : derivatives_of_rates(system, std::move(by), relative_tolerance, absolute_tolerance);
}

}  // namespace boreon
