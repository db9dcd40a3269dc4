// SPDX-License-Identifier: MIT
// Residuals and Jacobians of discretised equations as a careful programmer writes them: interior places in a loop
// without conditions, edges on their own, nothing computed twice, entries in the order of their columns.
#pragma once

namespace bench {

/// Places a side; what the hand-written code was compiled for.
inline constexpr int diffusion_size = 200;
inline constexpr int burgers_size = 150;
inline constexpr int pattern_size = 128;
inline constexpr int flame_size = 32;
inline constexpr int film_size = 20000;

/// u' = div((1 + b*u^2)*grad u), no flux through the edges: y = u, p = {b}. `j` by rows (or columns).
void diffusion_by_rows(const double* y, const double* p, double* f, double* j);
void diffusion_by_columns(const double* y, const double* p, double* f, double* j);
/// Burgers' equations in the plane, zero outside: y = u, v at each place; p = {viscosity/h^2, 1/(2*h)}.
void burgers_by_rows(const double* y, const double* p, double* f, double* j);
/// u' = r*u - u^3 - (1 + laplacian)^2 u, periodic: y = u, p = {r, 1/h^2}.
void pattern_by_rows(const double* y, const double* p, double* f, double* j);
/// Heat with a reaction exp(-E/T) in space, fixed temperature outside: y = T, p = {conductivity/h^2, rate, E, T
/// outside}.
void flame_by_rows(const double* y, const double* p, double* f, double* j);
/// A thin film that flows, h' = -(m*h''')' with m = h^3 between places, periodic: y = h, p = {1/dx^4}.
void film_by_rows(const double* y, const double* p, double* f, double* j);

/// Energy of a chain of n anharmonic springs, sum of k/2*d^2 + b/4*d^4 with d = x[i + 1] - x[i]: y = x, p = {k, b}; f
/// is the energy, j its gradient. Either may be null.
inline constexpr int chain_size = 10001;
void chain_energy(const double* y, const double* p, double* f, double* j);
/// Sum of squares of differences between a*exp(-r*t) + c and data: y = {a, r, c}, p = times and data; f and j as above.
inline constexpr int data_size = 10000;
void decay_misfit(const double* y, const double* p, double* f, double* j);

}  // namespace bench
