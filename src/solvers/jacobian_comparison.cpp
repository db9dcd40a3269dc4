// SPDX-License-Identifier: MIT
#include "boreon/jacobian_comparison.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/error.hpp"
#include "expr/work.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/newton_check.hpp"
#include "solvers/newton_run.hpp"

namespace boreon {
namespace {

enum class Way { derived, differences, single, kept };

constexpr std::size_t most_compared = 2000;
constexpr int kept_for = 10;

class Trials {
 public:
  explicit Trials(const System& system)
      : system_(system),
        inputs_{{"y", system.states}, {"p", system.parameters}, {"t", {system.time}}},
        residual_(with_parameters({OutputGroup("f", system.residuals)}, inputs_, system.parameter_values)),
        jacobian_(system.residuals, system.states, inputs_, system.parameter_values, LinearSolver::automatic, context_),
        scaling_(system),
        n_(system.states.size()) {
    reach_ = scaling_.unknowns(system.start).reach;
    for (double& r : reach_)
      if (!(r > 0) || !std::isfinite(r)) r = 1;
  }

  JacobianTrial run(Way way, const char* name, int most_steps) {
    JacobianTrial trial;
    trial.name = name;
    std::vector<double> y = system_.start;
    std::vector<double> f(n_);
    if (!evaluate(y, f)) return trial;
    double size = measure(y, f);
    trial.residuals.push_back(size);
    std::vector<double> values;
    int age = kept_for;
    for (int k = 0; k < most_steps; ++k) {
      spend(1000 + 50 * n_);
      if (way != Way::kept || ++age > kept_for) {
        values = entries(way, y, f);
        age = 1;
      }
      std::vector<double> columns(n_);
      for (std::size_t i = 0; i < n_; ++i) columns[i] = std::max(std::fabs(y[i]), 1e-12 * reach_[i]);
      const auto step = newton_step(jacobian_.pattern(), values, f, std::vector<double>(n_, 0.0), columns);
      if (!step) break;
      double moved = 0;
      bool better = false;
      for (double part = 1; part > 1e-6 && !better; part /= 2) {
        std::vector<double> next = y;
        moved = 0;
        for (std::size_t i = 0; i < n_; ++i) {
          next[i] = std::clamp(y[i] - part * step->step[i], system_.lower[i], system_.upper[i]);
          moved = std::max(moved, std::fabs(next[i] - y[i]) / columns[i]);
        }
        std::vector<double> g(n_);
        if (!evaluate(next, g)) continue;
        const double there = measure(next, g);
        better = there < size || (there <= size && moved < 1e-12);
        if (!better && moved > 1e-13) continue;
        y = std::move(next);
        f = std::move(g);
        size = there;
      }
      trial.residuals.push_back(size);
      if (moved < 1e-14 || size == 0) break;
      if (!better) {
        if (way == Way::kept && age > 1) {
          age = kept_for;  // a new one, before giving up
          continue;
        }
        break;
      }
    }
    trial.converged = size < 1e-10;
    compare_entries(way, y, f, trial);
    return trial;
  }

 private:
  bool evaluate(const std::vector<double>& y, std::vector<double>& f) const {
    const double t = 0;
    const double* in[] = {y.data(), system_.parameter_values.data(), &t};
    double* out[] = {f.data()};
    residual_(in, out);
    return std::all_of(f.begin(), f.end(), [](double v) { return std::isfinite(v); });
  }

  // The largest residual relative to the magnitudes of its terms.
  [[nodiscard]] double measure(const std::vector<double>& y, const std::vector<double>& f) const {
    const std::vector<double> terms = scaling_.equations(y);
    double worst = 0;
    for (std::size_t i = 0; i < n_; ++i) worst = std::max(worst, f[i] == 0 ? 0 : std::fabs(f[i]) / terms[i]);
    return worst;
  }

  [[nodiscard]] std::vector<double> derived(const std::vector<double>& y) {
    const double t = 0;
    const double* in[] = {y.data(), system_.parameter_values.data(), &t};
    (void)jacobian_.evaluate(in);
    return jacobian_.values();
  }

  // Values in the order of the pattern.
  std::vector<double> entries(Way way, const std::vector<double>& y, const std::vector<double>& f) {
    if (way == Way::derived || way == Way::kept) return derived(y);
    const bool single = way == Way::single;
    const auto rounded = [&](double v) { return single ? static_cast<double>(static_cast<float>(v)) : v; };
    const double part = std::sqrt(single ? static_cast<double>(std::numeric_limits<float>::epsilon())
                                         : std::numeric_limits<double>::epsilon());
    const SparsityPattern& p = jacobian_.pattern();
    std::vector<double> values(p.nonzeros(), 0.0);
    for (std::size_t c = 0; c < n_; ++c) {
      std::vector<double> moved = y;
      moved[c] = rounded(y[c] + part * std::max(std::fabs(y[c]), 1e-3 * reach_[c]));
      const double by = moved[c] - rounded(y[c]);
      std::vector<double> g(n_);
      if (by == 0 || !evaluate(moved, g)) continue;
      for (std::size_t row = 0; row < n_; ++row) {
        for (auto k = static_cast<std::size_t>(p.row_start[row]); k < static_cast<std::size_t>(p.row_start[row + 1]);
             ++k)
          if (static_cast<std::size_t>(p.columns[k]) == c) values[k] = (rounded(g[row]) - rounded(f[row])) / by;
      }
    }
    return values;
  }

  void compare_entries(Way way, const std::vector<double>& y, const std::vector<double>& f, JacobianTrial& trial) {
    const std::vector<double> right = derived(y);
    const std::vector<double> other = way == Way::kept ? derived(system_.start) : entries(way, y, f);
    const SparsityPattern& p = jacobian_.pattern();
    for (std::size_t row = 0; row < n_; ++row) {
      for (auto k = static_cast<std::size_t>(p.row_start[row]); k < static_cast<std::size_t>(p.row_start[row + 1]);
           ++k) {
        const double d = std::fabs(other[k] - right[k]) / std::max(std::fabs(right[k]), 1e-300);
        if (!(d > trial.worst_entry)) continue;
        trial.worst_entry = d;
        trial.worst_name = fmt::format("d({})/d({})", system_.equation_names[row],
                                       system_.state_names[static_cast<std::size_t>(p.columns[k])]);
      }
    }
  }

  const System& system_;
  SundialsContext context_;
  std::vector<InputGroup> inputs_;
  StagedKernel residual_;
  NumericJacobian jacobian_;
  Scaling scaling_;
  std::size_t n_;
  std::vector<double> reach_;
};

}  // namespace

JacobianComparison compare_jacobians(const System& given, int most_steps) {
  const System system = checked(given, Purpose::steady);
  if (system.states.size() > most_compared)
    throw Error(ErrorKind::limit, fmt::format("differences are compared for at most {} unknowns; there are {}",
                                              most_compared, system.states.size()));
  Trials trials(system);
  JacobianComparison c;
  c.trials.push_back(trials.run(Way::derived, "derived", most_steps));
  c.trials.push_back(trials.run(Way::differences, "differences", most_steps));
  c.trials.push_back(trials.run(Way::single, "single precision", most_steps));
  c.trials.push_back(trials.run(Way::kept, "old one kept", most_steps));
  return c;
}

}  // namespace boreon
