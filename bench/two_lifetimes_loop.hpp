// SPDX-License-Identifier: MIT
// The loop of fit_by_hand.hpp, for each set of flags that it is compiled with: static, so that the linker keeps both.
#pragma once

#include <cmath>
#include <cstddef>

namespace bench {

static inline void two_lifetimes_loop(std::size_t rows, const double* __restrict x, const double* __restrict t,
                                      const double* __restrict y, double* __restrict r, double* __restrict j) {
  const double a1 = x[0], k1 = 1 / x[1], a2 = x[2], k2 = 1 / x[3], c = x[4];
  for (std::size_t i = 0; i < rows; ++i) {
    const double e1 = std::exp(-t[i] * k1);
    const double e2 = std::exp(-t[i] * k2);
    r[i] = a1 * e1 + a2 * e2 + c - y[i];
    j[5 * i] = e1;
    j[5 * i + 1] = a1 * e1 * t[i] * k1 * k1;
    j[5 * i + 2] = e2;
    j[5 * i + 3] = a2 * e2 * t[i] * k2 * k2;
    j[5 * i + 4] = 1;
  }
}

}  // namespace bench
