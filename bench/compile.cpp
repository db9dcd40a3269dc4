// SPDX-License-Identifier: MIT
// How long it takes until a function can be called.
#include <benchmark/benchmark.h>

#include <cmath>
#include <random>

#include "boreon/catalogue.hpp"
#include "boreon/native.hpp"
#include "models.hpp"

using namespace boreon;

namespace {

// Instructions in the proportions of large models: 8 % calls, 4.5 % divisions, 2.5 % roots.
Program random_program(std::size_t size) {
  std::mt19937_64 random(7);
  const auto pick = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
  const std::uint16_t calls[] = {row_number("sin"), row_number("cos"), row_number("exp"), row_number("log")};
  Program p;
  p.constants = {0.5, 1.25, -0.75};
  p.inputs = {{"x", {}, 50, std::nullopt}};
  for (int i = 0; i < 50; ++i) p.inputs[0].names.push_back("x" + std::to_string(i));
  const auto operand = [&]() -> Operand {
    const std::size_t n = p.instructions.size();
    if (n == 0 || pick(6) == 0)
      return pick(4) == 0 ? Operand{0, static_cast<std::uint32_t>(pick(3))}
                          : Operand{2, static_cast<std::uint32_t>(pick(50))};
    return {1, static_cast<std::uint32_t>(n - 1 - pick(std::min<std::size_t>(n, 60)))};
  };
  while (p.instructions.size() < size) {
    const std::size_t dice = pick(1000);
    if (dice < 80) {
      p.instructions.push_back({OpCode::call, calls[pick(4)], 1, operand(), {}, {}});
    } else if (dice < 125) {
      p.instructions.push_back({OpCode::divide, 0, 2, operand(), operand(), {}});
    } else if (dice < 150) {
      p.instructions.push_back({OpCode::square_root, 0, 1, operand(), {}, {}});
    } else {
      p.instructions.push_back({static_cast<OpCode>(pick(3)), 0, 2, operand(), operand(), {}});
    }
  }
  p.outputs = {{"f", {}, 20, std::nullopt}};
  p.results.emplace_back();
  for (std::size_t i = 0; i < 20; ++i) p.results[0].push_back({1, static_cast<std::uint32_t>(size - 1 - i)});
  return p;
}

void code_for_random_program(benchmark::State& state) {
  const auto size = static_cast<std::size_t>(state.range(0));
  const Program p = random_program(size);
  for (auto _ : state) benchmark::DoNotOptimize(native_kernel(p, {.expected_calls = 1e9}));
  state.counters["ms_per_1000"] = benchmark::Counter(
      static_cast<double>(size) / 1e6, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

void run_random_program(benchmark::State& state) {
  const auto size = static_cast<std::size_t>(state.range(0));
  const Kernel k =
      state.range(1) == 0 ? Kernel(random_program(size)) : native_kernel(random_program(size), {.expected_calls = 1e9});
  std::vector<double> x(50, 0.7);
  std::vector<double> f(20);
  const double* in[] = {x.data()};
  double* out[] = {f.data()};
  for (auto _ : state) k(in, out);
  state.counters["ns_per_operation"] = benchmark::Counter(
      static_cast<double>(size) / 1e9, benchmark::Counter::kIsIterationInvariantRate | benchmark::Counter::kInvert);
}

// From derived expressions to the first result.
void first_call(benchmark::State& state, const bench::Model& m) {
  std::vector<double> f(m.outputs[0].values.size());
  std::vector<double> j(m.outputs[1].values.size());
  const double* in[] = {m.y.data(), m.p.data()};
  double* out[] = {f.data(), j.data()};
  std::size_t operations = 0;
  for (auto _ : state) {
    const Kernel k = compile(m.outputs, m.inputs, {.expected_calls = 1e9});
    k(in, out);
    operations = k.program().operation_count();
  }
  state.counters["operations"] = static_cast<double>(operations);
}

// Reaction and diffusion on 256 by 256, 131072 equations: residuals and the sparse Jacobian.
void large_grid(benchmark::State& state, bool compiling, unsigned threads) {
  static const bench::Model m = bench::grid(256);
  const NativeOptions options{.expected_calls = 1e9};
  if (compiling) {
    for (auto _ : state) benchmark::DoNotOptimize(compile({m.outputs[1]}, m.inputs, options));
    return;
  }
  const Kernel k = compile({m.outputs[1]}, m.inputs, options);
  std::vector<double> j(m.outputs[1].values.size());
  const double* in[] = {m.y.data(), m.p.data()};
  double* out[] = {j.data()};
  for (auto _ : state) threads == 1 ? k(in, out) : k.in_threads(threads, in, out);
  std::vector<double> expected(j.size());
  double* expected_out[] = {expected.data()};
  Kernel(k.program())(in, expected_out);
  double worst = 0;
  for (std::size_t i = 0; i < j.size(); ++i)
    worst = std::max(worst, std::fabs(j[i] - expected[i]) /
                                (std::nextafter(std::fabs(expected[i]), INFINITY) - std::fabs(expected[i])));
  state.counters["nonzeros"] = static_cast<double>(j.size());
  state.counters["worst_ulp"] = worst;
}

const int registered = [] {
  benchmark::RegisterBenchmark("code_for_random_program", code_for_random_program)
      ->Arg(2000)
      ->Arg(20000)
      ->Arg(200000)
      ->Arg(500000)
      ->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("run_random_program/interpreter", run_random_program)
      ->Args({2000, 0})
      ->Args({20000, 0})
      ->Args({200000, 0})
      ->Unit(benchmark::kMicrosecond);
  benchmark::RegisterBenchmark("run_random_program/native", run_random_program)
      ->Args({2000, 1})
      ->Args({20000, 1})
      ->Args({200000, 1})
      ->Unit(benchmark::kMicrosecond);
  for (const auto& m : bench::small_models()) {
    benchmark::RegisterBenchmark(("first_call/" + m.name).c_str(), [m](benchmark::State& s) {
      first_call(s, m);
    })->Unit(benchmark::kMillisecond);
  }
  benchmark::RegisterBenchmark("grid_256_jacobian/compile", [](benchmark::State& s) {
    large_grid(s, true, 1);
  })->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("grid_256_jacobian/one_thread", [](benchmark::State& s) {
    large_grid(s, false, 1);
  })->Unit(benchmark::kMillisecond);
  benchmark::RegisterBenchmark("grid_256_jacobian/two_threads", [](benchmark::State& s) {
    large_grid(s, false, 2);
  })->Unit(benchmark::kMillisecond);
  return 0;
}();

}  // namespace
