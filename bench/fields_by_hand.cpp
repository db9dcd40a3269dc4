// SPDX-License-Identifier: MIT
#include "fields_by_hand.hpp"

#include <algorithm>

namespace bench {

void three_points(std::int64_t n, const double* __restrict u, double d, double* __restrict f) {
  f[0] = f[n - 1] = 0;
  for (std::int64_t i = 1; i < n - 1; ++i) f[i] = d * (u[i - 1] - 2 * u[i] + u[i + 1]);
}

void five_points(std::int64_t n, const double* __restrict u, double d, double* __restrict f) {
  std::fill(f, f + n, 0.0);
  for (std::int64_t i = 1; i < n - 1; ++i) {
    const double* c = u + i * n;
    double* to = f + i * n;
    to[0] = to[n - 1] = 0;
    for (std::int64_t j = 1; j < n - 1; ++j) to[j] = d * (c[j - n] + c[j + n] + c[j - 1] + c[j + 1] - 4 * c[j]);
  }
  std::fill(f + (n - 1) * n, f + n * n, 0.0);
}

void nine_points(std::int64_t n, const double* __restrict u, double d, double* __restrict f) {
  std::fill(f, f + n, 0.0);
  for (std::int64_t i = 1; i < n - 1; ++i) {
    const double* c = u + i * n;
    double* to = f + i * n;
    to[0] = to[n - 1] = 0;
    for (std::int64_t j = 1; j < n - 1; ++j) {
      to[j] = d * (4 * (c[j - n] + c[j + n] + c[j - 1] + c[j + 1]) +
                   (c[j - n - 1] + c[j - n + 1] + c[j + n - 1] + c[j + n + 1]) - 20 * c[j]);
    }
  }
  std::fill(f + (n - 1) * n, f + n * n, 0.0);
}

void seven_points(std::int64_t n, const double* __restrict u, double d, double* __restrict f) {
  const std::int64_t plane = n * n;
  std::fill(f, f + plane, 0.0);
  for (std::int64_t i = 1; i < n - 1; ++i) {
    std::fill(f + i * plane, f + i * plane + n, 0.0);
    for (std::int64_t j = 1; j < n - 1; ++j) {
      const double* c = u + (i * n + j) * n;
      double* to = f + (i * n + j) * n;
      to[0] = to[n - 1] = 0;
      for (std::int64_t k = 1; k < n - 1; ++k)
        to[k] = d * (c[k - plane] + c[k + plane] + c[k - n] + c[k + n] + c[k - 1] + c[k + 1] - 6 * c[k]);
    }
    std::fill(f + (i + 1) * plane - n, f + (i + 1) * plane, 0.0);
  }
  std::fill(f + (n - 1) * plane, f + n * plane, 0.0);
}

void fourth_order(std::int64_t n, const double* __restrict u, double d, double* __restrict f) {
  std::fill(f, f + 2 * n, 0.0);
  for (std::int64_t i = 2; i < n - 2; ++i) {
    const double* c = u + i * n;
    double* to = f + i * n;
    to[0] = to[1] = to[n - 2] = to[n - 1] = 0;
    for (std::int64_t j = 2; j < n - 2; ++j) {
      to[j] = d * (16 * (c[j - n] + c[j + n] + c[j - 1] + c[j + 1]) -
                   (c[j - 2 * n] + c[j + 2 * n] + c[j - 2] + c[j + 2]) - 60 * c[j]);
    }
  }
  std::fill(f + (n - 2) * n, f + n * n, 0.0);
}

double lattice_energy(std::int64_t n, const double* __restrict u, double a, double b) {
  double total = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    const double* c = u + i * n;
    const double* below = u + (i + 1 == n ? 0 : i + 1) * n;
    double line = 0;
    const auto at = [&](std::int64_t j, std::int64_t right) {
      const double x = c[j];
      const double p = c[right] - x;
      const double q = below[j] - x;
      return a * x * x * x * x + b * (p * p + q * q);
    };
#pragma GCC ivdep
    for (std::int64_t j = 0; j < n - 1; ++j) line += at(j, j + 1);
    total += line + at(n - 1, 0);
  }
  return total;
}

void lattice_gradient(std::int64_t n, const double* __restrict u, double a, double b, double* __restrict g) {
  for (std::int64_t i = 0; i < n; ++i) {
    const double* c = u + i * n;
    const double* below = u + (i + 1 == n ? 0 : i + 1) * n;
    const double* above = u + (i == 0 ? n - 1 : i - 1) * n;
    double* to = g + i * n;
    const auto at = [&](std::int64_t j, std::int64_t left, std::int64_t right) {
      const double x = c[j];
      return 4 * a * x * x * x + 2 * b * (4 * x - c[left] - c[right] - above[j] - below[j]);
    };
    to[0] = at(0, n - 1, 1);
    for (std::int64_t j = 1; j < n - 1; ++j) to[j] = at(j, j - 1, j + 1);
    to[n - 1] = at(n - 1, n - 2, 0);
  }
}

void scaled(std::int64_t n, const double* __restrict from, double q, double* __restrict to) {
  for (std::int64_t i = 0; i < n; ++i) to[i] = q * from[i];
}

}  // namespace bench
