// SPDX-License-Identifier: MIT
#include "solvers/run_support.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "boreon/work.hpp"

namespace boreon {

void accept(int flag, const char* what) {
  if (flag < 0)
    throw Error(ErrorKind::unsupported, fmt::format("the time stepping refuses its {} (code {})", what, flag));
}

std::vector<double> absolute_tolerances(const std::vector<double>& start, const double* slope, double length,
                                        double relative, double absolute, const std::vector<double>& sizes) {
  std::vector<double> tolerances(start.size(), absolute);
  if (absolute > 0) return tolerances;
  double largest = 0;
  for (const double v : start) largest = std::max(largest, std::fabs(v));
  for (std::size_t i = 0; i < start.size(); ++i) {
    double size = std::fabs(start[i]);
    if (i < sizes.size() && sizes[i] > 0) {
      size = sizes[i];
    } else if (size == 0)
      size = std::min(std::fabs(slope[i]) * std::fabs(length), largest > 0 ? largest : 1.0);
    if (!(size > 0)) size = largest > 0 ? 1e-3 * largest : 1;
    tolerances[i] = relative * 1e-3 * size;
  }
  return tolerances;
}

std::vector<double> sizes_of_integrals(const System& system, const std::vector<double>& tolerances,
                                       const std::vector<double>& largest, double relative) {
  std::vector<double> sizes(system.states.size(), 0.0);
  bool loose = false;
  for (std::size_t i = system.own_states(); i < sizes.size(); ++i) {
    sizes[i] = largest[i];
    loose = loose || (largest[i] > 0 && tolerances[i] > 1e-2 * relative * largest[i]);
  }
  if (!loose) sizes.clear();
  return sizes;
}

std::size_t sample_count(const TimeOptions& options) { return std::max<std::size_t>(2, options.samples); }

double sample_time(const TimeOptions& options, std::size_t k) {
  const std::size_t count = sample_count(options);
  if (k + 1 == count) return options.until;
  return options.from + (options.until - options.from) * static_cast<double>(k) / static_cast<double>(count - 1);
}

void stop_run(const System& system, double reached) {
  throw Stopped(
      Error(ErrorKind::interrupted, fmt::format("the run was stopped at {} = {:.6g}", system.time.name(), reached)));
}

BoundWatch::BoundWatch(const System& system, const TimeOptions& options)
    : system_(system), relative_(options.relative_tolerance) {
  if (options.at_bound == TimeOptions::AtBound::ignore) return;
  for (std::size_t i = 0; i < system.states.size(); ++i) {
    if (std::isfinite(system.lower[i])) bounds_.push_back({i, false});
    if (std::isfinite(system.upper[i])) bounds_.push_back({i, true});
  }
}

double BoundWatch::value(const Bound& b) const { return b.upper ? system_.upper[b.state] : system_.lower[b.state]; }

void BoundWatch::room(const double* y, double* left) const {
  for (std::size_t k = 0; k < bounds_.size(); ++k) {
    const Bound& b = bounds_[k];
    const double bound = value(b);
    left[k] =
        (b.upper ? bound - y[b.state] : y[b.state] - bound) + 100 * slack_[b.state] + 10 * relative_ * std::fabs(bound);
  }
}

void BoundWatch::note(const std::vector<int>& found, double time, TimeResult& result) const {
  for (std::size_t k = 0; k < bounds_.size(); ++k) {
    const Bound& b = bounds_[k];
    const std::string& name = system_.state_names[b.state];
    const bool known = std::any_of(result.crossings.begin(), result.crossings.end(),
                                   [&](const BoundCrossing& c) { return c.state == name && c.upper == b.upper; });
    if (found[k] != 0 && !known) result.crossings.push_back({name, time, value(b), b.upper});
  }
}

std::string BoundWatch::crossed(const TimeResult& result) const {
  const BoundCrossing& c = result.crossings.back();
  return fmt::format("{} crosses its {} bound {:.6g} at {} = {:.6g}", c.state, c.upper ? "upper" : "lower", c.bound,
                     system_.time.name(), c.time);
}

}  // namespace boreon
