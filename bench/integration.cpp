// SPDX-License-Identifier: MIT
// Time to an integral, evidence included.
#include <benchmark/benchmark.h>

#include "boreon/boreon.hpp"

namespace {

using namespace boreon;

void antiderivative(benchmark::State& state, const char* f) {
  const Symbol x("x");
  const Expr e = parse(f);
  for (auto _ : state) benchmark::DoNotOptimize(integrate(e, x).value);
}

void definite(benchmark::State& state, const char* f, const char* from, const char* to) {
  const Symbol x("x");
  const Expr e = parse(f);
  const Expr a = parse(from);
  const Expr b = parse(to);
  for (auto _ : state) benchmark::DoNotOptimize(integrate(e, x, a, b).value);
}

void limits(benchmark::State& state, const char* f) {
  const Symbol x("x");
  const Expr e = parse(f);
  for (auto _ : state) benchmark::DoNotOptimize(limit(e, x, infinity()));
}

void numbers(benchmark::State& state) {
  const Symbol x("x");
  const Expr e = parse("exp(-x^2)*cos(3*x)");
  for (auto _ : state) benchmark::DoNotOptimize(quadrature(e, x, 0, infinity()).value);
}

}  // namespace

BENCHMARK_CAPTURE(antiderivative, rational_degree_6, "(x^5 - 3*x + 1)/(x^6 + 2*x^4 + x^2 + 7)")
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(antiderivative, tower, "x^2*exp(x)*log(x) + atan(x)^2*x")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(antiderivative, circular, "1/(2 + cos(x))^2")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(antiderivative, root, "1/(x^2*sqrt(x^2 + 2*x + 5))")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(antiderivative, refused, "exp(exp(x))*x")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(definite, gaussian, "x^4*exp(-3*x^2)", "-infinity", "infinity")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(definite, residues, "cos(x)/(x^4 + 4)", "-infinity", "infinity")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(definite, pieces, "abs(x^3 - x)", "-2", "2")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(limits, tower_of_exponentials, "exp(x)*(exp(1/x - exp(-x)) - exp(1/x))")
    ->Unit(benchmark::kMillisecond);
BENCHMARK(numbers)->Unit(benchmark::kMicrosecond);
