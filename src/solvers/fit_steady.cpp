// SPDX-License-Identifier: MIT
// Residuals of a fit whose models are steady states: the equations are solved for each row of the data, and derived by
// the theorem on implicit functions.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/error.hpp"
#include "solvers/fit_residuals.hpp"
#include "solvers/output_map.hpp"

namespace boreon {
namespace {

std::size_t parameter_index(const System& s, const Expr& symbol) {
  const auto at = std::find(s.parameters.begin(), s.parameters.end(), symbol);
  return static_cast<std::size_t>(at - s.parameters.begin());
}

// The system with the weighted residuals of all targets as outputs; columns that only those use are parameters too.
System with_targets(const FitProblem& p) {
  System s = *p.steady;
  s.outputs.clear();
  s.output_names.clear();
  for (const FitTarget& t : p.targets) {
    s.outputs.push_back(weighted(t));
    s.output_names.push_back(fmt::format("residual {}", s.outputs.size()));
  }
  for (const std::size_t c : columns_in(p, s.outputs)) {
    if (parameter_index(s, p.data.symbols[c]) < s.parameters.size()) continue;
    s.parameters.push_back(p.data.symbols[c]);
    s.parameter_names.push_back("column " + p.data.names[c]);
    s.parameter_values.push_back(0);
  }
  return s;
}

std::vector<std::string> names_of_unknowns(const FitProblem& p, const System& s) {
  std::vector<std::string> names;
  for (std::size_t j = 0; j < p.unknowns.size(); ++j) {
    const std::size_t at = parameter_index(s, p.unknowns[j]);
    if (at == s.parameters.size())
      throw Error(ErrorKind::shape, fmt::format("the unknown {} is no parameter of the steady state", p.names[j]));
    names.push_back(s.parameter_names[at]);
  }
  return names;
}

SensitivityOptions at_steady_states() {
  SensitivityOptions o;
  o.at = OutputsAt::steady_state;
  return o;
}

class SteadyResiduals final : public FitResiduals {
 public:
  explicit SteadyResiduals(const FitProblem& problem)
      : FitResiduals(problem),
        system_(with_targets(problem)),
        map_(system_, system_.output_names, names_of_unknowns(problem, system_), at_steady_states()) {
    for (std::size_t c = 0; c < problem.data.symbols.size(); ++c) {
      const std::size_t at = parameter_index(system_, problem.data.symbols[c]);
      if (at < system_.parameters.size()) columns_.push_back({c, at});
    }
    places_.resize(problem.data.rows());
    for (std::size_t k = 0; k < targets_.size(); ++k) {
      for (std::size_t i = 0; i < targets_[k].rows.size(); ++i) places_[targets_[k].rows[i]].push_back({k, i});
    }
    near_.resize(problem.data.rows());
  }

  std::string fault(std::span<const double> x) override {
    std::vector<double> r(count());
    std::vector<double> jacobian(count() * unknowns());
    if (plain(x, r.data(), jacobian.data())) return "a derivative of the steady states has no finite value";
    return message_;
  }

  double work() const override {
    // some steps of Newton's method for each row, and one linear solve for each unknown
    const auto n = static_cast<double>(system_.states.size());
    return static_cast<double>(problem_.data.rows()) * (5000 + n * (400 + 50.0 * static_cast<double>(unknowns())));
  }

  std::vector<std::size_t> linear_unknowns() const override { return {}; }

 protected:
  bool plain(std::span<const double> x, double* r, double* jacobian) override {
    message_.clear();
    const std::vector<double> at(x.begin(), x.end());
    std::vector<std::vector<double>> found = near_;
    std::vector<double> last;
    for (std::size_t row = 0; row < places_.size(); ++row) {
      if (places_[row].empty()) continue;
      for (const auto& [column, parameter] : columns_)
        map_.set_parameter(parameter, problem_.data.columns[column][row]);
      if (!solve(row, at, last, r, jacobian)) return false;
      last = map_.states();
      found[row] = last;
    }
    // A search that turns back must find the branch it came from: only points from which it goes on are remembered.
    if (jacobian != nullptr) near_ = std::move(found);
    return true;
  }

 private:
  struct Column {
    std::size_t column;
    std::size_t parameter;
  };
  struct Measurement {
    std::size_t target;
    std::size_t place;
  };

  // From where the row was solved last; at first from the start values, as solve() would, then from the row before.
  bool solve(std::size_t row, const std::vector<double>& x, const std::vector<double>& last, double* r,
             double* jacobian) {
    try {
      map_.begin_at(near_[row].empty() ? system_.start : near_[row]);
      std::vector<double> values = map_.values(x);
      if (values.empty() && !last.empty()) {
        map_.begin_at(last);
        values = map_.values(x);
      }
      if (values.empty()) return fail(row, "the equations have no steady state that was found", map_.message());
      std::vector<std::vector<double>> slopes;
      if (jacobian != nullptr) slopes = map_.forward();
      for (const Measurement& m : places_[row]) {
        const std::size_t at = targets_[m.target].first + m.place;
        r[at] = values[m.target];
        if (!std::isfinite(r[at]))
          return fail(row, fmt::format("the model of {} has no finite value", problem_.targets[m.target].name), "");
        if (jacobian != nullptr)
          std::copy(slopes[m.target].begin(), slopes[m.target].end(), jacobian + at * unknowns());
      }
      return true;
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::domain) throw;
      return fail(row, "the steady state has no derivatives", e.what());
    }
  }

  bool fail(std::size_t row, const std::string& what, const std::string& why) {
    message_ = fmt::format("{} in {}{}{}", what, problem_.data.place(row), why.empty() ? "" : ": ", why);
    return false;
  }

  System system_;
  OutputMap map_;
  std::vector<Column> columns_;
  std::vector<std::vector<Measurement>> places_;  // by row
  std::vector<std::vector<double>> near_;         // states of each row at the last point with derivatives
  std::string message_;
};

}  // namespace

std::unique_ptr<FitResiduals> steady_residuals(const FitProblem& problem) {
  return std::make_unique<SteadyResiduals>(problem);
}

}  // namespace boreon
