// SPDX-License-Identifier: MIT
#include "solvers/fit_residuals.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/native.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"
#include "solvers/run_derivatives.hpp"

namespace boreon {
namespace {

// Cauchy's loss loses 5 % of the efficiency of squares where errors are normal.
constexpr double cauchy = 2.385;

std::vector<Expr> symbols_of(const FitProblem& p, const std::vector<std::size_t>& columns) {
  std::vector<Expr> list;
  for (const std::size_t c : columns) list.push_back(p.data.symbols[c]);
  return list;
}

// The columns of some rows, one after the other.
std::vector<double> gathered(const FitProblem& p, const std::vector<std::size_t>& columns,
                             const std::vector<std::size_t>& rows) {
  std::vector<double> all;
  all.reserve(columns.size() * rows.size());
  for (const std::size_t c : columns) {
    for (const std::size_t r : rows) all.push_back(p.data.columns[c][r]);
  }
  return all;
}

bool finite_numbers(const double* from, std::size_t count) {
  return std::all_of(from, from + count, [](double v) { return std::isfinite(v); });
}

}  // namespace

Expr weighted(const FitTarget& t) { return (t.model - t.measured) / t.deviation; }

std::vector<std::size_t> columns_in(const FitProblem& p, std::span<const Expr> expressions) {
  std::vector<std::size_t> used;
  for (std::size_t c = 0; c < p.data.symbols.size(); ++c) {
    if (std::any_of(expressions.begin(), expressions.end(),
                    [&](const Expr& e) { return depends_on(e, p.data.symbols[c]); }))
      used.push_back(c);
  }
  return used;
}

std::vector<std::size_t> columns_of_model(const FitProblem& p, const FitTarget& t) {
  std::vector<Expr> all{t.model};
  if (p.steady) all.insert(all.end(), p.steady->residuals.begin(), p.steady->residuals.end());
  return columns_in(p, all);
}

std::optional<std::size_t> column_along(const FitProblem& p, std::size_t target) {
  if (p.run) return p.data.find(p.time);
  const std::vector<std::size_t> used = columns_of_model(p, p.targets[target]);
  return used.empty() ? std::nullopt : std::optional(used.front());
}

FitResiduals::FitResiduals(const FitProblem& problem) : problem_(problem) {
  choose_rows();
  for (std::size_t k = 0; k < targets_.size(); ++k) check_deviations(k);
}

std::string FitResiduals::place(const Rows& rows, std::size_t residual) const {
  return "in " + problem_.data.place(rows.rows[residual]);
}

void FitResiduals::choose_rows() {
  for (const FitTarget& t : problem_.targets) {
    std::vector<Expr> all{t.model, t.measured, t.deviation};
    if (problem_.steady) all.insert(all.end(), problem_.steady->residuals.begin(), problem_.steady->residuals.end());
    std::vector<std::size_t> used = columns_in(problem_, all);
    if (problem_.run) {
      const auto time = problem_.data.find(problem_.time);
      if (time && std::find(used.begin(), used.end(), *time) == used.end()) used.push_back(*time);
    }
    Rows rows;
    rows.first = count_;
    for (std::size_t r = 0; r < problem_.data.rows(); ++r) {
      bool complete = true;
      for (const std::size_t c : used) {
        const double v = problem_.data.columns[c][r];
        if (std::isfinite(v)) continue;
        if (!std::isnan(v) || !problem_.data.skip_missing) {
          throw Error(ErrorKind::domain,
                      fmt::format("the column {} has {} in {}; missing = \"skip\" in [data] leaves such rows out",
                                  problem_.data.names[c], std::isnan(v) ? "no value" : "an infinite value",
                                  problem_.data.place(r)));
        }
        complete = false;
      }
      if (complete) {
        rows.rows.push_back(r);
      } else {
        ++left_out_;
      }
    }
    count_ += rows.rows.size();
    targets_.push_back(std::move(rows));
  }
}

void FitResiduals::check_deviations(std::size_t target) {
  const FitTarget& t = problem_.targets[target];
  Rows& rows = targets_[target];
  const std::vector<std::size_t> used = columns_in(problem_, {&t.deviation, 1});
  const Kernel k = compile({OutputGroup("s", std::vector<Expr>{t.deviation})},
                           {{"x", problem_.unknowns}, {"p", problem_.parameters}, {"c", symbols_of(problem_, used)}});
  const std::vector<double> columns = gathered(problem_, used, rows.rows);
  const auto n = static_cast<std::ptrdiff_t>(rows.rows.size());
  rows.deviation.resize(rows.rows.size());
  k.many(rows.rows.size(),
         std::vector<PointsIn>{
             {problem_.start.data(), 1, 0}, {problem_.parameter_values.data(), 1, 0}, {columns.data(), n, 1}},
         std::vector<PointsOut>{{rows.deviation.data(), 1, 1}});
  for (std::size_t i = 0; i < rows.rows.size(); ++i) {
    if (rows.deviation[i] > 0 && std::isfinite(rows.deviation[i])) continue;
    std::string because;
    for (const std::size_t c : used)
      because += fmt::format("{}{} = {:.6g}", because.empty() ? ", where " : ", ", problem_.data.names[c],
                             problem_.data.columns[c][rows.rows[i]]);
    throw Error(ErrorKind::domain,
                fmt::format("the {} of {} is {:.6g} {}{}; it must be positive", t.absolute ? "sigma" : "weight", t.name,
                            rows.deviation[i], used.empty() ? "everywhere" : place(rows, i), because));
  }
}

bool FitResiduals::evaluate(std::span<const double> x, double* r, double* jacobian) {
  // runs and searches for steady states count their steps
  if (!problem_.run && !problem_.steady) spend(static_cast<std::uint64_t>(work() / 8) + 1);
  if (!plain(x, r, jacobian)) return false;
  const std::size_t n = unknowns();
  for (std::size_t k = 0; k < targets_.size() && losses_; ++k) {
    if (!problem_.targets[k].robust) continue;
    const double c = cauchy * (problem_.targets[k].absolute ? 1 : robust_scale_);
    for (std::size_t i = targets_[k].first; i < targets_[k].first + targets_[k].rows.size(); ++i) {
      const double u = r[i] / c;
      const double root = std::fabs(u) < 1e-4 ? std::fabs(u) * (1 - u * u / 4) : std::sqrt(std::log1p(u * u));
      const double slope = u == 0 ? 1 : std::fabs(u) / root / (1 + u * u);
      r[i] = std::copysign(c * root, u);
      if (jacobian == nullptr) continue;
      for (std::size_t j = 0; j < n; ++j) jacobian[i * n + j] *= slope;
    }
  }
  return finite_numbers(r, count_) && (jacobian == nullptr || finite_numbers(jacobian, count_ * n));
}

double FitResiduals::cost(std::span<const double> x) {
  std::vector<double> r(count_);
  if (!evaluate(x, r.data(), nullptr)) return std::numeric_limits<double>::infinity();
  double sum = 0;
  for (const double v : r) sum += v * v;
  return sum;
}

namespace {

class TableResiduals final : public FitResiduals {
 public:
  TableResiduals(const FitProblem& problem, unsigned threads) : FitResiduals(problem), threads_(threads) {
    for (std::size_t k = 0; k < problem.targets.size(); ++k) {
      const Expr r = weighted(problem.targets[k]);
      const std::vector<std::size_t> used = columns_in(problem, {&r, 1});
      const std::vector<InputGroup> inputs{
          {"x", problem.unknowns}, {"p", problem.parameters}, {"c", symbols_of(problem, used)}};
      const OutputGroup values("r", std::vector<Expr>{r});
      const OutputGroup slopes("J", gradient(r, problem.unknowns));
      const NativeOptions often{.expected_calls = 1e6};
      parts_.push_back({r, used, compile({values}, inputs, often), compile({values, slopes}, inputs, often),
                        gathered(problem, used, targets_[k].rows)});
    }
  }

  std::string fault(std::span<const double> x) override {
    std::vector<double> r(count());
    (void)plain(x, r.data(), nullptr);
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      const Rows& rows = targets_[k];
      for (std::size_t i = 0; i < rows.rows.size(); ++i) {
        if (std::isfinite(r[rows.first + i])) continue;
        std::vector<double> c;
        for (const std::size_t column : parts_[k].used) c.push_back(problem_.data.columns[column][rows.rows[i]]);
        const std::string why = boreon::fault(
            {parts_[k].residual},
            {{"x", problem_.unknowns}, {"p", problem_.parameters}, {"c", symbols_of(problem_, parts_[k].used)}},
            {{x.begin(), x.end()}, problem_.parameter_values, c});
        return fmt::format("the model of {} has no finite value {}{}", problem_.targets[k].name, place(rows, i),
                           why.empty() ? "" : ": " + why);
      }
    }
    return "a derivative of the models has no finite value";
  }

  double work() const override {
    double sum = 0;
    for (std::size_t k = 0; k < parts_.size(); ++k)
      sum += static_cast<double>(parts_[k].both.program().operation_count() * targets_[k].rows.size());
    return sum;
  }

  std::vector<std::size_t> linear_unknowns() const override {
    std::vector<std::size_t> linear;
    for (std::size_t j = 0; j < unknowns(); ++j) {
      bool fits = true;
      for (std::size_t k = 0; k < parts_.size() && fits; ++k) {
        const Expr slope = derivative(parts_[k].residual, problem_.unknowns[j]);
        fits = !depends_on(problem_.targets[k].deviation, problem_.unknowns[j]) && !problem_.targets[k].robust &&
               !depends_on(slope, problem_.unknowns[j]) &&
               std::none_of(linear.begin(), linear.end(),
                            [&](std::size_t i) { return depends_on(slope, problem_.unknowns[i]); });
      }
      if (fits) linear.push_back(j);
    }
    return linear;
  }

 protected:
  bool plain(std::span<const double> x, double* r, double* jacobian) override {
    const auto n = static_cast<std::ptrdiff_t>(unknowns());
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      const Rows& rows = targets_[k];
      const auto m = static_cast<std::ptrdiff_t>(rows.rows.size());
      if (m == 0) continue;
      const PointsIn in[] = {
          {x.data(), 1, 0}, {problem_.parameter_values.data(), 1, 0}, {parts_[k].columns.data(), m, 1}};
      if (jacobian == nullptr) {
        const PointsOut out[] = {{r + rows.first, 1, 1}};
        parts_[k].values.many(rows.rows.size(), in, out, threads_);
      } else {
        const PointsOut out[] = {{r + rows.first, 1, 1}, {jacobian + rows.first * unknowns(), 1, n}};
        parts_[k].both.many(rows.rows.size(), in, out, threads_);
      }
    }
    return finite_numbers(r, count());
  }

 private:
  struct Part {
    Expr residual;
    std::vector<std::size_t> used;
    Kernel values;
    Kernel both;
    std::vector<double> columns;
  };
  std::vector<Part> parts_;
  unsigned threads_;
};

// The unknowns as parameters and start values of the run.
std::vector<RunInput> inputs_of(const FitProblem& p) {
  std::vector<RunInput> inputs;
  for (std::size_t j = 0; j < p.unknowns.size(); ++j) {
    if (j < p.start_of.size() && p.start_of[j]) {
      inputs.push_back({true, *p.start_of[j]});
      continue;
    }
    const auto at = std::find(p.run->parameters.begin(), p.run->parameters.end(), p.unknowns[j]);
    if (at == p.run->parameters.end())
      throw Error(ErrorKind::shape, fmt::format("the unknown {} is no parameter of the run", p.names[j]));
    inputs.push_back({false, static_cast<std::size_t>(at - p.run->parameters.begin())});
  }
  return inputs;
}

class RunResiduals final : public FitResiduals {
 public:
  explicit RunResiduals(const FitProblem& problem)
      : FitResiduals(problem),
        inputs_(inputs_of(problem)),
        run_(run_derivatives(*problem.run, inputs_, problem.relative_tolerance, 0)) {
    run_->limit_steps(20000);
    for (std::size_t k = 0; k < problem.targets.size(); ++k) {
      const Expr r = weighted(problem.targets[k]);
      std::vector<std::size_t> used = columns_in(problem, {&r, 1});
      std::erase_if(used, [&](std::size_t c) { return problem.data.symbols[c] == problem.run->time; });
      std::vector<Expr> slopes = gradient(r, problem.run->states);
      for (std::size_t j = 0; j < inputs_.size(); ++j)
        slopes.push_back(inputs_[j].start ? Expr(0) : derivative(r, problem.unknowns[j]));
      parts_.push_back({r, used,
                        compile({OutputGroup("r", std::vector<Expr>{r}), OutputGroup("J", slopes)},
                                {{"y", problem.run->states},
                                 {"p", problem.run->parameters},
                                 {"t", {problem.run->time}},
                                 {"c", symbols_of(problem, used)}})});
      slopes_.resize(std::max(slopes_.size(), slopes.size()));
    }
    sort_times();
  }

  std::string fault(std::span<const double> x) override {
    std::vector<double> r(count());
    if (plain(x, r.data(), nullptr)) return "a derivative of the run has no finite value";
    if (!message_.empty()) return message_;
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      const Rows& rows = targets_[k];
      for (std::size_t i = 0; i < rows.rows.size(); ++i) {
        if (!std::isfinite(r[rows.first + i]))
          return fmt::format("the model of {} has no finite value {}", problem_.targets[k].name, place(rows, i));
      }
    }
    return "the run has no finite value";
  }

  void set_coarse(bool on) override {
    run_->set_tolerance(on ? std::max(1e-6, problem_.relative_tolerance) : problem_.relative_tolerance);
  }

  double work() const override {
    // some hundred steps of some right-hand sides with their sensitivities
    return 300.0 * static_cast<double>(problem_.run->states.size() * (1 + unknowns())) * 30;
  }

  std::vector<std::size_t> linear_unknowns() const override { return {}; }

 protected:
  bool plain(std::span<const double> x, double* r, double* jacobian) override {
    const System& s = *problem_.run;
    RunDerivatives::Point at{s.start, s.parameter_values, problem_.from};
    for (std::size_t j = 0; j < inputs_.size(); ++j)
      (inputs_[j].start ? at.start : at.parameters)[inputs_[j].index] = x[j];
    message_ = run_->forward(at, times_, jacobian != nullptr,
                             [&](std::size_t k, const double* y, const std::vector<const double*>& slopes) {
                               for (const Measurement& m : at_time_[k]) value(m, times_[k], y, slopes, at, r, jacobian);
                             });
    return message_.empty() && finite_numbers(r, count());
  }

 private:
  struct Part {
    Expr residual;
    std::vector<std::size_t> used;
    Kernel kernel;
  };
  struct Measurement {
    std::size_t target;
    std::size_t place;
  };

  void value(const Measurement& m, double t, const double* y, const std::vector<const double*>& slopes,
             const RunDerivatives::Point& at, double* r, double* jacobian) {
    const Rows& rows = targets_[m.target];
    columns_.clear();
    for (const std::size_t c : parts_[m.target].used) columns_.push_back(problem_.data.columns[c][rows.rows[m.place]]);
    const double* in[] = {y, at.parameters.data(), &t, columns_.data()};
    double* out[] = {r + rows.first + m.place, slopes_.data()};
    parts_[m.target].kernel(in, out);
    if (jacobian == nullptr) return;
    const std::size_t states = problem_.run->states.size();
    double* const row = jacobian + (rows.first + m.place) * unknowns();
    for (std::size_t j = 0; j < unknowns(); ++j) {
      row[j] = slopes_[states + j];
      for (std::size_t i = 0; i < states; ++i) row[j] += slopes_[i] * slopes[j][i];
    }
  }

  // Rows come in any order, several at one time.
  void sort_times() {
    const auto column = problem_.data.find(problem_.time);
    if (!column)
      throw Error(ErrorKind::shape,
                  fmt::format("the data of a run in time need a column with the times, called like the independent "
                              "variable: {} (they have {})",
                              to_text(problem_.time), fmt::join(problem_.data.names, ", ")));
    const std::vector<double>& times = problem_.data.columns[*column];
    for (std::size_t k = 0; k < targets_.size(); ++k) {
      for (const std::size_t row : targets_[k].rows) {
        if (times[row] < problem_.from)
          throw Error(ErrorKind::domain,
                      fmt::format("{} = {:.6g} in {} lies before the start of the run, {:.6g}", to_text(problem_.time),
                                  times[row], problem_.data.place(row), problem_.from));
        times_.push_back(times[row]);
      }
    }
    std::sort(times_.begin(), times_.end());
    times_.erase(std::unique(times_.begin(), times_.end()), times_.end());
    at_time_.resize(times_.size());
    for (std::size_t k = 0; k < targets_.size(); ++k) {
      for (std::size_t i = 0; i < targets_[k].rows.size(); ++i) {
        const auto at = std::lower_bound(times_.begin(), times_.end(), times[targets_[k].rows[i]]);
        at_time_[static_cast<std::size_t>(at - times_.begin())].push_back({k, i});
      }
    }
  }

  std::vector<RunInput> inputs_;
  std::unique_ptr<RunDerivatives> run_;
  std::vector<Part> parts_;
  std::vector<double> times_;
  std::vector<std::vector<Measurement>> at_time_;
  std::vector<double> slopes_;
  std::vector<double> columns_;
  std::string message_;
};

}  // namespace

std::unique_ptr<FitResiduals> residuals_of(const FitProblem& problem, unsigned threads) {
  if (problem.run) return std::make_unique<RunResiduals>(problem);
  if (problem.steady) return steady_residuals(problem);
  return std::make_unique<TableResiduals>(problem, threads);
}

}  // namespace boreon
