// SPDX-License-Identifier: MIT
// A kernel call against the same function written by hand.
#include <benchmark/benchmark.h>

#include "boreon/program.hpp"
#include "reaction_diffusion.hpp"

using namespace boreon;

namespace {
constexpr int n = 64;

void by_hand(const double* x, const double* p, double* f) {
  const auto at = [](int i, int j) { return 2 * (i * n + j); };
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < n; ++j) {
      const int k = at(i, j);
      const double u = x[k];
      const double v = x[k + 1];
      for (int s = 0; s < 2; ++s) {
        const double laplacian = x[at((i + 1) % n, j) + s] + x[at((i + n - 1) % n, j) + s] + x[at(i, (j + 1) % n) + s] +
                                 x[at(i, (j + n - 1) % n) + s] - 4 * x[k + s];
        f[k + s] = (s == 0 ? p[0] + u * u * v - (p[1] + 1) * u : p[1] * u - u * u * v) + p[2] * laplacian;
      }
    }
  }
}
}  // namespace

static void residual_by_hand(benchmark::State& state) {
  std::vector<double> x(2 * n * n, 1.1);
  std::vector<double> f(x.size());
  const double p[] = {1, 3, 0.02};
  for (auto _ : state) {
    by_hand(x.data(), p, f.data());
    benchmark::DoNotOptimize(f.data());
  }
}
BENCHMARK(residual_by_hand)->Unit(benchmark::kMicrosecond);

static void residual_by_interpreter(benchmark::State& state) {
  const auto model = bench::reaction_diffusion(n);
  const Kernel k = compile({OutputGroup("f", model.residuals)}, {{"y", model.unknowns}, {"p", model.parameters}});
  std::vector<double> x(2 * n * n, 1.1);
  std::vector<double> f(x.size());
  const double p[] = {1, 3, 0.02};
  const double* in[] = {x.data(), p};
  double* out[] = {f.data()};
  for (auto _ : state) {
    k(in, out);
    benchmark::DoNotOptimize(f.data());
  }
  state.counters["operations"] = static_cast<double>(k.program().operation_count());
}
BENCHMARK(residual_by_interpreter)->Unit(benchmark::kMicrosecond);
