// SPDX-License-Identifier: MIT
// Residuals and Jacobians of two systems as one writes them for a solver of one's own.
#pragma once

#include <cstddef>

namespace bench {

/// Species that hand charge down a chain and recombine with all electrons: f_i and, by columns, df_i/dn_k.
struct ChargeChain {
  static constexpr std::size_t size = 12;
  double q[size], b[size], a[size];
};
void chain_residuals(const ChargeChain& c, const double* n, double* f);
void chain_jacobian(const ChargeChain& c, const double* n, double* j);

/// Diffusion along a line with quadratic loss, both ends held; the Jacobian's entries row by row.
struct LossyLine {
  std::size_t size;
  double d, a, q, end;
};
void line_residuals(const LossyLine& l, const double* u, double* f);
void line_jacobian(const LossyLine& l, const double* u, double* entries);

}  // namespace bench
