// SPDX-License-Identifier: MIT
// An optimisation problem as numeric functions: objective, constraints, and their first and second derivatives.
#pragma once

#include <string>
#include <vector>

#include "boreon/native.hpp"
#include "boreon/optimisation.hpp"
#include "boreon/sparse_matrix.hpp"

namespace boreon {

/// Lists completed and compared, names filled in, starts inside the bounds (a start outside is moved). Throws as
/// optimise() does.
[[nodiscard]] OptimisationProblem completed(const OptimisationProblem& problem);

/// Unknowns, bounds and parameters of a problem as a system, without residuals and outputs.
[[nodiscard]] System unknowns_of(const OptimisationProblem& problem);

class SmoothProblem {
 public:
  /// `problem` comes from completed() and must live as long. The objective is made negative if it is to be greatest.
  explicit SmoothProblem(const OptimisationProblem& problem);

  [[nodiscard]] const OptimisationProblem& given() const noexcept { return problem_; }
  [[nodiscard]] std::size_t unknowns() const noexcept { return problem_.unknowns.size(); }
  [[nodiscard]] std::size_t constraints() const noexcept { return problem_.constraints.size(); }
  [[nodiscard]] const Expr& objective() const noexcept { return objective_; }  ///< to be least
  [[nodiscard]] const std::vector<Expr>& constraint_values() const noexcept { return constraints_; }
  /// A symbol for the multiplier of a constraint, of a name that the problem does not have.
  [[nodiscard]] const Expr& multiplier(std::size_t constraint) const { return weights_[constraint + 1]; }
  [[nodiscard]] const SparsityPattern& jacobian_pattern() const noexcept { return jacobian_pattern_; }
  [[nodiscard]] const SparsityPattern& hessian_pattern() const noexcept {
    return hessian_pattern_;
  }  ///< both triangles

  // Each false if a value is not finite. Values in the order of the patterns.
  [[nodiscard]] bool value(const double* x, double& f, double* constraints) const;
  [[nodiscard]] bool slopes(const double* x, double* gradient, double* jacobian) const;
  /// Of weight*objective + sum of multipliers*constraints.
  [[nodiscard]] bool curvature(const double* x, double weight, const double* multipliers, double* hessian) const;
  /// The slopes of objective + sum of multipliers*constraints and that Hessian, right to the last bit by ball arithmetic;
  /// false where that is not possible or too many (more than 60 unknowns).
  [[nodiscard]] bool exactly(const std::vector<double>& x, const std::vector<double>& multipliers,
                             std::vector<double>& slopes, std::vector<double>& hessian) const;
  /// Sums of the magnitudes of the terms: what rounding is measured by.
  void magnitudes(const double* x, double& f, double* constraints) const;
  /// "log(x) is nan at x = -2"; empty if there is a value.
  [[nodiscard]] std::string fault_at(const std::vector<double>& x) const;

  /// Sizes of unknowns, and of objective and constraints by how much they change over those; all positive.
  struct Sizes {
    std::vector<double> unknowns;
    double objective = 1;
    std::vector<double> constraints;
  };
  /// An unknown that is next to nothing beside its size in `usual` has that one.
  [[nodiscard]] Sizes sizes_at(const std::vector<double>& x, const Sizes* usual = nullptr) const;

 private:
  const OptimisationProblem& problem_;
  Expr objective_;
  std::vector<Expr> constraints_;
  std::vector<Expr> weights_;
  SparsityPattern jacobian_pattern_;
  SparsityPattern hessian_pattern_;
  std::vector<InputGroup> inputs_;
  StagedKernel value_;
  StagedKernel slope_;
  StagedKernel curvature_;
  StagedKernel magnitude_;
};

}  // namespace boreon
