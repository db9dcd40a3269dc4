// SPDX-License-Identifier: MIT
// Numeric functions as machine code in a solver of one's own: an implicit step of plasma diffusing along a field line
// with recombination, its products with derivatives without a matrix, and a rate coefficient at many altitudes at once.
#include <Eigen/SparseLU>
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"
#include "boreon/native.hpp"

using namespace boreon;

int main() {
  constexpr int cells = 3000;
  const Symbol D("D"), alpha("alpha");
  std::vector<Expr> n, q, rate;
  for (int i = 0; i < cells; ++i) {
    n.push_back(Symbol("n" + std::to_string(i)));
    q.push_back(
        Symbol("q" + std::to_string(i)));  // what differs from cell to cell is an input, so that all rows are one shape
  }
  for (int i = 0; i < cells; ++i) {
    Expr r = q[i] - alpha * n[i] * n[i];  // precipitation, recombination
    if (i > 0) r += D * (n[i - 1] - n[i]);
    if (i + 1 < cells) r += D * (n[i + 1] - n[i]);
    rate.push_back(r);
  }
  const SparseMatrix J = sparse_jacobian(rate, n);
  const std::vector<InputGroup> inputs{{"n", n}, {"p", {D, alpha}}, {"q", q}};
  const Kernel f = compile({OutputGroup("rate", rate), OutputGroup::by_columns("jacobian", J)}, inputs,
                           NativeOptions{.expected_calls = 1e4});
  std::printf("%s: %zu equations, loops over rows: %zu, %zu operations a call\n", f.method().c_str(), n.size(),
              f.program().loops.size(), f.program().operation_count());

  // Newton's method for an implicit Euler step; the Kernel writes the values of Eigen's matrix where they stand.
  const auto columns = J.columns();
  Eigen::SparseMatrix<double> matrix(cells, cells);
  std::vector<Eigen::Triplet<double>> places;
  for (int c = 0; c < cells; ++c) {
    for (auto k = columns.column_start[c]; k < columns.column_start[c + 1]; ++k)
      places.emplace_back(columns.rows[k], c, 1.0);
  }
  matrix.setFromTriplets(places.begin(), places.end());
  Eigen::SparseMatrix<double> identity(cells, cells);
  identity.setIdentity();
  const Eigen::VectorXd start = Eigen::VectorXd::Constant(cells, 0.1);
  Eigen::VectorXd now = start;
  Eigen::VectorXd value(cells);
  const std::vector<double> p{40, 0.3};
  std::vector<double> profile(cells);
  for (int i = 0; i < cells; ++i) profile[static_cast<std::size_t>(i)] = 2 * std::exp(-i / 500.0);
  const double dt = 0.05;
  Eigen::SparseLU<Eigen::SparseMatrix<double>> lu;
  double step = 1;
  for (int iteration = 1; iteration <= 20 && step > 1e-12; ++iteration) {
    const double* in[] = {now.data(), p.data(), profile.data()};
    double* out[] = {value.data(), matrix.valuePtr()};
    f(in, out);
    const Eigen::SparseMatrix<double> system = identity - dt * matrix;
    lu.compute(system);
    const Eigen::VectorXd change = lu.solve(dt * value + start - now);
    now += change;
    step = change.lpNorm<Eigen::Infinity>();
    std::printf("  iteration %d: largest change %.1e\n", iteration, step);
  }

  // J v and w J without a matrix, derived on the program; loops over rows stay loops.
  const Program program = make_program(std::vector<OutputGroup>{{"rate", rate}}, inputs);
  const Kernel forward = native_kernel(jacobian_vector(program, "rate", "n"));
  const Kernel backward = native_kernel(vector_jacobian(program, "rate", "p"));
  Eigen::VectorXd v(cells);
  for (int i = 0; i < cells; ++i) v[i] = std::sin(0.01 * i);
  const std::vector<double> at(now.begin(), now.end());
  const auto product = forward.evaluate({at, p, profile, {v.begin(), v.end()}})[1];
  const double* in[] = {now.data(), p.data(), profile.data()};
  double* out[] = {value.data(), matrix.valuePtr()};
  f(in, out);
  const Eigen::VectorXd with_matrix = matrix * v;
  double worst = 0;
  for (int i = 0; i < cells; ++i)
    worst = std::max(worst, std::abs(product[static_cast<std::size_t>(i)] - with_matrix[i]));
  std::printf("J v with and without the matrix differ by %.1e\n", worst);
  const auto total = backward.evaluate({at, p, profile, std::vector<double>(cells, 1.0)})[1];
  std::printf("derivatives of the sum of all rates by D and alpha: %.2g, %.6g; the latter is -sum(n^2) = %.6g\n",
              total[0], total[1], -now.squaredNorm());

  // A rate coefficient at 1000 altitudes in two threads: temperatures side by side, one set of parameters for all.
  const Symbol T("T"), E("E");
  const Kernel k = compile({OutputGroup("k", std::vector<Expr>{alpha * sqrt(Expr(300) / T) * exp(-E / T)})},
                           {{"T", {T}}, {"p", {alpha, E}}}, NativeOptions{});
  std::vector<double> temperature(1000), coefficient(1000);
  for (std::size_t i = 0; i < 1000; ++i) temperature[i] = 200 + 0.8 * static_cast<double>(i);
  const double of_reaction[] = {4.2e-13, 320};
  k.many(1000, std::vector<PointsIn>{{temperature.data(), 1000, 1}, {of_reaction, 1, 0}},
         std::vector<PointsOut>{{coefficient.data(), 1000, 1}}, 2);
  const double last = 4.2e-13 * std::sqrt(300 / temperature[999]) * std::exp(-320 / temperature[999]);
  std::printf("k(%.0f K) = %.4e\n", temperature[999], coefficient[999]);
  // A cross section that is known at points, and C++ code with its derivative, in one equation.
  const NumericFunction sigma =
      table_function("sigma", {0, 1, 2, 4, 8, 16, 32}, {0, 0.1, 0.4, 0.9, 1.2, 1.0, 0.6}, TableCurve::monotone);
  const NumericFunction loss("loss",
                             {[](double energy) { return energy / std::cosh(energy); },
                              [](double energy) { return (1 - energy * std::tanh(energy)) / std::cosh(energy); }},
                             {0, 50});
  const Expr balance = sigma(E) * (5 - E) - loss(E);
  const Kernel g = compile({OutputGroup("g", {balance, derivative(balance, E)})}, {{"E", {E}}}, NativeOptions{});
  double energy = 4.5;
  for (int i = 0; i < 20; ++i) {
    const auto slope = g.evaluate({{energy}})[0];
    energy -= slope[0] / slope[1];
  }
  const double left = g.evaluate({{energy}})[0][0];
  std::printf("%s = 0 at E = %.10g, left %.1e\n", to_text(balance).c_str(), energy, left);
  return std::abs(left) < 1e-14 && step < 1e-12 && worst < 1e-9 && std::abs(coefficient[999] / last - 1) < 1e-14 ? 0
                                                                                                                 : 1;
}
