// SPDX-License-Identifier: MIT
// Runs in time together with their derivatives by parameters and start values: forward, all along the run, and adjoint,
// of one value at its end.
#pragma once

#include <functional>
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
  /// `system` comes from checked() and must live as long. Absolute tolerance 0: by the sizes of the states.
  RunDerivatives(const System& system, std::vector<RunInput> by, double relative_tolerance, double absolute_tolerance);

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
  /// Visits the times, which rise and are not before the start. What stopped the run, or an empty text.
  [[nodiscard]] std::string forward(const Point& at, const std::vector<double>& times, bool derivatives,
                                    const Visit& visit);

  /// The gradient of a value at the end: `end_slope` is its derivative by the states there. Empty text, or what went
  /// wrong.
  [[nodiscard]] std::string adjoint(const Point& at, double until, const std::vector<double>& end_slope,
                                    std::vector<double>& gradient);

  struct Counts {
    long right_sides = 0;
    long sensitivity_right_sides = 0;
    long backward_right_sides = 0;
  };
  [[nodiscard]] const Counts& counts() const noexcept { return counts_; }

 private:
  static int right_side_callback(double t, N_Vector y, N_Vector f, void* self);
  static int jacobian_callback(double t, N_Vector y, N_Vector f, SUNMatrix j, void* self, N_Vector, N_Vector, N_Vector);
  static int slopes_callback(int count, double t, N_Vector y, N_Vector f, N_Vector* s, N_Vector* slope, void* self,
                             N_Vector, N_Vector);
  static int backward_callback(double t, N_Vector y, N_Vector l, N_Vector slope, void* self);
  static int backward_jacobian_callback(double t, N_Vector y, N_Vector l, N_Vector f, SUNMatrix j, void* self, N_Vector,
                                        N_Vector, N_Vector);
  static int integrand_callback(double t, N_Vector y, N_Vector l, N_Vector q, void* self);
  void prepare(const Point& at, double until);
  void initialise(void* mem, const VectorHandle& y);
  [[nodiscard]] bool evaluate(double t, const double* y, double* f) const;
  [[nodiscard]] bool evaluate_by_parameters(double t, const double* y);
  [[nodiscard]] std::string describe(int flag, double reached, const double* y) const;

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
  Counts counts_;
  long most_steps_ = 500000;

 public:
  RunDerivatives(const RunDerivatives&) = delete;
  RunDerivatives& operator=(const RunDerivatives&) = delete;
  ~RunDerivatives();
};

}  // namespace boreon
