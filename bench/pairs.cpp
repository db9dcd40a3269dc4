// SPDX-License-Identifier: MIT
#include "pairs.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace bench {
namespace {

double seconds(const std::function<void()>& f, int repeat) {
  const auto start = std::chrono::steady_clock::now();
  for (int i = 0; i < repeat; ++i) f();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() / repeat;
}

double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

}  // namespace

void compare(benchmark::State& state, const std::function<void()>& kernel, const std::function<void()>& baseline,
             double per, double batch) {
  const double once = std::max(1e-9, seconds(kernel, 3));
  const int repeat = std::max(1, static_cast<int>(batch / once));
  std::vector<double> ratios;
  std::vector<double> times;
  std::vector<double> base;
  for (auto _ : state) {
    // which one goes first makes a difference of some percent where memory is taken and given back
    const bool turned = ratios.size() % 2 == 1;
    const double first = seconds(turned ? kernel : baseline, repeat);
    const double second = seconds(turned ? baseline : kernel, repeat);
    const double b = turned ? second : first;
    const double k = turned ? first : second;
    ratios.push_back(k / b);
    times.push_back(k);
    base.push_back(b);
    state.SetIterationTime(k);
  }
  // the middle of each order, so that what being second costs falls on both
  std::vector<double> as_second, as_first;
  for (std::size_t i = 0; i < ratios.size(); ++i) (i % 2 == 0 ? as_second : as_first).push_back(ratios[i]);
  state.counters["ratio"] =
      as_first.empty() ? median(ratios) : std::sqrt(median(std::move(as_second)) * median(std::move(as_first)));
  state.counters["kernel_ns"] = 1e9 * median(times) / per;
  state.counters["baseline_ns"] = 1e9 * median(base) / per;
}

void require_equal(const std::vector<double>& kernel, const std::vector<double>& by_hand, const char* what) {
  for (std::size_t i = 0; i < kernel.size(); ++i) {
    if (!(std::fabs(kernel[i] - by_hand[i]) <= 1e-10 * (1 + std::fabs(by_hand[i])))) {
      std::fprintf(stderr, "%s[%zu] = %.17g, by hand %.17g\n", what, i, kernel[i], by_hand[i]);
      std::exit(1);
    }
  }
}

}  // namespace bench
