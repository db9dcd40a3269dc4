// SPDX-License-Identifier: MIT
// Fits: the search from several starts, and what is verified at its end.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "boreon/error.hpp"
#include "boreon/evidence.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/fit_hints.hpp"
#include "solvers/fit_search.hpp"
#include "solvers/fit_statistics.hpp"

namespace boreon {
namespace {

constexpr double unbounded = std::numeric_limits<double>::infinity();
// Two minima with costs as near as this are one.
constexpr double same_cost = 1e-7;

void require_length(std::size_t have, std::size_t want, const char* what, const char* of) {
  if (have != want)
    throw Error(ErrorKind::shape, fmt::format("the fit has {} {} for {} {}; give one for each", have, what, want, of));
}

// Lists of equal lengths, defaults filled in, starts inside their bounds.
FitProblem checked_problem(FitProblem p) {
  const std::size_t n = p.unknowns.size();
  if (n == 0) throw Error(ErrorKind::shape, "the fit has no unknowns");
  if (p.targets.empty()) throw Error(ErrorKind::shape, "the fit has no measured column");
  if (p.lower.empty()) p.lower.assign(n, -unbounded);
  if (p.upper.empty()) p.upper.assign(n, unbounded);
  require_length(p.names.size(), n, "names", "unknowns");
  require_length(p.start.size(), n, "starts", "unknowns");
  require_length(p.lower.size(), n, "lower bounds", "unknowns");
  require_length(p.upper.size(), n, "upper bounds", "unknowns");
  require_length(p.parameter_values.size(), p.parameters.size(), "values", "parameters");
  require_length(p.data.columns.size(), p.data.symbols.size(), "columns of data", "symbols");
  require_length(p.data.names.size(), p.data.symbols.size(), "names of columns", "symbols");
  for (const auto& c : p.data.columns) require_length(c.size(), p.data.rows(), "values in a column", "rows");
  for (std::size_t i = 0; i < n; ++i) {
    if (std::isnan(p.start[i]) || std::isnan(p.lower[i]) || std::isnan(p.upper[i]))
      throw Error(ErrorKind::usage, fmt::format("the start or a bound of {} is not a number (NaN)", p.names[i]));
    if (p.lower[i] > p.upper[i])
      throw Error(ErrorKind::usage, fmt::format("the lower bound of {} ({:.6g}) is above its upper bound ({:.6g})",
                                                p.names[i], p.lower[i], p.upper[i]));
    p.start[i] = std::clamp(p.start[i], p.lower[i], p.upper[i]);
  }
  std::vector<Expr> known = p.unknowns;
  known.insert(known.end(), p.parameters.begin(), p.parameters.end());
  known.insert(known.end(), p.data.symbols.begin(), p.data.symbols.end());
  if (p.run) {
    p.run = checked(*p.run, Purpose::in_time);
    known.insert(known.end(), p.run->states.begin(), p.run->states.end());
    known.push_back(p.run->time);
  }
  if (p.steady) {
    p.steady = checked(*p.steady, Purpose::steady);
    known.insert(known.end(), p.steady->states.begin(), p.steady->states.end());
  }
  for (const FitTarget& t : p.targets) {
    const Expr all[] = {t.model, t.measured, t.deviation};
    for (const Symbol& s : free_symbols(all)) {
      if (std::find(known.begin(), known.end(), Expr(s)) == known.end())
        throw Error(
            ErrorKind::binding,
            fmt::format("{} in the model of {} is neither an unknown nor a parameter nor a column", s.name(), t.name));
    }
    if (!p.data.find(t.measured))
      throw Error(ErrorKind::shape, fmt::format("what is measured of {} is no column of the data", t.name));
  }
  return p;
}

// Another start: within the bounds, or a factor of up to ten to either side of the given one.
std::vector<double> another_start(const FitProblem& p, std::mt19937_64& random) {
  const auto uniform = [&] { return static_cast<double>(random() >> 11U) * 0x1.0p-53; };
  std::vector<double> x = p.start;
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double u = uniform();
    const double lower = p.lower[i];
    const double upper = p.upper[i];
    if (lower > 0 && std::isfinite(upper) && upper > 100 * lower) {
      x[i] = lower * std::pow(upper / lower, u);
    } else if (std::isfinite(lower) && std::isfinite(upper) &&
               !(std::fabs(x[i]) > 0 && upper - lower > 100 * std::fabs(x[i]))) {
      x[i] = lower + u * (upper - lower);
    } else {
      x[i] = x[i] != 0 ? x[i] * std::pow(10.0, 2 * u - 1) : 2 * u - 1;
    }
    x[i] = std::clamp(x[i], lower, upper);
  }
  return x;
}

class Fit {
 public:
  Fit(const FitProblem& problem, const FitOptions& options)
      : problem_(problem), options_(options), residuals_(residuals_of(problem, options.threads)) {
    box_.lower = problem.lower;
    box_.upper = problem.upper;
    box_.held.assign(problem.unknowns.size(), 0);
    linear_ = residuals_->linear_unknowns();
    if (linear_.size() == problem.unknowns.size() && residuals_->count() > 100'000) linear_.clear();
  }

  FitResult run() {
    if (residuals_->count() < problem_.unknowns.size())
      throw Error(ErrorKind::shape,
                  fmt::format("{} measurements ({} rows of data) for {} unknowns ({}): a fit needs at least as many "
                              "measurements as unknowns",
                              residuals_->count(), problem_.data.rows(), problem_.unknowns.size(),
                              fmt::join(problem_.names, ", ")));
    if (!std::isfinite(residuals_->cost(problem_.start)))
      throw Error(ErrorKind::domain,
                  fmt::format("at the start {}; begin elsewhere", residuals_->fault(problem_.start)));
    std::vector<double> begin = problem_.start;
    if (needs_scale()) begin = scaled_start();
    FitResult result;
    const FitPoint best = best_of_all(begin, result);
    finish(best, result);
    return result;
  }

 private:
  [[nodiscard]] bool any(bool FitTarget::*what) const {
    return std::any_of(problem_.targets.begin(), problem_.targets.end(), [&](const FitTarget& t) { return t.*what; });
  }

  // Losses without a sigma need the size of the errors: from the residuals of the fit before, again and again.
  [[nodiscard]] bool needs_scale() const {
    return std::any_of(problem_.targets.begin(), problem_.targets.end(),
                       [](const FitTarget& t) { return t.robust && !t.absolute; });
  }
  std::vector<double> scaled_start() {
    std::vector<double> x = problem_.start;
    residuals_->set_losses(false);
    FitPoint plain = from(x);
    for (int k = 0; k < 8; ++k) {
      std::vector<double> r(residuals_->count());
      residuals_->set_losses(false);
      if (!residuals_->evaluate(plain.x, r.data(), nullptr)) break;
      std::vector<double> sizes;
      for (std::size_t t = 0; t < problem_.targets.size(); ++t) {
        if (!problem_.targets[t].robust || problem_.targets[t].absolute) continue;
        const FitResiduals::Rows& rows = residuals_->targets()[t];
        for (std::size_t i = 0; i < rows.rows.size(); ++i) sizes.push_back(std::fabs(r[rows.first + i]));
      }
      const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
      std::nth_element(sizes.begin(), middle, sizes.end());
      const double scale = 1.4826 * *middle;
      residuals_->set_losses(true);
      if (!(scale > 0)) break;
      const bool settled = std::fabs(scale - residuals_->robust_scale()) < 1e-6 * scale;
      residuals_->set_robust_scale(scale);
      if (settled) break;
      plain = from(plain.x);
    }
    residuals_->set_losses(true);
    return plain.x;
  }

  FitPoint from(const std::vector<double>& start) {
    FitPoint best{start, residuals_->cost(start), 0};
    if (!linear_.empty()) {
      FitPoint p = trust_region(*residuals_, box_, linear_, start, options_.max_iterations);
      best.iterations += p.iterations;
      if (p.cost < best.cost) {
        p.iterations = best.iterations;
        best = std::move(p);
      }
    }
    FitPoint p = trust_region(*residuals_, box_, {}, best.x, options_.max_iterations);
    p.iterations += best.iterations;
    if (p.cost <= best.cost) best = std::move(p);
    snap(best);
    polish(*residuals_, box_, best);
    return best;
  }

  // The search stops short of a bound by rounding.
  void snap(FitPoint& p) {
    for (std::size_t i = 0; i < p.x.size(); ++i) {
      for (const double bound : {box_.lower[i], box_.upper[i]}) {
        if (!std::isfinite(bound) || p.x[i] == bound) continue;
        const double size = std::max({std::fabs(bound), std::fabs(problem_.start[i] - bound), 1e-300});
        if (std::fabs(p.x[i] - bound) > 1e-6 * size) continue;
        std::vector<double> x = p.x;
        x[i] = bound;
        const double cost = residuals_->cost(x);
        if (cost <= p.cost * (1 + 1e-9)) p = {std::move(x), cost, p.iterations};
      }
    }
  }

  // All searches: the minimum that the given start leads to, unless another one is better by more than errors explain;
  // of several with the same cost (signs and exchanged terms) the one nearest to the start.
  FitPoint best_of_all(const std::vector<double>& begin, FitResult& result) {
    std::vector<FitPoint> found{from(begin)};
    if (!linear_.empty()) {  // and without eliminating, which may leap far
      FitPoint direct = trust_region(*residuals_, box_, {}, begin, options_.max_iterations);
      if (std::isfinite(direct.cost)) {
        snap(direct);
        polish(*residuals_, box_, direct);
        found.push_back(std::move(direct));
      }
    }
    const std::size_t own = found.size();
    std::mt19937_64 random(42);
    const int count = other_starts();
    for (int k = 0; k < count; ++k) found.push_back(from(another_start(problem_, random)));
    result.starts = count + 1;
    const auto cheaper = [](const FitPoint& a, const FitPoint& b) { return a.cost < b.cost; };
    const FitPoint& lowest = *std::min_element(found.begin(), found.end(), cheaper);
    const FitPoint& given = *std::min_element(found.begin(), found.begin() + static_cast<std::ptrdiff_t>(own), cheaper);
    if (!std::isfinite(lowest.cost)) return given;
    const double dof = static_cast<double>(residuals_->count()) - static_cast<double>(problem_.unknowns.size());
    const double scale = any(&FitTarget::absolute) ? 1 : lowest.cost / std::max(dof, 1.0);
    const double floor = 1e-18 * measured_square();
    const bool better = given.cost - lowest.cost > (options_.lowest ? same_cost * given.cost : 0.5 * scale) + floor;
    result.from_other_start = better;
    const FitPoint& chosen = better ? lowest : given;
    const double size = std::max(chosen.cost, floor / same_cost);
    const auto same = [&](const FitPoint& p) { return std::fabs(p.cost - chosen.cost) <= same_cost * size; };
    const FitPoint* nearest = &chosen;
    for (const FitPoint& p : found) {
      if (same(p) && distance(p) < distance(*nearest)) nearest = &p;
    }
    for (std::size_t k = own - 1; k < found.size(); ++k) ++(same(found[k]) ? result.same_minimum : result.other_minima);
    if (own > 1 && better) result.same_minimum = std::max(result.same_minimum, 1);
    if (lowest.cost < chosen.cost - same_cost * size)
      result.warnings.push_back(fmt::format("another minimum fits as well as errors can tell: {}", listed(lowest)));
    FitPoint best = *nearest;
    // squares and even functions do not see a sign: the one of the start then
    for (std::size_t i = 0; i < best.x.size(); ++i) {
      if (!(best.x[i] * problem_.start[i] < 0)) continue;
      FitPoint turned = best;
      turned.x[i] = box_.inside(i, -turned.x[i]);
      turned.cost = residuals_->cost(turned.x);
      if (same(turned)) best = std::move(turned);
    }
    return best;
  }

  [[nodiscard]] int other_starts() const {
    if (options_.other_starts >= 0) return options_.other_starts;
    if (linear_.size() == problem_.unknowns.size()) return 1;
    // what takes about a second, between one and eight
    const double once = residuals_->work() * 30 * static_cast<double>(1 + problem_.unknowns.size());
    const int count = static_cast<int>(std::clamp(1e9 / std::max(once, 1.0), 1.0, 8.0));
    return problem_.run || problem_.steady ? std::min(count, 2) : count;
  }

  // Signs that are not those of the start count most, then distances in parts of the start.
  [[nodiscard]] double distance(const FitPoint& p) const {
    double sum = 0;
    for (std::size_t i = 0; i < p.x.size(); ++i) {
      const double from = problem_.start[i];
      const double size = from != 0 ? std::fabs(from) : 1;
      sum += std::min(std::fabs(p.x[i] - from) / size, 100.0) + (from * p.x[i] < 0 ? 1000 : 0);
    }
    return sum;
  }

  [[nodiscard]] std::string listed(const FitPoint& p) const {
    std::string text;
    for (std::size_t i = 0; i < p.x.size() && i < 6; ++i)
      text += fmt::format("{}{} = {:.6g}", i > 0 ? ", " : "", problem_.names[i], p.x[i]);
    return text;
  }

  void finish(const FitPoint& best, FitResult& result) {
    result.values = best.x;
    result.iterations = best.iterations;
    for (const std::size_t i : linear_) result.eliminated.push_back(problem_.names[i]);
    if (needs_scale()) result.robust_scale = residuals_->robust_scale();
    result.absolute = any(&FitTarget::absolute);
    const FitLocal at = local(*residuals_, box_, best.x);
    if (!at.finite) {
      result.message = residuals_->fault(best.x);
      return;
    }
    add_statistics(*residuals_, at, best.x, result);
    judge(at, result);
    look_beside(at, result);
    warn(result);
    add_nonlinearity(*residuals_, box_, at, result);
    if (result.nonlinearity > 0.3)
      result.warnings.push_back(fmt::format(
          "chi-square one standard error away is {} its parabola: the standard errors are rough, --profile gives "
          "intervals",
          result.nonlinearity < 1 ? fmt::format("{:.0f} % off", 100 * result.nonlinearity) : "far off"));
    if (options_.profile) add_profile(*residuals_, box_, at, options_.max_iterations, result);
    if (!any(&FitTarget::robust)) {
      add_curves(*residuals_, at, result);
      return add_residual_hints(problem_, result);
    }
    // the residuals of figures are those of the model, not of the loss
    residuals_->set_losses(false);
    const FitLocal plain = local(*residuals_, box_, best.x);
    if (plain.finite) add_curves(*residuals_, plain, result);
    add_residual_hints(problem_, result);
  }

  // The largest part by which a step moves an unknown, against itself or its standard error where that is larger.
  double moved(const FitLocal& at, const std::vector<double>& step, FitResult& result) const {
    double worst = 0;
    for (const std::size_t i : at.free) {
      const double error = std::isfinite(result.standard_errors[i]) ? result.standard_errors[i] : 0;
      const double size = std::max({std::fabs(result.values[i]), error, 1e-300});
      const double move = std::fabs(step[i]) / size;
      if (!(move > worst)) continue;
      worst = move;
      result.evidence.worst_entry = problem_.names[i];
    }
    return worst;
  }

  // One more step, and the slope of chi-square.
  void judge(const FitLocal& at, FitResult& result) {
    double worst = moved(at, at.step, result);
    if (worst > 1e-6) {
      // where columns of the Jacobian fall together the step of Gauss and Newton means nothing; the Hessian may
      const std::vector<double> newton = newton_step(*residuals_, box_, at, result.values);
      if (!newton.empty()) worst = std::min(worst, moved(at, newton, result));
    }
    const double steps = std::max(worst, 1e-15);
    result.converged =
        exact(result) || (at.slope <= (problem_.run ? 1e-4 : 1e-6) && worst <= (problem_.run ? 1e-5 : 1e-6));
    if (!result.converged)
      result.message = fmt::format(
          "the search ended after {} iterations where one more step would still change {} by {:.1e} of itself; another "
          "start, bounds or fewer unknowns may help",
          result.iterations, result.evidence.worst_entry, worst);
    result.evidence.method =
        "one more step and the slope of chi-square for each unknown not on a bound, places beside it, starts elsewhere";
    result.evidence.points = static_cast<std::size_t>(result.starts);
    result.evidence.entries = at.free.size();
    result.evidence.digits = agreeing_digits(steps);
    result.evidence.verdict = result.converged ? Verdict::agrees : Verdict::disagrees;
  }

  // Residuals that are nothing but rounding: then so is what they rise to.
  [[nodiscard]] bool exact(const FitResult& result) const {
    return result.residual_norm <= 1e-10 * std::sqrt(measured_square());
  }

  // A minimum of slopes that are wrong is none.
  void look_beside(const FitLocal& at, FitResult& result) {
    if (exact(result)) return;
    std::size_t where = 0;
    const double fall = fall_beside(*residuals_, box_, at, result, where);
    if (!result.converged || fall < 0.02) return;
    result.converged = false;
    result.evidence.verdict = Verdict::disagrees;
    result.evidence.worst_entry = problem_.names[where];
    result.message = fmt::format(
        "beside the place where the slopes vanish, along {}, the sum of squares is smaller by {:.2g} of what it rises "
        "at one standard error: it is not smooth there, or its derivatives are wrong",
        problem_.names[where], fall);
  }

  [[nodiscard]] double measured_square() const {
    double sum = 0;
    for (std::size_t k = 0; k < problem_.targets.size(); ++k) {
      const FitResiduals::Rows& rows = residuals_->targets()[k];
      const std::vector<double>& column = residuals_->measured(k);
      for (std::size_t i = 0; i < rows.rows.size(); ++i) {
        const double v = column[rows.rows[i]] / rows.deviation[i];
        sum += v * v;
      }
    }
    return sum;
  }

  void warn(FitResult& result) {
    for (const ActiveBound& b : result.at_bounds)
      result.warnings.push_back(
          fmt::format("{} is held by its {} bound {:.6g}: the data want it beyond; the standard "
                      "errors of the others take it as given",
                      b.name, b.upper ? "upper" : "lower", b.value));
    if (result.from_other_start)
      result.warnings.push_back("the given start leads to a higher minimum; this one was found from another start");
    if (result.absolute) {
      for (const FitTarget& t : problem_.targets) {
        if (!t.absolute)
          result.warnings.push_back(fmt::format("{} has no sigma while others have: 1 is taken", t.name));
      }
    }
    for (const FitTarget& t : problem_.targets) {
      for (std::size_t i = 0; i < problem_.unknowns.size(); ++i) {
        if (depends_on(t.deviation, problem_.unknowns[i]))
          result.warnings.push_back(
              fmt::format("the sigma of {} depends on {}, which is to be found: a larger sigma makes any fit look "
                          "better, so values are biased",
                          t.name, problem_.names[i]));
      }
    }
    chi_square_hints(result);
  }

  // Too far from what the deviations promise.
  void chi_square_hints(FitResult& result) const {
    const double dof = static_cast<double>(result.degrees_of_freedom);
    if (!result.absolute || any(&FitTarget::robust) || dof < 1) return;
    // five standard deviations of chi-square
    const double off = (result.chi_square - dof) / std::sqrt(2 * dof);
    if (off > 5)
      result.warnings.push_back(fmt::format(
          "chi-square is {:.3g} times its degrees of freedom: the model does not describe the data to their "
          "sigma, or sigma is too small; standard errors are too small then",
          result.chi_square / dof));
    if (off < -5 || (dof > 5 && result.chi_square < 0.01 * dof))
      result.warnings.push_back(fmt::format(
          "chi-square is only {:.3g} of its degrees of freedom: sigma is larger than the scatter of the data",
          result.chi_square / dof));
  }

  const FitProblem& problem_;
  const FitOptions& options_;
  std::unique_ptr<FitResiduals> residuals_;
  FitBox box_;
  std::vector<std::size_t> linear_;
};

}  // namespace

FitResult fit(const FitProblem& given, const FitOptions& options) {
  const FitProblem problem = checked_problem(given);
  return Fit(problem, options).run();
}

}  // namespace boreon
