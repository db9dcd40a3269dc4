// SPDX-License-Identifier: MIT
#include "own_solvers_by_hand.hpp"

#include "fit_by_hand.hpp"
#include "two_lifetimes_loop.hpp"

namespace bench {

void chain_residuals(const ChargeChain& c, const double* n, double* f) {
  double electrons = 0;
  for (std::size_t i = 0; i < ChargeChain::size; ++i) electrons += n[i];
  double from = 0;
  for (std::size_t i = 0; i < ChargeChain::size; ++i) {
    const double on = c.b[i] * n[i];
    f[i] = c.q[i] + from - on - c.a[i] * n[i] * electrons;
    from = on;
  }
}

void chain_jacobian(const ChargeChain& c, const double* n, double* j) {
  constexpr std::size_t m = ChargeChain::size;
  double electrons = 0;
  for (std::size_t i = 0; i < m; ++i) electrons += n[i];
  double loss[m];
  for (std::size_t i = 0; i < m; ++i) loss[i] = -c.a[i] * n[i];
  for (std::size_t k = 0; k < m; ++k) {
    for (std::size_t i = 0; i < m; ++i) j[k * m + i] = loss[i];
    j[k * m + k] -= c.b[k] + c.a[k] * electrons;
    if (k + 1 < m) j[k * m + k + 1] += c.b[k];
  }
}

void line_residuals(const LossyLine& l, const double* u, double* f) {
  const std::size_t n = l.size;
  f[0] = l.d * (l.end - 2 * u[0] + u[1]) + l.q - l.a * u[0] * u[0];
  for (std::size_t i = 1; i + 1 < n; ++i) f[i] = l.d * (u[i - 1] - 2 * u[i] + u[i + 1]) + l.q - l.a * u[i] * u[i];
  f[n - 1] = l.d * (u[n - 2] - 2 * u[n - 1] + l.end) + l.q - l.a * u[n - 1] * u[n - 1];
}

void line_jacobian(const LossyLine& l, const double* u, double* entries) {
  const std::size_t n = l.size;
  std::size_t k = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (i > 0) entries[k++] = l.d;
    entries[k++] = -2 * l.d - 2 * l.a * u[i];
    if (i + 1 < n) entries[k++] = l.d;
  }
}

void two_lifetimes_strict(std::size_t rows, const double* x, const double* t, const double* y, double* r, double* j) {
  two_lifetimes_loop(rows, x, t, y, r, j);
}

}  // namespace bench
