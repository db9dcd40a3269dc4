// SPDX-License-Identifier: MIT
// Compiled with -O3 -march=native: what the kernels are measured against.
#include "by_hand.hpp"

namespace bench {
void chemistry_by_hand(const double* y, const double* p, double* f, double* j) {
  by_hand::chemistry<double>(y, p, f, j);
}
void three_bodies_by_hand(const double* y, const double* p, double* f, double* j) {
  by_hand::three_bodies<double>(y, p, f, j);
}
void triple_pendulum_by_hand(const double* y, const double* p, double* f, double* j) {
  by_hand::triple_pendulum<double>(y, p, f, j);
}
void ionisation_by_hand(const double* y, const double* p, double* f, double* j) {
  by_hand::ionisation<double>(y, p, f, j);
}
void grid_by_hand(const double* y, const double* p, double* f, double* j) { by_hand::grid<double>(y, p, f, j); }
}  // namespace bench
