// SPDX-License-Identifier: MIT
// Runs in time together with their derivatives by parameters and start values: forward, all along the run, and adjoint,
// of one value at its end.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "solvers/sundials_support.hpp"

namespace boreon {

/// What a run is derived by: a parameter of its system, or the start of one of its states.
struct RunInput {
  bool start = false;
  std::size_t index = 0;
};

class RunDerivatives {
 public:
  RunDerivatives(const RunDerivatives&) = delete;
  RunDerivatives& operator=(const RunDerivatives&) = delete;
  virtual ~RunDerivatives();

  struct Point {
    std::vector<double> start;
    std::vector<double> parameters;
    double from = 0;
  };
  /// One value of the run at a time: y, and dy/d(input) of each input (null pointers without derivatives).
  using Visit = std::function<void(std::size_t k, const double* y, const std::vector<const double*>& slopes)>;
  void set_tolerance(double relative) noexcept { relative_ = relative; }
  /// More steps than these end a run: a search that tries parameters has no use for runs that crawl.
  void limit_steps(long most) noexcept { most_steps_ = most; }
  /// Visits the times, which rise and are not before the start, twice where the first run shows that integrals over
  /// time are smaller than was thought. What stopped the run, or an empty text.
  [[nodiscard]] std::string forward(const Point& at, const std::vector<double>& times, bool derivatives,
                                    const Visit& visit);

  /// The derivatives of a value at the end: by the states there, and by the inputs where it contains parameters that
  /// determine algebraic states. `end_slope` are those by the states. Empty text, or what went wrong.
  [[nodiscard]] virtual std::string adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                                            std::vector<double>& gradient) = 0;

  struct Counts {
    long right_sides = 0;
    long sensitivity_right_sides = 0;
    long backward_right_sides = 0;
  };
  [[nodiscard]] const Counts& counts() const noexcept { return counts_; }

 protected:
  /// `functions` are those whose Jacobian the corrector of the solver needs; the symbol _rate in them is its c.
  RunDerivatives(const System& system, std::vector<RunInput> by, double relative_tolerance, double absolute_tolerance,
                 const std::vector<Expr>& functions);

  [[nodiscard]] virtual std::string run(const Point& at, const std::vector<double>& times, bool derivatives,
                                        const Visit& visit) = 0;
  void prepare(const Point& at, double until);
  /// The right sides; false where one is not finite.
  [[nodiscard]] bool evaluate(double t, const double* y, double* f) const;
  [[nodiscard]] bool evaluate_by_parameters(double t, const double* y);
  [[nodiscard]] bool evaluate_jacobian(double t, const double* y, double c = 0);
  /// The same into a matrix of the solver.
  [[nodiscard]] bool fill_jacobian(double t, const double* y, double c, SUNMatrix matrix);
  /// J*s + df/d(input), and J^T*l, with what was evaluated last.
  void along_inputs(N_Vector* s, N_Vector* slopes, std::size_t count) const;
  void transposed(const double* l, double* product) const;
  /// l^T df/d(parameter) for each parameter among the inputs.
  void along_parameters(const double* l, double* product) const;
  /// A matrix for J^T with its linear solver, made at the first call; fill_transposed() fills it with a multiple.
  void make_transposed();
  void fill_transposed(double factor, SUNMatrix matrix) const;
  [[nodiscard]] bool is_algebraic(std::size_t i) const {
    return !system_.algebraic.empty() && system_.algebraic[i] != 0;
  }
  [[nodiscard]] std::string describe(bool too_much_work, int flag, double reached, const double* y) const;
  /// The derivatives at the start: of states by their own start.
  struct Slopes {
    std::vector<VectorHandle> vectors;
    std::vector<N_Vector> handles;
    std::vector<double> sizes;  // of the inputs
    std::vector<const double*> values;
  };
  [[nodiscard]] Slopes slopes_at_start(const Point& at) const;
  /// Charges the budget of work for the steps of a run since the last call with the same `charged`.
  void charge(long steps, long& charged, std::size_t derivatives) const;
  /// What is small for the adjoint of a value, by state: the slopes at the end against the states they belong to.
  [[nodiscard]] std::vector<double> backward_tolerances(const std::vector<double>& end_slope, const double* end,
                                                        double& value) const;

  const System& system_;
  std::vector<RunInput> by_;
  double relative_;
  double absolute_;
  std::size_t n_;
  SundialsContext context_;
  std::vector<InputGroup> inputs_;
  StagedKernel right_side_;
  NumericJacobian jacobian_;
  SparsityPattern by_parameters_;  // rows by right side, columns by the parameters among the inputs
  StagedKernel by_parameters_kernel_;
  std::vector<double> by_parameters_values_;
  std::vector<std::size_t> parameter_inputs_;  // which inputs they are
  SUNMatrix transposed_ = nullptr;
  SUNLinearSolver transposed_solver_ = nullptr;
  Point at_;
  std::vector<double> tolerances_;
  std::vector<double> sizes_;  // of integrals over time, once a run has shown them
  Counts counts_;
  long most_steps_ = 500000;
};

/// `system` comes from checked() and must live as long. Absolute tolerance 0: by the sizes of the states. Through
/// CVODES, or IDAS where some states have an equation instead of a rate; the starts of such states are guesses, on
/// which nothing depends.
[[nodiscard]] std::unique_ptr<RunDerivatives> run_derivatives(const System& system, std::vector<RunInput> by,
                                                              double relative_tolerance, double absolute_tolerance);
[[nodiscard]] std::unique_ptr<RunDerivatives> derivatives_of_rates(const System& system, std::vector<RunInput> by,
                                                                   double relative_tolerance,
                                                                   double absolute_tolerance);
[[nodiscard]] std::unique_ptr<RunDerivatives> derivatives_with_algebra(const System& system, std::vector<RunInput> by,
                                                                       double relative_tolerance,
                                                                       double absolute_tolerance);

}  // namespace boreon
