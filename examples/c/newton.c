/* SPDX-License-Identifier: MIT */
/* Newton's method in plain C on a model file: residuals and the sparse Jacobian come from boreon/kernel.h. */
#include <boreon/kernel.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

/* Solves a x = b by elimination with pivoting; a is n by n by columns and is overwritten, b becomes x. */
static int eliminate(double* a, double* b, int n) {
  for (int k = 0; k < n; ++k) {
    int pivot = k;
    for (int i = k + 1; i < n; ++i) {
      if (fabs(a[k * n + i]) > fabs(a[k * n + pivot])) pivot = i;
    }
    if (a[k * n + pivot] == 0) return 0;
    for (int c = 0; c < n; ++c) {
      const double t = a[c * n + k];
      a[c * n + k] = a[c * n + pivot];
      a[c * n + pivot] = t;
    }
    const double t = b[k];
    b[k] = b[pivot];
    b[pivot] = t;
    for (int i = k + 1; i < n; ++i) {
      const double factor = a[k * n + i] / a[k * n + k];
      for (int c = k; c < n; ++c) a[c * n + i] -= factor * a[c * n + k];
      b[i] -= factor * b[k];
    }
  }
  for (int k = n - 1; k >= 0; --k) {
    for (int c = k + 1; c < n; ++c) b[k] -= a[c * n + k] * b[c];
    b[k] /= a[k * n + k];
  }
  return 1;
}

int main(int argc, char** argv) {
  char message[1000];
  boreon_kernel* kernel = boreon_open(argc > 1 ? argv[1] : BOREON_MODELS "/ion_chemistry.toml", message, sizeof message);
  if (!kernel) {
    fprintf(stderr, "%s\n", message);
    return 1;
  }
  const int n = boreon_unknowns(kernel);
  const int nonzeros = boreon_nonzeros(kernel);
  double* y = calloc((size_t)n + 1, sizeof *y);
  double* p = calloc((size_t)boreon_parameters(kernel) + 1, sizeof *p);
  double* f = calloc((size_t)n + 1, sizeof *f);
  double* j = calloc((size_t)nonzeros + 1, sizeof *j);
  double* a = calloc((size_t)(n * n) + 1, sizeof *a);
  int* column_start = calloc((size_t)n + 1, sizeof *column_start);
  int* row = calloc((size_t)nonzeros + 1, sizeof *row);
  boreon_start(kernel, y, p);
  boreon_pattern(kernel, column_start, row);
  double change = 1;
  for (int step = 1; step <= 50 && change > 1e-14; ++step) {
    boreon_residual_and_jacobian(kernel, y, p, 0.0, f, j);
    for (int i = 0; i < n * n; ++i) a[i] = 0;
    for (int c = 0; c < n; ++c) {
      for (int k = column_start[c]; k < column_start[c + 1]; ++k) a[c * n + row[k]] = j[k];
    }
    if (!eliminate(a, f, n)) break;
    change = 0;
    for (int i = 0; i < n; ++i) {
      y[i] -= f[i];
      change = fmax(change, fabs(f[i]) / (fabs(y[i]) + 1e-300));
    }
    printf("step %d: largest relative change %.1e\n", step, change);
  }
  for (int i = 0; i < n; ++i) printf("  %-8s = %.12g\n", boreon_unknown_name(kernel, i), y[i]);
  free(y), free(p), free(f), free(j), free(a), free(column_start), free(row);
  boreon_close(kernel);
  return change <= 1e-14 ? 0 : 1;
}
