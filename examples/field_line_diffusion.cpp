// SPDX-License-Identifier: MIT
// A large sparse system built in plain C++: diffusion along a field line with reactions, cell by cell. Shows the sparse
// Jacobian, its pattern, and generic numeric code running on expressions.
#include <Eigen/Dense>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

// Generic code written for numbers, templated on its scalar: it accepts expressions as well.
template <class T>
T flux(const T& left, const T& right, const T& width) {
  using std::exp;
  return (left - right) / width * exp(-(left + right) / 20);
}

int main() {
  constexpr int cells = 2000;
  const Symbol h("h", {Assumption::positive}), loss("loss");
  std::vector<Expr> n, rate;
  for (int i = 0; i < cells; ++i) n.push_back(Symbol("n" + std::to_string(i)));
  for (int i = 0; i < cells; ++i) {
    Expr r = -loss * n[i] * n[i];
    if (i > 0) r += flux<Expr>(n[i - 1], n[i], h) / h;
    if (i + 1 < cells) r -= flux<Expr>(n[i], n[i + 1], h) / h;
    rate.push_back(r);
  }
  const SparseMatrix J = sparse_jacobian(rate, n);
  std::printf("%zu by %zu, %zu nonzeros\n", J.pattern.rows, J.pattern.cols, J.pattern.nonzeros());
  std::printf("middle row, left of the diagonal:\n%s\n", to_unicode(J.values[3 * 1000 - 1]).c_str());

  const Kernel kernel = compile({OutputGroup("rate", rate), OutputGroup("jacobian", J)}, {{"n", n}, {"p", {h, loss}}});
  std::vector<double> start(cells);
  for (int i = 0; i < cells; ++i) start[static_cast<std::size_t>(i)] = 1 + std::exp(-1e-4 * (i - 700.0) * (i - 700.0));
  const auto values = kernel.evaluate({start, {0.01, 0.3}});

  // Compare with the same generic code run on doubles.
  double worst = 0;
  for (int i = 1; i + 1 < cells; ++i) {
    const auto k = static_cast<std::size_t>(i);
    const double r = -0.3 * start[k] * start[k] + flux(start[k - 1], start[k], 0.01) / 0.01 -
                     flux(start[k], start[k + 1], 0.01) / 0.01;
    worst = std::max(worst, std::abs(values[0][k] - r) / (1 + std::abs(r)));
  }
  std::printf("%zu operations a call, %zu registers; largest difference to plain doubles %.1e\n",
              kernel.program().operation_count(), kernel.workspace_size(), worst);
  return worst < 1e-12 ? 0 : 1;
}
