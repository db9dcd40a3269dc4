// SPDX-License-Identifier: MIT
// Derivation at scale: building, sparse and dense Jacobians, compiling, gradients.
#include <benchmark/benchmark.h>

#include "boreon/calculus.hpp"
#include "boreon/matrix.hpp"
#include "boreon/program.hpp"
#include "boreon/traverse.hpp"
#include "reaction_diffusion.hpp"

using namespace boreon;

static void build(benchmark::State& state) {
  for (auto _ : state) benchmark::DoNotOptimize(bench::reaction_diffusion(static_cast<int>(state.range(0))));
  state.counters["equations"] = static_cast<double>(2 * state.range(0) * state.range(0));
}
BENCHMARK(build)->Arg(16)->Arg(64)->Arg(256)->Unit(benchmark::kMillisecond);

static void jacobian_and_kernel(benchmark::State& state) {
  const auto model = bench::reaction_diffusion(static_cast<int>(state.range(0)));
  std::size_t nonzeros = 0;
  std::size_t operations = 0;
  for (auto _ : state) {
    const SparseMatrix j = sparse_jacobian(model.residuals, model.unknowns);
    const Kernel k = compile({OutputGroup("f", model.residuals), OutputGroup("jacobian", j)},
                             {{"y", model.unknowns}, {"p", model.parameters}});
    nonzeros = j.pattern.nonzeros();
    operations = k.program().operation_count();
  }
  state.counters["nonzeros"] = static_cast<double>(nonzeros);
  state.counters["operations"] = static_cast<double>(operations);
}
BENCHMARK(jacobian_and_kernel)->Arg(16)->Arg(64)->Unit(benchmark::kMillisecond);

static void sparse_jacobian_alone(benchmark::State& state) {
  const auto model = bench::reaction_diffusion(static_cast<int>(state.range(0)));
  for (auto _ : state) benchmark::DoNotOptimize(sparse_jacobian(model.residuals, model.unknowns));
}
BENCHMARK(sparse_jacobian_alone)->Arg(64)->Arg(128)->Arg(256)->Unit(benchmark::kMillisecond);

static void sparse_jacobian_16(benchmark::State& state) {
  const auto model = bench::reaction_diffusion(16);
  for (auto _ : state) benchmark::DoNotOptimize(sparse_jacobian(model.residuals, model.unknowns));
}
BENCHMARK(sparse_jacobian_16)->Unit(benchmark::kMillisecond);

static void dense_jacobian_16(benchmark::State& state) {
  const auto model = bench::reaction_diffusion(16);
  for (auto _ : state) benchmark::DoNotOptimize(jacobian(model.residuals, model.unknowns));
}
BENCHMARK(dense_jacobian_16)->Unit(benchmark::kMillisecond)->Iterations(2);

static void gradient_of_10000_variables(benchmark::State& state) {
  std::vector<Expr> x;
  for (int i = 0; i < 10000; ++i) x.push_back(Symbol("x" + std::to_string(i)));
  Expr f = 0;
  for (std::size_t i = 0; i + 1 < x.size(); ++i) f += 100 * pow(x[i + 1] - pow(x[i], 2), 2) + pow(1 - x[i], 2);
  std::vector<Expr> g;
  for (auto _ : state) g = gradient(f, x);
  const auto count = [&](const std::vector<Expr>& out) {
    return static_cast<double>(compile({OutputGroup("f", out)}, {{"x", x}}).program().operation_count());
  };
  state.counters["ratio_of_operations"] = count(g) / count({f});
}
BENCHMARK(gradient_of_10000_variables)->Unit(benchmark::kMillisecond);

static void gradient_of_long_product(benchmark::State& state) {
  std::vector<Expr> x;
  for (int i = 0; i < 10000; ++i) x.push_back(Symbol("x" + std::to_string(i)));
  Expr f = 1;
  for (const Expr& v : x) f = f * (1 + v);
  std::vector<Expr> g;
  for (auto _ : state) g = gradient(f, x);
  const auto count = [&](const std::vector<Expr>& out) {
    return static_cast<double>(compile({OutputGroup("f", out)}, {{"x", x}}).program().operation_count());
  };
  state.counters["ratio_of_operations"] = count(g) / count({f});
}
BENCHMARK(gradient_of_long_product)->Unit(benchmark::kMillisecond);

static void terms_by_plus_assign(benchmark::State& state) {
  const Symbol x("x");
  std::vector<Expr> terms;
  for (int i = 0; i < state.range(0); ++i) terms.push_back(sin(i * x));
  for (auto _ : state) {
    Expr s = 0;
    for (const Expr& t : terms) s += t;
    benchmark::DoNotOptimize(s.operands().size());
  }
}
BENCHMARK(terms_by_plus_assign)->Arg(100000)->Arg(1000000)->Unit(benchmark::kMillisecond);
