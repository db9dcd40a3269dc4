// SPDX-License-Identifier: MIT
// A generated function in a Newton's method of your own, with Eigen's dense and sparse matrices.
#include <Eigen/Dense>
#include <Eigen/Sparse>
#include <cstdio>
#include <vector>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

// Residuals and Jacobian of the ion chemistry; by columns it fits both Eigen and SUNDIALS.
struct Problem {
  System system = steady_system(load_model(BOREON_MODELS "/ion_chemistry.toml"));
  SparseMatrix jacobian = sparse_jacobian(system.residuals, system.states);
  std::vector<InputGroup> inputs{{"y", system.states}, {"p", system.parameters}};
  Kernel dense = compile({OutputGroup("f", system.residuals), OutputGroup("j", entries())}, inputs,
                         NativeOptions{.amid_other_work = true});
  Kernel sparse = compile({OutputGroup("f", system.residuals), OutputGroup::by_columns("j", jacobian)}, inputs,
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

double newton_dense(const Problem& p) {
  Eigen::Vector3d y = Eigen::Map<const Eigen::Vector3d>(p.system.start.data());
  Eigen::Vector3d f;
  Eigen::Matrix3d j;
  for (int k = 0; k < 60; ++k) {
    p(y.data(), f.data(), j.data());
    y -= j.partialPivLu().solve(f);
  }
  return y.sum();
}

double newton_sparse(const Problem& p) {
  const SparseMatrix::Columns c = p.jacobian.columns();
  Eigen::VectorXd y = Eigen::Map<const Eigen::VectorXd>(p.system.start.data(), 3);
  Eigen::VectorXd f(3);
  std::vector<double> values(p.jacobian.pattern.nonzeros());
  std::vector<int> starts(c.column_start.begin(), c.column_start.end());
  std::vector<int> rows(c.rows.begin(), c.rows.end());
  for (int k = 0; k < 60; ++k) {
    const double* in[] = {y.data(), p.system.parameter_values.data()};
    double* out[] = {f.data(), values.data()};
    p.sparse(in, out);
    const Eigen::Map<const Eigen::SparseMatrix<double>> j(3, 3, static_cast<Eigen::Index>(values.size()), starts.data(),
                                                          rows.data(), values.data());
    const Eigen::SparseLU<Eigen::SparseMatrix<double>> lu{Eigen::SparseMatrix<double>(j)};
    y -= lu.solve(f);
  }
  return y.sum();
}

}  // namespace

int main() {
  const Problem p;
  const double electrons = solve_steady(p.system).outputs[0];
  const double dense = newton_dense(p);
  const double sparse = newton_sparse(p);
  std::printf("electrons: solve_steady %.10g, dense %.10g, sparse %.10g\n", electrons, dense, sparse);
  return std::abs(dense / electrons - 1) < 1e-9 && std::abs(sparse / electrons - 1) < 1e-9 ? 0 : 1;
}
