// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>

namespace bench {

/// Residuals and Jacobian by rows of a1*exp(-t/tau1) + a2*exp(-t/tau2) + c against y, as one writes them for a compiler
/// that vectorises.
void two_lifetimes(std::size_t rows, const double* x, const double* t, const double* y, double* r, double* j);
/// The same, compiled without leave to reorder sums and to take approximate functions.
void two_lifetimes_strict(std::size_t rows, const double* x, const double* t, const double* y, double* r, double* j);

}  // namespace bench
