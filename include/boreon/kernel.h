// SPDX-License-Identifier: MIT
/* The numeric functions of a model for C, Fortran and whatever else calls C (target boreon::c). */
#ifndef BOREON_KERNEL_H
#define BOREON_KERNEL_H

#include <stddef.h>

#ifdef __GNUC__
#pragma GCC visibility push(default)
#endif
#ifdef __cplusplus
extern "C" {
#endif

/* A model's residuals (or rates in time) with their sparse Jacobian, and its outputs, as machine code. */
typedef struct boreon_kernel boreon_kernel;

/* Reads a model file. Null if that fails; then `message` (of `length` bytes) says why. To be closed with
   boreon_close. */
boreon_kernel* boreon_open(const char* model_file, char* message, size_t length);
void boreon_close(boreon_kernel* kernel);

/* Numbers of unknowns (and of residuals), parameters, outputs, and nonzeros of the Jacobian. */
int boreon_unknowns(const boreon_kernel* kernel);
int boreon_parameters(const boreon_kernel* kernel);
int boreon_outputs(const boreon_kernel* kernel);
int boreon_nonzeros(const boreon_kernel* kernel);

/* Names, valid as long as the kernel; null beyond the last. */
const char* boreon_unknown_name(const boreon_kernel* kernel, int i);
const char* boreon_parameter_name(const boreon_kernel* kernel, int i);
const char* boreon_output_name(const boreon_kernel* kernel, int i);

/* Start values y[unknowns] and parameter values p[parameters] of the model file. */
void boreon_start(const boreon_kernel* kernel, double* y, double* p);

/* The Jacobian in compressed columns: column_start[unknowns + 1], row[nonzeros], both counted from 0. */
void boreon_pattern(const boreon_kernel* kernel, int* column_start, int* row);

/* Residuals f[unknowns] (rates dy/dt for a model in time) at y, p and time t; with the values of the Jacobian
   j[nonzeros] in the order of the pattern; outputs g[outputs]. Nothing is allocated after the first call in a thread.
   A value outside a function's domain gives NaN. Safe in several threads at once. */
void boreon_residual(const boreon_kernel* kernel, const double* y, const double* p, double t, double* f);
void boreon_residual_and_jacobian(const boreon_kernel* kernel, const double* y, const double* p, double t, double* f,
                                  double* j);
void boreon_output_values(const boreon_kernel* kernel, const double* y, const double* p, double t, double* g);

#ifdef __cplusplus
}
#endif
#ifdef __GNUC__
#pragma GCC visibility pop
#endif

#endif
