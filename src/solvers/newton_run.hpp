// SPDX-License-Identifier: MIT
// A system of equations ready for Newton's method: its functions, its Jacobian, its sizes, and what is verified at a
// point.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "solvers/newton_check.hpp"
#include "solvers/scaling.hpp"
#include "solvers/sundials_support.hpp"

namespace boreon {

/// What is known of a point, unknown by unknown and equation by equation.
struct Verification {
  bool solvable = false;            ///< everything is finite and the Jacobian regular
  std::vector<double> step;         ///< one more Newton step would subtract this
  std::vector<double> corrections;  ///< step, or what rounding does if that is more, relative to the unknown itself
  std::vector<double> residuals;    ///< each relative to the magnitudes of its terms
  std::vector<double> moves;        ///< step alone, relative to the unknown itself

  [[nodiscard]] double worst_correction() const;
  [[nodiscard]] double worst_move() const;
  [[nodiscard]] double worst_residual() const;
  /// Every unknown moves by less than 1e-7 of itself and every equation is fulfilled to 1e-7 of its terms.
  [[nodiscard]] bool is_root() const;
};

class NewtonRun {
 public:
  /// `system` must live as long, and come from checked().
  NewtonRun(const System& system, LinearSolver linear_solver);

  /// After parameter values of the system have changed; sizes stay those of its first start.
  void prepare();

  struct Ending {
    std::vector<double> values;
    SteadyOutcome outcome = SteadyOutcome::stalled;
  };
  /// One run of KINSOL on unknowns and equations divided by their sizes at `start`, within the bounds.
  [[nodiscard]] Ending newton(const std::vector<double>& start, bool line_search, const SteadyOptions& options);

  [[nodiscard]] bool finite(const std::vector<double>& y);
  [[nodiscard]] Verification verify(const std::vector<double>& y);
  [[nodiscard]] Dependence dependence_at(const std::vector<double>& y);
  /// Singular wherever one looks, not just at an unlucky start: the equations themselves are dependent.
  [[nodiscard]] bool dependent_around(std::vector<double> y);
  [[nodiscard]] std::vector<double> outputs(const std::vector<double>& y) const;

  /// Forgets the iterations; the next ones count from `start`.
  void begin(const std::vector<double>& start);
  void record(const std::vector<double>& y);
  [[nodiscard]] const std::vector<Iteration>& iterations() const noexcept { return iterations_; }

  [[nodiscard]] const System& system() const noexcept { return system_; }
  [[nodiscard]] const NumericJacobian& jacobian() const noexcept { return jacobian_; }
  [[nodiscard]] const std::vector<double>& scales() const noexcept { return scale_; }
  [[nodiscard]] const std::vector<double>& reach() const noexcept { return reach_; }
  [[nodiscard]] const std::vector<double>& residuals() const noexcept { return f_; }  ///< at the last point looked at
  /// The last point at which an equation had no finite value, if there was one.
  [[nodiscard]] const std::optional<std::vector<double>>& outside() const noexcept { return outside_; }
  /// "log(x) is nan at x = -2" for such a point.
  [[nodiscard]] std::string fault_at(const std::vector<double>& y) const;

  std::size_t residual_calls = 0;
  std::size_t jacobian_calls = 0;

 private:
  static int residual_callback(N_Vector u, N_Vector f, void* self);
  static int jacobian_callback(N_Vector u, N_Vector f, SUNMatrix j, void* self, N_Vector, N_Vector);
  [[nodiscard]] bool evaluate(const std::vector<double>& y);
  [[nodiscard]] bool fill(const std::vector<double>& y, SUNMatrix target);
  void scale_matrix(SUNMatrix j) const;
  /// Of each unknown: its value, or the part of its scale below which it counts as zero.
  [[nodiscard]] std::vector<double> own_sizes(const std::vector<double>& y) const;
  void take_sizes(const std::vector<double>& y);
  // Coordinates in which a bound is a sign: counted from the lower bound, or downwards from the upper one, in units of
  // the size of the unknown. A bound far beyond that size would cost digits; it only refuses points.
  [[nodiscard]] bool near(double bound, std::size_t i) const;
  [[nodiscard]] bool shifted(std::size_t i) const { return near(system_.lower[i], i); }
  [[nodiscard]] bool mirrored(std::size_t i) const { return !shifted(i) && near(system_.upper[i], i); }
  [[nodiscard]] double to_unit(std::size_t i, double y) const;
  [[nodiscard]] double from_unit(std::size_t i, double u) const;

  const System& system_;
  SundialsContext context_;
  std::vector<InputGroup> inputs_;
  StagedKernel residual_;
  NumericJacobian jacobian_;
  Scaling scaling_;
  std::size_t n_;
  std::vector<double> reach_;  // of the unknowns: how far they may have to go, see Scaling
  std::vector<double>
      scale_;                 // of the unknowns at the start of the system: below a small part of it they count as zero
  std::vector<double> size_;  // of the unknowns in this run
  std::vector<double> weight_;  // of the equations in this run
  std::vector<double> y_;
  std::vector<double> f_;
  std::vector<double> last_;
  std::vector<Iteration> iterations_;
  std::optional<std::vector<double>> outside_;
};

}  // namespace boreon
