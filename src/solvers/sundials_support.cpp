// SPDX-License-Identifier: MIT
#include "solvers/sundials_support.hpp"

#include <fmt/format.h>
#include <sunlinsol/sunlinsol_dense.h>
#include <sunlinsol/sunlinsol_klu.h>
#include <sunmatrix/sunmatrix_dense.h>
#include <sunmatrix/sunmatrix_sparse.h>

#include <algorithm>
#include <cmath>
#include <new>

#include "boreon/error.hpp"

namespace boreon {

SundialsContext::SundialsContext() {
  if (SUNContext_Create(nullptr, &context_) != 0)
    throw Error(ErrorKind::unsupported, "the solver library cannot be started");
}

SundialsContext::~SundialsContext() { SUNContext_Free(&context_); }

VectorHandle make_vector(std::size_t n, const SundialsContext& context) {
  N_Vector v = N_VNew_Serial(static_cast<sunindextype>(n), context.get());
  if (v == nullptr) throw std::bad_alloc();
  return VectorHandle(v);
}

StagedKernel with_parameters(const std::vector<OutputGroup>& outputs, const std::vector<InputGroup>& inputs,
                             const std::vector<double>& parameters) {
  std::vector<std::string> fixed;
  std::vector<const double*> values(inputs.size(), nullptr);
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    if (inputs[g].name != "p") continue;
    fixed.push_back(inputs[g].name);
    values[g] = parameters.data();
  }
  StagedKernel kernel(make_program(outputs, inputs), fixed, {.expected_calls = 3000, .amid_other_work = true});
  kernel.prepare(values);
  return kernel;
}

std::string fault(const std::vector<Expr>& functions, const std::vector<InputGroup>& inputs,
                  const std::vector<std::vector<double>>& values) {
  const std::vector<OutputGroup> outputs{{"f", functions}};
  const auto faults = diagnose(make_program(outputs, inputs, {.rows = false}), values, 1);
  return faults.empty() ? std::string()
                        : fmt::format("{} is {} at {}", faults[0].subexpression,
                                      std::isnan(faults[0].value) ? std::fabs(faults[0].value) : faults[0].value,
                                      faults[0].operands);
}

namespace {

struct Derived {
  SparseMatrix matrix;
  StagedKernel kernel;
};

bool prefers_sparse(const SparsityPattern& p, LinearSolver choice) {
  if (choice != LinearSolver::automatic) return choice == LinearSolver::sparse;
  const double n = static_cast<double>(p.rows);
  return p.rows > 30 && static_cast<double>(p.nonzeros()) < 0.25 * n * n;
}

SparseMatrix with_whole_diagonal(const SparseMatrix& m) {
  SparseMatrix out;
  out.pattern.rows = m.pattern.rows;
  out.pattern.cols = m.pattern.cols;
  out.pattern.row_start.push_back(0);
  for (std::size_t row = 0; row < m.pattern.rows; ++row) {
    bool there = false;
    const auto add = [&](std::size_t column, const Expr& value) {
      out.pattern.columns.push_back(static_cast<std::int64_t>(column));
      out.values.push_back(value);
      there = there || column == row;
    };
    m.pattern.each(row, [&](std::size_t k, std::size_t column) {
      if (column > row && !there) add(row, 0);
      add(column, m.values[k]);
    });
    if (!there) add(row, 0);
    out.pattern.row_start.push_back(static_cast<std::int64_t>(out.values.size()));
  }
  return out;
}

Derived derive(std::span<const Expr> functions, std::span<const Expr> states, const std::vector<InputGroup>& inputs,
               const std::vector<double>& parameters, LinearSolver choice, Diagonal diagonal) {
  SparseMatrix m = sparse_jacobian(functions, states);
  if (diagonal == Diagonal::whole) m = with_whole_diagonal(m);
  const bool sparse = prefers_sparse(m.pattern, choice);
  StagedKernel k = with_parameters({sparse ? OutputGroup::by_columns("jacobian", m) : OutputGroup("jacobian", m)},
                                   inputs, parameters);
  return {std::move(m), std::move(k)};
}

}  // namespace

NumericJacobian::NumericJacobian(std::span<const Expr> functions, std::span<const Expr> states,
                                 const std::vector<InputGroup>& inputs, const std::vector<double>& parameters,
                                 LinearSolver choice, const SundialsContext& context, Diagonal diagonal)
    : kernel_(Program{}, {}), sparse_(false) {
  Derived d = derive(functions, states, inputs, parameters, choice, diagonal);
  pattern_ = d.matrix.pattern;
  columns_ = d.matrix.columns();
  kernel_ = d.kernel;
  values_.resize(pattern_.nonzeros());
  sparse_ = prefers_sparse(pattern_, choice);
  const auto n = static_cast<sunindextype>(states.size());
  VectorHandle v = make_vector(states.size(), context);
  if (sparse_) {
    matrix_ =
        SUNSparseMatrix(n, n, static_cast<sunindextype>(std::max<std::size_t>(1, pattern_.nonzeros() + states.size())),
                        CSC_MAT, context.get());
    solver_ = SUNLinSol_KLU(v.get(), matrix_, context.get());
  } else {
    matrix_ = SUNDenseMatrix(n, n, context.get());
    solver_ = SUNLinSol_Dense(v.get(), matrix_, context.get());
  }
  if (matrix_ == nullptr || solver_ == nullptr) throw std::bad_alloc();
}

NumericJacobian::~NumericJacobian() {
  if (solver_ != nullptr) SUNLinSolFree(solver_);
  if (matrix_ != nullptr) SUNMatDestroy(matrix_);
}

bool NumericJacobian::evaluate(std::span<const double* const> inputs) {
  if (sparse_) {
    by_columns_.resize(values_.size());
    double* out[] = {by_columns_.data()};
    kernel_(inputs, out);
    for (std::size_t k = 0; k < columns_.rows.size(); ++k)
      values_[static_cast<std::size_t>(columns_.entry[k])] = by_columns_[k];
  } else {
    double* out[] = {values_.data()};
    kernel_(inputs, out);
  }
  return std::all_of(values_.begin(), values_.end(), [](double v) { return std::isfinite(v); });
}

bool NumericJacobian::fill(std::span<const double* const> inputs, SUNMatrix target) {
  if (sparse_) {
    // straight into the matrix: the function computes its values by columns
    sunindextype* starts = SUNSparseMatrix_IndexPointers(target);
    sunindextype* rows = SUNSparseMatrix_IndexValues(target);
    double* const entries = SUNSparseMatrix_Data(target);
    for (std::size_t j = 0; j < columns_.column_start.size(); ++j)
      starts[j] = static_cast<sunindextype>(columns_.column_start[j]);
    for (std::size_t k = 0; k < columns_.rows.size(); ++k) rows[k] = static_cast<sunindextype>(columns_.rows[k]);
    double* out[] = {entries};
    kernel_(inputs, out);
    for (std::size_t k = 0; k < columns_.rows.size(); ++k)
      values_[static_cast<std::size_t>(columns_.entry[k])] = entries[k];
    return std::all_of(values_.begin(), values_.end(), [](double v) { return std::isfinite(v); });
  }
  if (!evaluate(inputs)) return false;
  SUNMatZero(target);
  for (std::size_t i = 0; i < pattern_.rows; ++i) {
    for (auto k = static_cast<std::size_t>(pattern_.row_start[i]);
         k < static_cast<std::size_t>(pattern_.row_start[i + 1]); ++k) {
      SM_COLUMN_D(target, static_cast<sunindextype>(pattern_.columns[k]))[i] = values_[k];
    }
  }
  return true;
}

std::string NumericJacobian::description() const {
  return fmt::format("{}, {} by {} with {} nonzeros", sparse_ ? "KLU (sparse)" : "dense LU", pattern_.rows,
                     pattern_.cols, pattern_.nonzeros());
}

}  // namespace boreon
