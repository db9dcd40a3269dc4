// SPDX-License-Identifier: MIT
// What a fit makes small: weighted residuals of all measurements with their derivatives by the unknowns.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "boreon/least_squares.hpp"

namespace boreon {

class FitResiduals {
 public:
  virtual ~FitResiduals() = default;
  FitResiduals(const FitResiduals&) = delete;
  FitResiduals& operator=(const FitResiduals&) = delete;

  [[nodiscard]] std::size_t count() const noexcept { return count_; }
  [[nodiscard]] std::size_t left_out() const noexcept { return left_out_; }
  [[nodiscard]] std::size_t unknowns() const noexcept { return problem_.unknowns.size(); }
  [[nodiscard]] const FitProblem& problem() const noexcept { return problem_; }

  /// Residuals r[count()] and, unless null, their Jacobian by rows, count() by unknowns(). Losses are applied: a
  /// residual r of a robust target becomes the root of its loss, with the sign of r. False if a number is not finite.
  [[nodiscard]] bool evaluate(std::span<const double> x, double* r, double* jacobian);
  /// Runs only to some six digits, for the way to a minimum; its end needs all.
  virtual void set_coarse(bool) {}
  /// Sum of squares; infinite where evaluate() fails.
  [[nodiscard]] double cost(std::span<const double> x);
  /// Why it fails: the row and the subexpression.
  [[nodiscard]] virtual std::string fault(std::span<const double> x) = 0;
  /// How much one evaluation with derivatives costs, in additions and multiplications.
  [[nodiscard]] virtual double work() const = 0;
  /// Unknowns in which all residuals are linear together.
  [[nodiscard]] virtual std::vector<std::size_t> linear_unknowns() const = 0;

  /// The rows of a target that take part, and the place of its first residual.
  struct Rows {
    std::vector<std::size_t> rows;
    std::size_t first = 0;
    std::vector<double> deviation;  // of each
  };
  [[nodiscard]] const std::vector<Rows>& targets() const noexcept { return targets_; }

  /// What was measured of a target, row by row of the data.
  [[nodiscard]] const std::vector<double>& measured(std::size_t target) const {
    return problem_.data.columns[*problem_.data.find(problem_.targets[target].measured)];
  }

  /// The deviation that counts as 1 for the robust loss.
  void set_robust_scale(double scale) noexcept { robust_scale_ = scale; }
  [[nodiscard]] double robust_scale() const noexcept { return robust_scale_; }
  void set_losses(bool on) noexcept { losses_ = on; }

 protected:
  explicit FitResiduals(const FitProblem& problem);
  [[nodiscard]] virtual bool plain(std::span<const double> x, double* r, double* jacobian) = 0;
  /// "in row 3 (line 4 of decay.csv)".
  [[nodiscard]] std::string place(const Rows& rows, std::size_t residual) const;

  const FitProblem& problem_;
  std::vector<Rows> targets_;

 private:
  void choose_rows();
  void check_deviations(std::size_t target);
  std::size_t count_ = 0;
  std::size_t left_out_ = 0;
  double robust_scale_ = 1;
  bool losses_ = true;
};

/// (model - measured)/deviation, in symbols.
[[nodiscard]] Expr weighted(const FitTarget& target);
/// The columns of the data that occur in expressions, in the order of the data.
[[nodiscard]] std::vector<std::size_t> columns_in(const FitProblem& problem, std::span<const Expr> expressions);

/// Those that a model needs: in its formula, and in the equations of steady states.
[[nodiscard]] std::vector<std::size_t> columns_of_model(const FitProblem& problem, const FitTarget& target);

/// Of steady states, one for each row.
[[nodiscard]] std::unique_ptr<FitResiduals> steady_residuals(const FitProblem& problem);
/// Of a table, a run in time, or steady states. The problem must live as long. Throws as fit() does.
[[nodiscard]] std::unique_ptr<FitResiduals> residuals_of(const FitProblem& problem, unsigned threads);

}  // namespace boreon
