// SPDX-License-Identifier: MIT
// Owning handles for SUNDIALS objects, and the Jacobian in either storage.
#pragma once

#include <nvector/nvector_serial.h>
#include <sundials/sundials_context.h>
#include <sundials/sundials_linearsolver.h>
#include <sundials/sundials_matrix.h>

#include <memory>
#include <string>
#include <vector>

#include "boreon/calculus.hpp"
#include "boreon/native.hpp"
#include "boreon/solvers.hpp"

namespace boreon {

class SundialsContext {
 public:
  SundialsContext();
  ~SundialsContext();
  SundialsContext(const SundialsContext&) = delete;
  SundialsContext& operator=(const SundialsContext&) = delete;
  [[nodiscard]] SUNContext get() const noexcept { return context_; }

 private:
  SUNContext context_ = nullptr;
};

struct VectorDelete {
  void operator()(N_Vector v) const { N_VDestroy(v); }
};
using VectorHandle = std::unique_ptr<std::remove_pointer_t<N_Vector>, VectorDelete>;
[[nodiscard]] VectorHandle make_vector(std::size_t n, const SundialsContext& context);
[[nodiscard]] inline double* data(N_Vector v) { return N_VGetArrayPointer(v); }
[[nodiscard]] inline double* data(const VectorHandle& v) { return N_VGetArrayPointer(v.get()); }

/// A numeric function whose parameters (group "p") have these values during a whole run.
[[nodiscard]] StagedKernel with_parameters(const std::vector<OutputGroup>& outputs,
                                           const std::vector<InputGroup>& inputs,
                                           const std::vector<double>& parameters);
/// Why a function is not finite: the first subexpression that leaves its domain, with its operands; empty if it is
/// finite.
[[nodiscard]] std::string fault(const std::vector<Expr>& functions, const std::vector<InputGroup>& inputs,
                                const std::vector<std::vector<double>>& values);

/// Whether a Jacobian has an entry for each place of its diagonal, also where it is 0. Implicit steps in time need I -
/// c*J; where J lacks a place, SUNDIALS makes room for it at every step, which takes longer than the step.
enum class Diagonal { as_derived, whole };

/// The derived Jacobian of a square system as a numeric function that fills a SUNDIALS matrix, dense or in compressed
/// columns, with the linear solver that goes with it.
class NumericJacobian {
 public:
  NumericJacobian(std::span<const Expr> functions, std::span<const Expr> states, const std::vector<InputGroup>& inputs,
                  const std::vector<double>& parameters, LinearSolver choice, const SundialsContext& context,
                  Diagonal diagonal = Diagonal::as_derived);
  ~NumericJacobian();
  NumericJacobian(const NumericJacobian&) = delete;
  NumericJacobian& operator=(const NumericJacobian&) = delete;

  /// For other values of the parameters than those at construction.
  void prepare(std::span<const double* const> inputs) { kernel_.prepare(inputs); }
  /// Computes values(); false if one is not finite.
  [[nodiscard]] bool evaluate(std::span<const double* const> inputs);
  /// Fills the matrix; false if an entry is not finite.
  [[nodiscard]] bool fill(std::span<const double* const> inputs, SUNMatrix target);
  [[nodiscard]] SUNMatrix matrix() const noexcept { return matrix_; }
  [[nodiscard]] SUNLinearSolver solver() const noexcept { return solver_; }
  [[nodiscard]] bool sparse() const noexcept { return sparse_; }
  [[nodiscard]] const SparsityPattern& pattern() const noexcept { return pattern_; }
  /// Values in the order of the pattern, after fill() or evaluate().
  [[nodiscard]] const std::vector<double>& values() const noexcept { return values_; }
  [[nodiscard]] std::string description() const;

 private:
  SparsityPattern pattern_;
  SparseMatrix::Columns columns_;
  StagedKernel kernel_;
  std::vector<double> values_;
  std::vector<double> by_columns_;
  bool sparse_;
  SUNMatrix matrix_ = nullptr;
  SUNLinearSolver solver_ = nullptr;
};

}  // namespace boreon
