// SPDX-License-Identifier: MIT
// A generated function in solvers of your own: Ceres.
#include <ceres/problem.h>
#include <ceres/sized_cost_function.h>
#include <ceres/solver.h>

#include <Eigen/Dense>
#include <cstdio>
#include <vector>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

// Residuals and Jacobian of the ion chemistry, by columns as Eigen has them.
struct Problem {
  System system = steady_system(load_model(BOREON_MODELS "/ion_chemistry.toml"));
  std::vector<InputGroup> inputs{{"y", system.states}, {"p", system.parameters}};
  Kernel dense = compile({OutputGroup("f", system.residuals), OutputGroup("j", entries())}, inputs,
                         NativeOptions{.amid_other_work = true});

  // column by column, zeros included
  [[nodiscard]] std::vector<Expr> entries() const {
    std::vector<Expr> all;
    for (const Expr& y : system.states)
      for (const Expr& f : system.residuals) all.push_back(derivative(f, y));
    return all;
  }
  void operator()(const double* y, double* f, double* j) const {
    const double* in[] = {y, system.parameter_values.data()};
    double* out[] = {f, j};
    dense(in, out);
  }
};

// Ceres wants rows: the transpose of the columns.
class Residuals final : public ceres::SizedCostFunction<3, 3> {
 public:
  explicit Residuals(const Problem& p) : p_(p) {}
  bool Evaluate(double const* const* y, double* f, double** jacobians) const override {
    Eigen::Matrix3d j;
    p_(y[0], f, j.data());
    if (jacobians != nullptr && jacobians[0] != nullptr)
      Eigen::Map<Eigen::Matrix<double, 3, 3, Eigen::RowMajor>>{jacobians[0]} = j;
    return true;
  }

 private:
  const Problem& p_;
};

double with_ceres(const Problem& p) {
  std::vector<double> y = p.system.start;
  ceres::Problem problem;
  problem.AddResidualBlock(new Residuals(p), nullptr, y.data());
  ceres::Solver::Options options;
  options.function_tolerance = options.gradient_tolerance = options.parameter_tolerance = 0;
  options.max_num_iterations = 200;
  options.logging_type = ceres::SILENT;
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  return y[0] + y[1] + y[2];
}

}  // namespace

int main() {
  const Problem p;
  const double electrons = solve_steady(p.system).outputs[0];
  const double own = with_ceres(p);
  std::printf("electrons: solve_steady %.10g, Ceres %.10g\n", electrons, own);
  return std::abs(own / electrons - 1) < 1e-9 ? 0 : 1;
}
