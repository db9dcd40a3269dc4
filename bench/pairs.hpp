// SPDX-License-Identifier: MIT
// Timing in pairs: baseline and kernel alternate, and the median of the ratios counts, since the machine is shared.
#pragma once

#include <benchmark/benchmark.h>

#include <functional>
#include <vector>

namespace bench {

/// Counters `ratio` (kernel/baseline), `kernel_ns`, `baseline_ns` (divided by `per`); each side runs as often as
/// `batch` seconds allow.
void compare(benchmark::State& state, const std::function<void()>& kernel, const std::function<void()>& baseline,
             double per = 1, double batch = 2e-4);

/// Ends the program if the two differ by more than rounding: it makes no sense to time them then.
void require_equal(const std::vector<double>& kernel, const std::vector<double>& by_hand, const char* what);

}  // namespace bench
