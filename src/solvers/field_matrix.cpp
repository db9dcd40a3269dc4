// SPDX-License-Identifier: MIT
#include "solvers/field_matrix.hpp"

#include <fmt/format.h>
#include <sunlinsol/sunlinsol_klu.h>
#include <sunlinsol/sunlinsol_spgmr.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <algorithm>
#include <cmath>

namespace boreon {
namespace {

// Factors of a grid fill with its width: measured, of 256 x 256 places they take 2.5 s, of 64 x 64 30 ms.
bool factors_fit(const FieldPlan& plan) {
  std::size_t rank = 0;
  for (const FieldBox& b : plan.boxes()) rank = std::max(rank, b.from.size());
  return plan.rows() <= (rank <= 1 ? 5'000'000U : rank == 2 ? 20'000U : 5'000U);
}

}  // namespace

FieldMatrix::FieldMatrix(const FieldPlan& plan, const FieldProblem& problem, unsigned threads, bool native,
                         const SundialsContext& context)
    : problem_(problem), threads_(threads), n_(plan.rows()) {
  bool formula = true;
  try {
    plan.require_jacobian();
  } catch (const Error&) {
    formula = false;
  }
  VectorHandle like = make_vector(n_, context);
  if (formula && factors_fit(plan)) {
    kernel_.emplace(plan, FieldOutput::jacobian, executors(native));
    pattern_ = plan.pattern(threads);
    const auto n = static_cast<sunindextype>(n_);
    matrix_ = SUNSparseMatrix(n, n, static_cast<sunindextype>(pattern_.nonzeros()), CSR_MAT, context.get());
    if (matrix_ == nullptr) throw std::bad_alloc();
    solver_ = SUNLinSol_KLU(like.get(), matrix_, context.get());
  } else {
    constexpr int vectors = 20;
    constexpr std::size_t most_entries = 100'000'000;  // 1.2 GB with their factors
    if (formula && plan.nonzeros() <= most_entries) {
      kernel_.emplace(plan, FieldOutput::jacobian, executors(native));
      pattern_ = plan.pattern(threads);
      values_.resize(plan.nonzeros());
      incomplete_.emplace();
    }
    try {
      products_.emplace(FieldPlan(directional_system(problem.rates, problem.sizes), problem.sizes), FieldOutput::values,
                        executors(native));
      state_and_direction_.resize(2 * n_);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::shape) throw;  // differences take their place
    }
    solver_ = SUNLinSol_SPGMR(like.get(), incomplete_ ? SUN_PREC_LEFT : SUN_PREC_NONE, vectors, context.get());
  }
  if (solver_ == nullptr) throw std::bad_alloc();
}

FieldMatrix::~FieldMatrix() {
  if (solver_ != nullptr) SUNLinSolFree(solver_);
  if (matrix_ != nullptr) SUNMatDestroy(matrix_);
}

std::string FieldMatrix::description() const {
  return matrix_ != nullptr ? fmt::format("sparse factors (KLU) of {} nonzeros", pattern_.nonzeros())
         : incomplete_      ? fmt::format("GMRES with incomplete factors of {} nonzeros", pattern_.nonzeros())
                            : "GMRES without factors";
}

bool FieldMatrix::fill(double time, const double* state, SUNMatrix target) const {
  double* const values = SM_DATA_S(target);
  (*kernel_)({state, n_}, problem_.parameters, time, {values, pattern_.nonzeros()}, threads_);
  std::copy(pattern_.row_start.begin(), pattern_.row_start.end(), SM_INDEXPTRS_S(target));
  std::copy(pattern_.columns.begin(), pattern_.columns.end(), SM_INDEXVALS_S(target));
  return std::all_of(values, values + pattern_.nonzeros(), [](double v) { return std::isfinite(v); });
}

bool FieldMatrix::fill_corrector(double time, const double* state, double c, const std::vector<char>& algebraic,
                                 SUNMatrix target) const {
  if (!fill(time, state, target)) return false;
  double* const values = SM_DATA_S(target);
  for (std::size_t r = 0; r < n_; ++r) {
    pattern_.each(r, [&](std::size_t k, std::size_t column) {
      values[k] = (column == r && algebraic[r] == 0 ? c : 0) - values[k];
    });
  }
  return true;
}

bool FieldMatrix::prepare(double time, const double* state, double c, const std::vector<char>& algebraic) {
  (*kernel_)({state, n_}, problem_.parameters, time, values_, threads_);
  const bool all_rates = algebraic.empty();
  for (std::size_t r = 0; r < n_; ++r) {
    pattern_.each(r, [&](std::size_t k, std::size_t column) {
      const bool own = column == r;
      values_[k] = all_rates ? (own ? 1 : 0) - c * values_[k] : (own && algebraic[r] == 0 ? c : 0) - values_[k];
    });
  }
  return incomplete_->factor(pattern_, values_);
}

FieldMatrix::Entries FieldMatrix::entries(double time, const double* state) {
  if (!kernel_) return {};
  values_.resize(pattern_.nonzeros());
  (*kernel_)({state, n_}, problem_.parameters, time, values_, threads_);
  return {&pattern_, &values_};
}

bool FieldMatrix::prepare_jacobian(double time, const double* state) {
  return entries(time, state).values != nullptr && incomplete_->factor(pattern_, values_);
}

bool FieldMatrix::multiply(double time, const double* state, const double* direction, double* product) {
  std::copy(state, state + n_, state_and_direction_.begin());
  std::copy(direction, direction + n_, state_and_direction_.begin() + static_cast<std::ptrdiff_t>(n_));
  (*products_)(state_and_direction_, problem_.parameters, time, {product, n_}, threads_);
  return std::all_of(product, product + n_, [](double v) { return std::isfinite(v); });
}

}  // namespace boreon
