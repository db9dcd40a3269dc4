// SPDX-License-Identifier: MIT
#include "solvers/interior_point.hpp"

#include <IpIpoptApplication.hpp>
#include <IpTNLP.hpp>

#include <algorithm>
#include <cmath>
#include <exception>
#include <optional>

#include "boreon/error.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

constexpr double beyond = 2e19;  // what Ipopt takes for no bound

// The problem as Ipopt asks for it. Names of its interface are the library's.
class Asked final : public Ipopt::TNLP {
 public:
  Asked(const SmoothProblem& p, const std::vector<double>& start, const SmoothProblem::Sizes& sizes)
      : p_(p),
        start_(start),
        sizes_(sizes),
        g_(p.constraints()),
        gradient_(p.unknowns()),
        jacobian_(p.jacobian_pattern().nonzeros()) {
    const SparsityPattern& h = p.hessian_pattern();
    for (std::size_t i = 0; i < h.rows; ++i) {
      h.each(i, [&](std::size_t k, std::size_t column) {
        if (column <= i) lower_.push_back({static_cast<int>(i), static_cast<int>(column), k});
      });
    }
    hessian_.resize(h.nonzeros());
    // With as many equations as unknowns the library would only look for a place that fulfils them. Unknowns without a
    // meaning, of which the objective has the squares, keep it looking; they end at 0.
    const OptimisationProblem& q = p.given();
    std::size_t equations = 0;
    for (const Constraint& c : q.constraints) equations += c.is_equation() ? 1 : 0;
    std::size_t free = 0;
    for (std::size_t i = 0; i < p.unknowns(); ++i) free += q.lower[i] < q.upper[i] ? 1 : 0;
    padding_ = equations >= free ? static_cast<int>(equations - free + 1) : 0;
  }

  bool get_nlp_info(int& n, int& m, int& jacobian, int& hessian, IndexStyleEnum& style) override {
    n = static_cast<int>(p_.unknowns()) + padding_;
    m = static_cast<int>(p_.constraints());
    jacobian = static_cast<int>(p_.jacobian_pattern().nonzeros());
    hessian = static_cast<int>(lower_.size()) + padding_;
    style = C_STYLE;
    return true;
  }

  bool get_bounds_info(int n, double* lower, double* upper, int m, double* g_lower, double* g_upper) override {
    const OptimisationProblem& q = p_.given();
    for (int i = 0; i < n; ++i) {
      const auto k = static_cast<std::size_t>(i);
      if (k >= p_.unknowns()) {
        lower[i] = -beyond;
        upper[i] = beyond;
        continue;
      }
      const auto scaled = [&](double bound) { return std::clamp(bound / sizes_.unknowns[k], -beyond, beyond); };
      lower[i] = scaled(q.lower[k]);
      upper[i] = scaled(q.upper[k]);
    }
    for (int j = 0; j < m; ++j) {
      const auto k = static_cast<std::size_t>(j);
      g_lower[j] = std::clamp(q.constraints[k].lower / sizes_.constraints[k], -beyond, beyond);
      g_upper[j] = std::clamp(q.constraints[k].upper / sizes_.constraints[k], -beyond, beyond);
    }
    return true;
  }

  bool get_starting_point(int n, bool, double* x, bool, double*, double*, int, bool, double*) override {
    for (int i = 0; i < n; ++i) {
      const auto k = static_cast<std::size_t>(i);
      x[i] = k < p_.unknowns() ? start_[k] / sizes_.unknowns[k] : 0;
    }
    return true;
  }

  bool eval_f(int n, const double* u, bool moved, double& f) override {
    return guarded([&] {
      if (!values(u, moved)) return false;
      f = f_ / sizes_.objective;
      for (auto i = static_cast<int>(p_.unknowns()); i < n; ++i) f += u[i] * u[i];
      return true;
    });
  }

  bool eval_grad_f(int n, const double* u, bool moved, double* gradient) override {
    return guarded([&] {
      if (!slopes(u, moved)) return false;
      for (int i = 0; i < n; ++i) {
        const auto k = static_cast<std::size_t>(i);
        gradient[i] = k < p_.unknowns() ? gradient_[k] * sizes_.unknowns[k] / sizes_.objective : 2 * u[i];
      }
      return true;
    });
  }

  bool eval_g(int, const double* u, bool moved, int m, double* g) override {
    return guarded([&] {
      if (!values(u, moved)) return false;
      for (int j = 0; j < m; ++j)
        g[j] = g_[static_cast<std::size_t>(j)] / sizes_.constraints[static_cast<std::size_t>(j)];
      return true;
    });
  }

  bool eval_jac_g(int, const double* u, bool moved, int, int, int* rows, int* columns, double* entries) override {
    return guarded([&] {
      const SparsityPattern& p = p_.jacobian_pattern();
      if (entries != nullptr && !slopes(u, moved)) return false;
      for (std::size_t j = 0; j < p.rows; ++j) {
        p.each(j, [&](std::size_t k, std::size_t column) {
          if (entries == nullptr) {
            rows[k] = static_cast<int>(j);
            columns[k] = static_cast<int>(column);
          } else {
            entries[k] = jacobian_[k] * sizes_.unknowns[column] / sizes_.constraints[j];
          }
        });
      }
      return true;
    });
  }

  bool eval_h(int, const double* u, bool moved, double weight, int m, const double* multipliers, bool, int, int* rows,
              int* columns, double* entries) override {
    return guarded([&] {
      if (entries == nullptr) {
        for (std::size_t e = 0; e < lower_.size(); ++e) {
          rows[e] = lower_[e].row;
          columns[e] = lower_[e].column;
        }
        for (int k = 0; k < padding_; ++k)
          rows[lower_.size() + static_cast<std::size_t>(k)] = columns[lower_.size() + static_cast<std::size_t>(k)] =
              static_cast<int>(p_.unknowns()) + k;
        return true;
      }
      std::vector<double> weights;
      for (int j = 0; j < m; ++j) weights.push_back(multipliers[j] / sizes_.constraints[static_cast<std::size_t>(j)]);
      go_to(u, moved);
      if (!p_.curvature(x_.data(), weight / sizes_.objective, weights.data(), hessian_.data())) return false;
      for (std::size_t e = 0; e < lower_.size(); ++e)
        entries[e] = hessian_[lower_[e].entry] * sizes_.unknowns[static_cast<std::size_t>(lower_[e].row)] *
                     sizes_.unknowns[static_cast<std::size_t>(lower_[e].column)];
      for (int k = 0; k < padding_; ++k) entries[lower_.size() + static_cast<std::size_t>(k)] = 2 * weight;
      return true;
    });
  }

  bool intermediate_callback(Ipopt::AlgorithmMode, int iterations, double, double, double, double, double, double,
                             double, double, int, const Ipopt::IpoptData*, Ipopt::IpoptCalculatedQuantities*) override {
    result.iterations = iterations;
    return !stopped_ && !interrupt_requested();
  }

  void finalize_solution(Ipopt::SolverReturn, int n, const double* u, const double* at_lower, const double* at_upper,
                         int m, const double*, const double* multipliers, double, const Ipopt::IpoptData*,
                         Ipopt::IpoptCalculatedQuantities*) override {
    for (int i = 0; i < n - padding_; ++i) {
      const double unit = sizes_.objective / sizes_.unknowns[static_cast<std::size_t>(i)];
      result.at_lower.push_back(at_lower[i] * unit);
      result.at_upper.push_back(at_upper[i] * unit);
    }
    for (int j = 0; j < m; ++j)
      result.multipliers.push_back(multipliers[j] * sizes_.objective / sizes_.constraints[static_cast<std::size_t>(j)]);
    go_to(u, true);
    result.x = x_;
  }

  /// Throws what ended an evaluation.
  void check() const {
    if (stopped_) std::rethrow_exception(stopped_);
  }

  InteriorPoint result;

 private:
  struct Entry {
    int row;
    int column;
    std::size_t entry;
  };

  // The library knows nothing of exceptions: it ends, then they go on.
  template <class F>
  bool guarded(const F& f) {
    if (stopped_ || interrupt_requested()) return false;
    try {
      spend(50 * (p_.unknowns() + p_.constraints()) + 1000);
      return f();
    } catch (...) {
      stopped_ = std::current_exception();
      return false;
    }
  }

  // Values are those of the bounds where rounding of the units would pass them. The library says whether it has been at
  // the place before: values and slopes are asked for in two parts.
  void go_to(const double* u, bool moved) {
    if (!moved && !x_.empty()) return;
    x_.resize(p_.unknowns());
    for (std::size_t i = 0; i < x_.size(); ++i)
      x_[i] = std::clamp(u[i] * sizes_.unknowns[i], p_.given().lower[i], p_.given().upper[i]);
    has_values_.reset();
    has_slopes_.reset();
  }
  bool values(const double* u, bool moved) {
    go_to(u, moved);
    if (!has_values_) has_values_ = p_.value(x_.data(), f_, g_.data());
    return *has_values_;
  }
  bool slopes(const double* u, bool moved) {
    go_to(u, moved);
    if (!has_slopes_) has_slopes_ = p_.slopes(x_.data(), gradient_.data(), jacobian_.data());
    return *has_slopes_;
  }

  const SmoothProblem& p_;
  const std::vector<double>& start_;
  const SmoothProblem::Sizes& sizes_;
  std::vector<Entry> lower_;
  int padding_ = 0;
  std::vector<double> x_;
  std::optional<bool> has_values_;  // at x_, if they were asked for
  std::optional<bool> has_slopes_;
  double f_ = 0;
  std::vector<double> g_;
  std::vector<double> gradient_;
  std::vector<double> jacobian_;
  std::vector<double> hessian_;
  std::exception_ptr stopped_;
};

InteriorPoint::Ending ending_of(Ipopt::ApplicationReturnStatus status) {
  using Ending = InteriorPoint::Ending;
  switch (status) {
    case Ipopt::Solve_Succeeded:
    case Ipopt::Solved_To_Acceptable_Level:
    case Ipopt::Feasible_Point_Found: return Ending::converged;
    case Ipopt::Infeasible_Problem_Detected: return Ending::infeasible;
    case Ipopt::Diverging_Iterates: return Ending::unbounded;
    case Ipopt::Maximum_Iterations_Exceeded: return Ending::too_many_iterations;
    default: return Ending::stuck;
  }
}

}  // namespace

InteriorPoint interior_point(const SmoothProblem& problem, const std::vector<double>& start,
                             const SmoothProblem::Sizes& sizes, int max_iterations) {
  const Ipopt::SmartPtr<Ipopt::IpoptApplication> application = new Ipopt::IpoptApplication(false);
  const Ipopt::SmartPtr<Ipopt::OptionsList> options = application->Options();
  options->SetIntegerValue("print_level", 0);
  options->SetStringValue("sb", "yes");  // no banner
  options->SetIntegerValue("max_iter", max_iterations);
  options->SetNumericValue("tol", 1e-10);
  options->SetNumericValue("bound_relax_factor", 0);  // beyond a bound there may be no value
  options->SetStringValue("mu_strategy", "adaptive");
  options->SetNumericValue("diverging_iterates_tol", 1e15);  // unknowns are in units of their sizes
  options->SetStringValue("fixed_variable_treatment", "make_parameter");
  const Ipopt::SmartPtr<Asked> asked = new Asked(problem, start, sizes);
  InteriorPoint result;
  result.x = start;
  if (application->Initialize("") != Ipopt::Solve_Succeeded) return result;
  const Ipopt::ApplicationReturnStatus status = application->OptimizeTNLP(Ipopt::GetRawPtr(asked));
  asked->check();
  spend(1);  // an interrupted search ends here
  if (!asked->result.x.empty()) result = asked->result;
  result.ending = ending_of(status);
  result.multipliers.resize(problem.constraints(), 0.0);
  result.at_lower.resize(problem.unknowns(), 0.0);
  result.at_upper.resize(problem.unknowns(), 0.0);
  result.constraints.resize(problem.constraints());
  if (!problem.value(result.x.data(), result.objective, result.constraints.data()))
    result.ending = InteriorPoint::Ending::stuck;
  return result;
}

}  // namespace boreon
