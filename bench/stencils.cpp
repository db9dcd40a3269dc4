// SPDX-License-Identifier: MIT
// Discretised equations on grids: residuals and Jacobians as loops over rows, against code written by hand.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "boreon/symbol.hpp"
#include "models.hpp"
#include "pairs.hpp"
#include "stencils_by_hand.hpp"

using namespace boreon;

namespace {

struct Stencil {
  std::vector<Expr> y, p, f;
  std::vector<double> y0, p0;
};
using ByHand = void (*)(const double*, const double*, double*, double*);

void start(Stencil& s, double mean, double wave) {
  for (std::size_t i = 0; i < s.y.size(); ++i)
    s.y0.push_back(mean + wave * std::sin(0.37 * static_cast<double>(i)) +
                   0.1 * wave * std::cos(1.9 * static_cast<double>(i)));
}

Stencil diffusion() {
  constexpr int n = bench::diffusion_size;
  Stencil s;
  s.y = bench::symbols("u", n * n);
  s.p = bench::symbols("b", 1);
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < n; ++k) {
      const auto at = [&](int a, int c) { return s.y[static_cast<std::size_t>(a * n + c)]; };
      const Expr here = at(i, k);
      Expr sum;
      const auto neighbour = [&](const Expr& other) {
        sum += (1 + s.p[0] * pow((here + other) / 2, 2)) * (other - here);
      };
      if (k < n - 1) neighbour(at(i, k + 1));
      if (k > 0) neighbour(at(i, k - 1));
      if (i < n - 1) neighbour(at(i + 1, k));
      if (i > 0) neighbour(at(i - 1, k));
      s.f.push_back(sum);
    }
  }
  start(s, 1, 0.5);
  s.p0 = {0.3};
  return s;
}

Stencil burgers() {
  constexpr int n = bench::burgers_size;
  Stencil s;
  s.y = bench::symbols("w", 2 * n * n);
  s.p = {Symbol("nu"), Symbol("g")};
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < n; ++k) {
      const auto at = [&](int a, int c, int which) {
        return a < 0 || c < 0 || a >= n || c >= n ? Expr(0) : s.y[static_cast<std::size_t>(2 * (a * n + c) + which)];
      };
      for (int w = 0; w < 2; ++w) {
        const Expr by_x = at(i, k + 1, w) - at(i, k - 1, w);
        const Expr by_y = at(i + 1, k, w) - at(i - 1, k, w);
        const Expr laplacian = at(i, k + 1, w) + at(i, k - 1, w) + at(i + 1, k, w) + at(i - 1, k, w) - 4 * at(i, k, w);
        s.f.push_back(s.p[0] * laplacian - s.p[1] * (at(i, k, 0) * by_x + at(i, k, 1) * by_y));
      }
    }
  }
  start(s, 0.1, 0.5);
  s.p0 = {0.7, 0.4};
  return s;
}

Stencil pattern() {
  constexpr int n = bench::pattern_size;
  Stencil s;
  s.y = bench::symbols("u", n * n);
  s.p = {Symbol("r"), Symbol("q")};
  const auto at = [&](int a, int c) { return s.y[static_cast<std::size_t>((a + n) % n * n + (c + n) % n)]; };
  for (int i = 0; i < n; ++i) {
    for (int k = 0; k < n; ++k) {
      const Expr near = at(i, k + 1) + at(i, k - 1) + at(i + 1, k) + at(i - 1, k);
      const Expr diagonal = at(i + 1, k + 1) + at(i + 1, k - 1) + at(i - 1, k + 1) + at(i - 1, k - 1);
      const Expr far = at(i, k + 2) + at(i, k - 2) + at(i + 2, k) + at(i - 2, k);
      const Expr u = at(i, k);
      const Expr& q = s.p[1];
      s.f.push_back(s.p[0] * u - pow(u, 3) - u - 2 * q * (near - 4 * u) -
                    pow(q, 2) * (far + 2 * diagonal - 8 * near + 20 * u));
    }
  }
  start(s, 0, 0.3);
  s.p0 = {0.2, 0.9};
  return s;
}

Stencil flame() {
  constexpr int n = bench::flame_size;
  Stencil s;
  s.y = bench::symbols("T", n * n * n);
  s.p = {Symbol("d"), Symbol("A"), Symbol("E"), Symbol("T_w")};
  const auto at = [&](int a, int b, int c) {
    return std::min({a, b, c}) < 0 || std::max({a, b, c}) >= n ? s.p[3]
                                                               : s.y[static_cast<std::size_t>((a * n + b) * n + c)];
  };
  for (int a = 0; a < n; ++a) {
    for (int b = 0; b < n; ++b) {
      for (int c = 0; c < n; ++c) {
        const Expr sum =
            at(a + 1, b, c) + at(a - 1, b, c) + at(a, b + 1, c) + at(a, b - 1, c) + at(a, b, c + 1) + at(a, b, c - 1);
        s.f.push_back(s.p[0] * (sum - 6 * at(a, b, c)) + s.p[1] * exp(-s.p[2] / at(a, b, c)));
      }
    }
  }
  start(s, 900, 200);
  s.p0 = {3.1, 1e3, 7000, 300};
  return s;
}

Stencil film() {
  constexpr int n = bench::film_size;
  Stencil s;
  s.y = bench::symbols("h", n);
  s.p = {Symbol("q")};
  const auto at = [&](int i) { return s.y[static_cast<std::size_t>((i + n) % n)]; };
  const auto flow = [&](int l) {
    return pow((at(l) + at(l + 1)) / 2, 3) * (at(l + 2) - 3 * at(l + 1) + 3 * at(l) - at(l - 1));
  };
  for (int i = 0; i < n; ++i) s.f.push_back(s.p[0] * (flow(i - 1) - flow(i)));
  start(s, 1, 0.2);
  s.p0 = {2.5};
  return s;
}

void run(benchmark::State& state, const Stencil& s, bool columns, ByHand by_hand) {
  const auto begin = std::chrono::steady_clock::now();
  const SparseMatrix j = sparse_jacobian(s.f, s.y);
  const auto derived = std::chrono::steady_clock::now();
  const Kernel kernel =
      compile({OutputGroup("f", s.f), columns ? OutputGroup::by_columns("j", j) : OutputGroup("j", j)},
              {InputGroup("y", s.y), InputGroup("p", s.p)}, {.expected_calls = 1e9});
  const std::chrono::duration<double, std::milli> first = derived - begin,
                                                  second = std::chrono::steady_clock::now() - derived;
  std::vector<double> f(s.f.size()), f2 = f, jac(j.values.size()), jac2 = jac;
  const double* in[] = {s.y0.data(), s.p0.data()};
  double* out[] = {f.data(), jac.data()};
  kernel(in, out);
  by_hand(in[0], in[1], f2.data(), jac2.data());
  bench::require_equal(f, f2, "f");
  bench::require_equal(jac, jac2, "j");
  bench::compare(
      state, [&] { kernel(in, out); }, [&] { by_hand(in[0], in[1], f2.data(), jac2.data()); }, 1, 2e-3);
  state.counters["derive_ms"] = first.count();
  state.counters["compile_ms"] = second.count();
  state.counters["code"] = static_cast<double>(kernel.program().code_size());
  state.counters["loops"] = static_cast<double>(kernel.program().loops.size());
  std::size_t outside = 0;
  for (const Instruction& i : kernel.program().instructions) outside += i.operands > 0 ? 1U : 0U;
  state.counters["outside_loops"] = static_cast<double>(outside);
}

const int registered = [] {
  struct Entry {
    const char* name;
    Stencil (*make)();
    bool columns;
    ByHand by_hand;
  };
  static constexpr Entry entries[] = {
      {"nonlinear_diffusion_200x200_by_rows", diffusion, false, bench::diffusion_by_rows},
      {"nonlinear_diffusion_200x200_by_columns", diffusion, true, bench::diffusion_by_columns},
      {"burgers_150x150_by_rows", burgers, false, bench::burgers_by_rows},
      {"pattern_128x128_by_rows", pattern, false, bench::pattern_by_rows},
      {"flame_32x32x32_by_rows", flame, false, bench::flame_by_rows},
      {"thin_film_20000_by_rows", film, false, bench::film_by_rows}};
  for (const Entry& e : entries) {
    benchmark::RegisterBenchmark((std::string("stencil_vs_by_hand/") + e.name).c_str(),
                                 [e](benchmark::State& s) { run(s, e.make(), e.columns, e.by_hand); })
        ->UseManualTime()
        ->Iterations(41)
        ->Unit(benchmark::kMicrosecond);
  }
  return 0;
}();

}  // namespace
