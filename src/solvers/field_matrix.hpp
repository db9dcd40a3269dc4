// SPDX-License-Identifier: MIT
// The Jacobian of fields in compressed rows for SUNDIALS, or none where its factors would not fit.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/field_run.hpp"
#include "fields/places.hpp"
#include "solvers/incomplete_factors.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {

/// f(number of the row) for all rows of an equation on a box.
template <class F>
void for_each_row(const FieldBox& box, const FieldBox::Row& row, const F& f) {
  for_each_place(box.from, box.to, [&](std::span<const std::int64_t> place, std::size_t) {
    f(static_cast<std::size_t>(number_at(row.base, row.strides, place)));
  });
}

class FieldMatrix {
 public:
  FieldMatrix(const FieldPlan& plan, const FieldProblem& problem, unsigned threads, bool native,
              const SundialsContext& context);
  ~FieldMatrix();
  FieldMatrix(const FieldMatrix&) = delete;
  FieldMatrix& operator=(const FieldMatrix&) = delete;

  [[nodiscard]] SUNMatrix matrix() const noexcept { return matrix_; }  ///< null: GMRES
  [[nodiscard]] SUNLinearSolver solver() const noexcept { return solver_; }
  [[nodiscard]] std::string description() const;
  /// The Jacobian; false if an entry is not finite.
  [[nodiscard]] bool fill(double time, const double* state, SUNMatrix target) const;
  /// c - J for rows with a rate, -J for the others.
  [[nodiscard]] bool fill_corrector(double time, const double* state, double c, const std::vector<char>& algebraic,
                                    SUNMatrix target) const;

  /// Whether GMRES has incomplete factors to begin with.
  [[nodiscard]] bool preconditioned() const noexcept { return incomplete_.has_value(); }
  /// Those of 1 - c*J, or c - J for rows with a rate and -J for the others. False if there are none.
  [[nodiscard]] bool prepare(double time, const double* state, double c, const std::vector<char>& algebraic);
  /// Those of J.
  [[nodiscard]] bool prepare_jacobian(double time, const double* state);
  /// All entries of J; null without a formula, or where there are too many.
  struct Entries {
    const SparsityPattern* pattern = nullptr;
    const std::vector<double>* values = nullptr;
  };
  [[nodiscard]] Entries entries(double time, const double* state);
  /// Whether products with J can be had along a direction, for GMRES.
  [[nodiscard]] bool has_products() const noexcept { return products_.has_value(); }
  /// J*direction; false if an entry is not finite.
  [[nodiscard]] bool multiply(double time, const double* state, const double* direction, double* product);
  void precondition(const double* right, double* solution) const { incomplete_->solve(right, solution); }

 private:
  const FieldProblem& problem_;
  unsigned threads_;
  std::size_t n_;
  std::optional<FieldKernel> kernel_;
  SparsityPattern pattern_;
  std::optional<FieldKernel> products_;
  std::vector<double> state_and_direction_;
  std::vector<double> values_;
  std::optional<IncompleteFactors> incomplete_;
  SUNMatrix matrix_ = nullptr;
  SUNLinearSolver solver_ = nullptr;
};

}  // namespace boreon
