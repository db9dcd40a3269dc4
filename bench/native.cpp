// SPDX-License-Identifier: MIT
// Machine code against code written by hand and against emitted C, both compiled with -O3 -march=native. Baseline and
// kernel alternate; the median of the ratios of pairs counts.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <functional>
#include <thread>

#include "boreon/native.hpp"
#include "models.hpp"
#include "pairs.hpp"

extern "C" {
void emitted_chemistry(const double*, const double*, double*, double*);
void emitted_three_bodies(const double*, const double*, double*, double*);
void emitted_triple_pendulum(const double*, const double*, double*, double*);
void emitted_ionisation(const double*, const double*, double*, double*);
void emitted_grid(const double*, const double*, double*, double*);
}

using namespace boreon;

namespace {

struct Prepared {
  bench::Model model;
  Kernel kernel;
  std::vector<double> f, j, f2, j2;
  const double* in[2];
  double* out[2];
  explicit Prepared(bench::Model m, const NativeOptions& options = {.expected_calls = 1e9})
      : model(std::move(m)), kernel(compile(model.outputs, model.inputs, options)) {
    f.resize(model.outputs[0].values.size());
    j.resize(model.outputs[1].values.size());
    f2 = f;
    j2 = j;
    in[0] = model.y.data();
    in[1] = model.p.data();
    out[0] = f.data();
    out[1] = j.data();
  }
  // Both must compute the same before it makes sense to time them.
  void agree(const std::function<void(double*, double*)>& other) {
    kernel(in, out);
    other(f2.data(), j2.data());
    bench::require_equal(f, f2, (model.name + " f").c_str());
    bench::require_equal(j, j2, (model.name + " j").c_str());
  }
};

bench::Model model_of(int which) {
  switch (which) {
    case 0: return bench::chemistry();
    case 1: return bench::three_bodies();
    case 2: return bench::triple_pendulum();
    case 3: return bench::ionisation();
    default: return bench::grid(64);
  }
}

void one_point(benchmark::State& state, int which, bool emitted, const NativeOptions& options) {
  Prepared p(model_of(which), options);
  using Emitted = void (*)(const double*, const double*, double*, double*);
  static constexpr Emitted sources[] = {emitted_chemistry, emitted_three_bodies, emitted_triple_pendulum,
                                        emitted_ionisation, emitted_grid};
  const auto other = [&](double* f, double* j) {
    emitted ? sources[which](p.in[0], p.in[1], f, j) : p.model.by_hand(p.in[0], p.in[1], f, j);
  };
  p.agree(other);
  bench::compare(
      state, [&] { p.kernel(p.in, p.out); }, [&] { other(p.f2.data(), p.j2.data()); });
  state.SetLabel(p.kernel.method());
  std::size_t pairs = 0;  // sine and cosine are one instruction and two operations
  for (const Instruction& i : p.kernel.program().instructions)
    pairs += i.op == OpCode::sine_cosine && i.operands > 0 ? 1U : 0U;
  state.counters["operations"] = static_cast<double>(p.kernel.program().operation_count() + pairs);
  state.counters["operations_by_hand"] = static_cast<double>(p.model.operations_by_hand);
}

void many_points(benchmark::State& state, int which, unsigned threads, Machine machine) {
  bench::Model model = model_of(which);
  // With threads: the residual alone, on as many points as the second cache of one processor has room for: neither
  // starting threads nor memory is what is measured.
  // Without: a block of points that stays in the second cache, at a stride that is no power of two.
  if (threads > 1) model.outputs[1] = OutputGroup("j", std::vector<Expr>{});
  Prepared p(std::move(model), {.expected_calls = 1e9, .machine = machine});
  const std::size_t n = p.model.y.size();
  const std::size_t points = threads > 1 ? 1048576 / (8 * (n + p.f.size())) / 16 * 16 : 256;
  const std::size_t stride = points + 8;
  // lines of the cache begin where the entries do, as in memory that is allocated for it
  const auto aligned = [](std::vector<double>& v, std::size_t size) {
    v.resize(size + 8);
    return v.data() + (64 - reinterpret_cast<std::uintptr_t>(v.data()) % 64) % 64 / sizeof(double);
  };
  std::vector<double> memory[3];
  double* const y = aligned(memory[0], n * stride);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t q = 0; q < points; ++q)
      y[i * stride + q] = p.model.y[i] * (1 + 1e-4 * static_cast<double>(q % 100));
  }
  double* const f = aligned(memory[1], p.f.size() * stride);
  double* const j = aligned(memory[2], p.j.size() * stride);
  const auto step = static_cast<std::ptrdiff_t>(stride);
  const PointsIn in[] = {{y, step, 1}, {p.model.p.data(), 1, 0}};
  const PointsOut out[] = {{f, step, 1}, {j, step, 1}};
  const auto many = [&](unsigned t) { p.kernel.many(points, in, out, t); };
  if (threads > 1) {
    // long batches: each begins with moving the numbers to the processors that work on them, and with waking these
    bench::compare(
        state, [&] { many(threads); }, [&] { many(1); }, static_cast<double>(points), 3e-2);
    return;
  }
  // one call for each point, results where they belong (array of structures)
  std::vector<double> ya(n * points);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t q = 0; q < points; ++q) ya[q * n + i] = y[i * stride + q];
  }
  bench::compare(
      state, [&] { many(1); },
      [&] {
        for (std::size_t q = 0; q < points; ++q) {
          const double* one_in[] = {&ya[q * n], p.model.p.data()};
          double* one_out[] = {&f[q * p.f.size()], &j[q * p.j.size()]};
          p.kernel(one_in, one_out);
        }
      },
      static_cast<double>(points));
}

// What this machine gains at most: plain arithmetic in registers, halves in two threads.
void threads_of_machine(benchmark::State& state) {
  const auto work = [](long n) {
    double x = 1;
    for (long i = 0; i < n; ++i) benchmark::DoNotOptimize(x = x * 0.999 + 0.25);
  };
  constexpr long n = 2'000'000;
  bench::compare(
      state,
      [&] {
        std::thread other(work, n / 2);
        work(n / 2);
        other.join();
      },
      [&] { work(n); });
}

constexpr const char* names[] = {"chemistry", "three_bodies", "triple_pendulum", "ionisation", "grid_64"};

const int registered = [] {
  const auto options = [](benchmark::internal::Benchmark* b) {
    b->UseManualTime()->Iterations(41)->Unit(benchmark::kMicrosecond);
  };
  options(benchmark::RegisterBenchmark("two_threads_vs_one/this_machine", threads_of_machine));
  for (int which = 0; which < 5; ++which) {
    const std::string name = names[which];
    options(benchmark::RegisterBenchmark(("one_point_vs_by_hand/" + name).c_str(), [which](benchmark::State& s) {
      one_point(s, which, false, {.expected_calls = 1e9});
    }));
    options(benchmark::RegisterBenchmark(("one_point_vs_emitted_c/" + name).c_str(), [which](benchmark::State& s) {
      one_point(s, which, true, {.expected_calls = 1e9});
    }));
    if (which == 4) continue;
    for (const Machine m : machines()) {
      if (m == Machine::sse2) continue;
      options(benchmark::RegisterBenchmark(("many_points_vs_one_by_one/" + name + "/" + to_string(m)).c_str(),
                                           [which, m](benchmark::State& s) { many_points(s, which, 1, m); }));
    }
    options(benchmark::RegisterBenchmark(("two_threads_vs_one/" + name).c_str(), [which](benchmark::State& s) {
      many_points(s, which, 2, Machine::automatic);
    }));
  }
  return 0;
}();

}  // namespace
