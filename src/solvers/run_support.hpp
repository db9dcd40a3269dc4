// SPDX-License-Identifier: MIT
// What all runs in time share, whichever solver steps: tolerances, sample times, the bounds of states.
#pragma once

#include <string>
#include <vector>

#include "boreon/solvers.hpp"

namespace boreon {

/// Throws Error(unsupported) where the stepping library refuses what it was given.
void accept(int flag, const char* what);

/// `absolute` for each state, or if that is 0 a thousandth of `relative` times its size: that of its start or, where it
/// starts at zero, what its first rate makes of it over the length of the run. `sizes`, if given, are better known.
[[nodiscard]] std::vector<double> absolute_tolerances(const std::vector<double>& start, const double* slope,
                                                      double length, double relative, double absolute,
                                                      const std::vector<double>& sizes);

/// Integrals over time start at zero, and nothing says how large they get. From what they have become, `largest`, the
/// sizes for another run; empty if the tolerances of this one were tight enough.
[[nodiscard]] std::vector<double> sizes_of_integrals(const System& system, const std::vector<double>& tolerances,
                                                     const std::vector<double>& largest, double relative);

/// The k-th of the samples of a run, the last at its end.
[[nodiscard]] std::size_t sample_count(const TimeOptions& options);
[[nodiscard]] double sample_time(const TimeOptions& options, std::size_t k);

/// An interrupted run.
[[noreturn]] void stop_run(const System& system, double reached);

/// The finite bounds of the states, as functions of which a solver looks for roots.
class BoundWatch {
 public:
  BoundWatch(const System& system, const TimeOptions& options);
  [[nodiscard]] std::size_t count() const noexcept { return bounds_.size(); }
  /// Rounding around a bound at which a state rests is no crossing.
  void set_tolerances(std::vector<double> absolute) { slack_ = std::move(absolute); }
  [[nodiscard]] const std::vector<double>& tolerances() const noexcept { return slack_; }
  /// What is left to each bound.
  void room(const double* y, double* left) const;
  /// Adds the crossings that the solver has found, each bound once.
  void note(const std::vector<int>& found, double time, TimeResult& result) const;
  /// "x crosses its lower bound 0 at t = 2", of the last crossing.
  [[nodiscard]] std::string crossed(const TimeResult& result) const;

 private:
  struct Bound {
    std::size_t state;
    bool upper;
  };
  [[nodiscard]] double value(const Bound& b) const;

  const System& system_;
  double relative_;
  std::vector<Bound> bounds_;
  std::vector<double> slack_;
};

}  // namespace boreon
