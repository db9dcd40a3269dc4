// SPDX-License-Identifier: MIT
// Unknowns inside formulas: Kepler's equation for many points against a loop of Newton's method written by hand.
#include <benchmark/benchmark.h>

#include <cmath>

#include "boreon/functions.hpp"
#include "boreon/native.hpp"
#include "boreon/text.hpp"
#include "pairs.hpp"

using namespace boreon;

namespace {

constexpr std::size_t places = 4096;

// E - 0.6*sin(E) = M, between 0 and 4, until nothing moves.
double by_newton(double mean) {
  double low = 0;
  double high = 4;
  double x = 2;
  for (int k = 0; k < 100; ++k) {
    const double f = x - 0.6 * std::sin(x) - mean;
    (f > 0 ? high : low) = x;
    double next = x - f / (1 - 0.6 * std::cos(x));
    if (!(next >= low && next <= high)) next = (low + high) / 2;
    const double step = next - x;
    x = next;
    if (std::fabs(step) <= 1e-15 * std::fabs(x)) break;
  }
  return x;
}

}  // namespace

static void implicit_root(benchmark::State& state) {
  const Expr root = parse("root(x - 3/5*sin(x) = M, x from 0 to 4)");
  const Kernel kernel = compile({OutputGroup("x", {root})}, {{"M", {Symbol("M")}}}, NativeOptions{});
  std::vector<double> mean(places);
  std::vector<double> by_kernel(places);
  std::vector<double> by_hand(places);
  for (std::size_t i = 0; i < places; ++i) mean[i] = 0.1 + 3 * static_cast<double>(i) / places;
  const PointsIn in[] = {{mean.data(), 1, 1}};
  const PointsOut out[] = {{by_kernel.data(), 1, 1}};
  const auto fast = [&] { kernel.many(places, in, out); };
  const auto slow = [&] {
    for (std::size_t i = 0; i < places; ++i) by_hand[i] = by_newton(mean[i]);
  };
  fast();
  slow();
  bench::require_equal(by_kernel, by_hand, "Kepler's equation");
  bench::compare(state, fast, slow, places);
}
BENCHMARK(implicit_root)->Iterations(1);
