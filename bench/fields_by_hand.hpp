// SPDX-License-Identifier: MIT
// Linear stencils on grids as C++ loops, compiled with -O3 -march=native. Places at the ends are zero.
#pragma once

#include <cstdint>

namespace bench {

void three_points(std::int64_t n, const double* u, double d, double* f);
void five_points(std::int64_t n, const double* u, double d, double* f);
void nine_points(std::int64_t n, const double* u, double d, double* f);
void seven_points(std::int64_t n, const double* u, double d, double* f);
void fourth_order(std::int64_t n, const double* u, double d, double* f);

/// Energy of a lattice on a ring by a ring, a*u^4 + b*(differences)^2, and its gradient.
double lattice_energy(std::int64_t n, const double* u, double a, double b);
void lattice_gradient(std::int64_t n, const double* u, double a, double b, double* g);

/// to[i] = q*from[i]: what memory gives.
void scaled(std::int64_t n, const double* from, double q, double* to);

}  // namespace bench
