// SPDX-License-Identifier: MIT
#include "solvers/fit_statistics.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/traverse.hpp"

namespace boreon {
namespace {

constexpr double unknown_value = std::numeric_limits<double>::quiet_NaN();
constexpr double endless = std::numeric_limits<double>::infinity();
// Singular values of the Jacobian with columns of length one: below this rounding decides.
constexpr double undetermined_linear = 1e-13;  // powers of one column come near this, and are determined
constexpr double undetermined = 1e-7;          // the place itself is known to the root of rounding
constexpr double weak = 1e-5;

// What a change of chi-square by one standard error is measured in.
double scale_of(const FitResult& r) {
  if (r.absolute) return 1;
  return r.degrees_of_freedom > 0 ? r.chi_square / static_cast<double>(r.degrees_of_freedom) : unknown_value;
}

struct Decomposition {
  Eigen::MatrixXd v;
  Eigen::VectorXd singular;
  std::vector<double> columns;  // lengths, of the free unknowns
};

Decomposition decomposed(const FitLocal& at, std::size_t n) {
  Decomposition d;
  const auto m = static_cast<Eigen::Index>(at.r.size());
  Eigen::MatrixXd j(m, static_cast<Eigen::Index>(at.free.size()));
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    for (Eigen::Index i = 0; i < m; ++i)
      j(i, static_cast<Eigen::Index>(k)) = at.jacobian[static_cast<std::size_t>(i) * n + at.free[k]];
    const double length = j.col(static_cast<Eigen::Index>(k)).stableNorm();
    d.columns.push_back(length);
    if (length > 0) j.col(static_cast<Eigen::Index>(k)) /= length;
  }
  // the triangle has the same singular values as the tall matrix
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(j);
  const auto k = static_cast<Eigen::Index>(at.free.size());
  const Eigen::MatrixXd triangle = qr.matrixQR().topRows(std::min(m, k)).triangularView<Eigen::Upper>();
  const Eigen::JacobiSVD<Eigen::MatrixXd> svd(triangle, Eigen::ComputeFullV);
  d.v = svd.matrixV();
  d.singular = Eigen::VectorXd::Zero(k);
  d.singular.head(svd.singularValues().size()) = svd.singularValues();
  return d;
}

// "a and b only matter together: raising a by 1 % and b by -2 % changes nothing".
std::string combination(const FitLocal& at, const Decomposition& d, const FitResiduals& residuals,
                        const std::vector<double>& x, Eigen::Index which) {
  std::vector<std::string> names;
  std::vector<std::string> moves;
  double largest = 0;
  std::vector<double> relative;
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    const double v = d.v(static_cast<Eigen::Index>(k), which);
    const double change = d.columns[k] > 0 ? v / d.columns[k] : 0;
    relative.push_back(x[at.free[k]] != 0 ? change / std::fabs(x[at.free[k]]) : change);
    if (std::fabs(v) > 0.05) largest = std::max(largest, std::fabs(relative.back()));
  }
  double sign = 0;
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    if (std::fabs(d.v(static_cast<Eigen::Index>(k), which)) <= 0.05) continue;
    if (sign == 0) sign = relative[k] < 0 ? -1 : 1;
    names.push_back(residuals.problem().names[at.free[k]]);
    moves.push_back(
        fmt::format("{} by {:+.3g}{}", names.back(), sign * relative[k] / largest, x[at.free[k]] != 0 ? " %" : ""));
  }
  return fmt::format("{} only matter together: moving {} changes the residuals by nothing", fmt::join(names, " and "),
                     fmt::join(moves, ", "));
}

}  // namespace

void add_statistics(FitResiduals& residuals, const FitLocal& at, const std::vector<double>& x, FitResult& result) {
  const std::size_t n = x.size();
  const std::vector<std::string>& names = residuals.problem().names;
  double sum = 0;
  for (const double v : at.r) sum += v * v;
  result.chi_square = sum;
  result.residual_norm = std::sqrt(sum);
  result.measurements = residuals.count();
  result.left_out = residuals.left_out();
  result.degrees_of_freedom = static_cast<long>(residuals.count()) - static_cast<long>(at.free.size());
  for (std::size_t i = 0; i < n; ++i) {
    if (at.active[i] != 0) result.at_bounds.push_back({names[i], x[i], at.active[i] == 2});
  }
  const double scale = scale_of(result);
  if (std::isnan(scale))
    result.warnings.push_back(
        "there are as many unknowns as measurements and no sigma: nothing is left to tell the standard errors from");
  result.standard_errors.assign(n, unknown_value);
  result.covariance.assign(n, std::vector<double>(n, 0.0));
  result.correlation.assign(n, std::vector<double>(n, unknown_value));
  if (at.free.empty()) return;
  const Decomposition d = decomposed(at, n);
  const double limit = residuals.linear_unknowns().size() == n ? undetermined_linear : undetermined;
  std::vector<char> open(at.free.size(), 0);
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    if (d.columns[k] > 0) continue;
    open[k] = 1;
    result.warnings.push_back(
        fmt::format("{} does not matter: no measurement depends on it, so it stays where it began", names[at.free[k]]));
  }
  Eigen::VectorXd inverse = Eigen::VectorXd::Zero(d.singular.size());
  for (Eigen::Index c = 0; c < d.singular.size(); ++c) {
    if (d.singular[c] > limit) {
      inverse[c] = 1 / d.singular[c];
      if (d.singular[c] < weak)
        result.warnings.push_back(combination(at, d, residuals, x, c) +
                                  fmt::format(" (to a part in {:.0e} of what either does alone)", d.singular[c]));
      continue;
    }
    bool alone = false;
    for (std::size_t k = 0; k < at.free.size(); ++k)
      alone = alone || (open[k] != 0 && std::fabs(d.v(static_cast<Eigen::Index>(k), c)) > 0.99);
    if (!alone) result.warnings.push_back(combination(at, d, residuals, x, c));
    for (std::size_t k = 0; k < at.free.size(); ++k)
      if (std::fabs(d.v(static_cast<Eigen::Index>(k), c)) > 1e-3) open[k] = 1;
  }
  const Eigen::MatrixXd root = d.v * inverse.asDiagonal();
  const Eigen::MatrixXd c = scale * root * root.transpose();
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    for (std::size_t l = 0; l < at.free.size(); ++l) {
      if (open[k] != 0 || open[l] != 0) continue;
      const auto a = static_cast<Eigen::Index>(k);
      const auto b = static_cast<Eigen::Index>(l);
      result.covariance[at.free[k]][at.free[l]] = c(a, b) / (d.columns[k] * d.columns[l]);
      const double product = std::sqrt(c(a, a) * c(b, b));
      result.correlation[at.free[k]][at.free[l]] = k == l ? 1 : product > 0 ? c(a, b) / product : 0;
    }
    if (open[k] == 0)
      result.standard_errors[at.free[k]] =
          std::sqrt(c(static_cast<Eigen::Index>(k), static_cast<Eigen::Index>(k))) / d.columns[k];
  }
}

namespace {

// `by` standard errors of unknown i away, the others following: where chi-square rises least.
std::vector<double> away(const FitLocal& at, const FitResult& result, std::size_t i, double by) {
  std::vector<double> x = result.values;
  for (const std::size_t k : at.free) x[k] += by * result.covariance[i][k] / result.standard_errors[i];
  return x;
}

}  // namespace

void add_nonlinearity(FitResiduals& residuals, const FitBox& box, const FitLocal& at, FitResult& result) {
  const double scale = scale_of(result);
  if (!(scale > 0)) return;
  for (const std::size_t i : at.free) {
    if (!(result.standard_errors[i] > 0)) continue;
    double rise = 0;
    bool inside = true;
    for (const int side : {1, -1}) {
      const std::vector<double> x = away(at, result, i, side);
      for (const std::size_t k : at.free) inside = inside && x[k] >= box.lower[k] && x[k] <= box.upper[k];
      if (inside) rise += 0.5 * (residuals.cost(x) - result.chi_square) / scale;
    }
    if (inside) result.nonlinearity = std::max(result.nonlinearity, std::fabs(rise - 1));
  }
}

double fall_beside(FitResiduals& residuals, const FitBox& box, const FitLocal& at, const FitResult& result,
                   std::size_t& where) {
  const double scale = scale_of(result);
  double fall = 0;
  if (!(scale > 0)) return fall;
  for (const std::size_t i : at.free) {
    if (!(result.standard_errors[i] > 0)) continue;
    for (const double by : {0.3, -0.3}) {
      std::vector<double> x = away(at, result, i, by);
      for (const std::size_t k : at.free) x[k] = box.inside(k, x[k]);
      const double better = (result.chi_square - residuals.cost(x)) / scale;
      if (!(better > fall)) continue;
      fall = better;
      where = i;
    }
  }
  return fall;
}

void add_profile(FitResiduals& residuals, const FitBox& box, const FitLocal& at, int max_iterations,
                 FitResult& result) {
  const double scale = scale_of(result);
  result.profile.assign(result.values.size(), {unknown_value, unknown_value});
  if (!(scale > 0)) return;
  for (const std::size_t i : at.free) {
    if (!(result.standard_errors[i] > 0)) continue;
    const auto rise = [&](double value) {
      FitBox held = box;
      held.held[i] = 1;
      FitPoint p;
      p.x = result.values;
      for (const std::size_t k : at.free) {
        if (k != i)
          p.x[k] = box.inside(k, p.x[k] + result.covariance[i][k] / result.covariance[i][i] * (value - p.x[i]));
      }
      p.x[i] = value;
      p = trust_region(residuals, held, {}, p.x, max_iterations);
      if (std::isfinite(p.cost)) polish(residuals, held, p);
      return (p.cost - result.chi_square) / scale - 1;
    };
    const auto end = [&](double side) {
      const double bound = side < 0 ? box.lower[i] : box.upper[i];
      double near = 0;
      double far = 1;
      const auto at_distance = [&](double d) {
        return box.inside(i, result.values[i] + side * d * result.standard_errors[i]);
      };
      // outwards until chi-square has risen enough, or the bound is reached
      for (int k = 0; k < 12 && !(rise(at_distance(far)) > 0); ++k) {
        if (at_distance(far) == bound) return bound;
        near = far;
        far *= 1.6;
        if (k == 11) return side * endless;
      }
      double low = -1;
      double high = rise(at_distance(far));
      if (near > 0) low = rise(at_distance(near));
      for (int k = 0; k < 40 && far - near > 1e-7 * far; ++k) {
        // between a secant and the middle, so that neither end stays
        double mid = std::isfinite(high) ? near + (far - near) * (-low) / (high - low) : 0.5 * (near + far);
        if (k % 3 == 2 || !(mid > near && mid < far)) mid = 0.5 * (near + far);
        const double v = rise(at_distance(mid));
        (v > 0 ? far : near) = mid;
        (v > 0 ? high : low) = v;
        if (std::fabs(v) < 1e-9) break;
      }
      return at_distance(std::fabs(low) < std::fabs(high) ? near : far);
    };
    result.profile[i] = {end(-1), end(1)};
  }
}

void add_curves(FitResiduals& residuals, const FitLocal& at, FitResult& result) {
  const FitProblem& p = residuals.problem();
  const std::size_t n = result.values.size();
  for (std::size_t k = 0; k < p.targets.size(); ++k) {
    const FitResiduals::Rows& rows = residuals.targets()[k];
    FitResult::Curve c;
    c.rows = rows.rows;
    c.deviation = rows.deviation;
    const std::vector<double>& column = residuals.measured(k);
    for (std::size_t i = 0; i < rows.rows.size(); ++i) {
      const double measured = column[rows.rows[i]];
      c.measured.push_back(measured);
      c.model.push_back(measured + rows.deviation[i] * at.r[rows.first + i]);
      double variance = 0;
      for (std::size_t a = 0; a < n; ++a) {
        for (std::size_t b = 0; b < n; ++b)
          variance +=
              at.jacobian[(rows.first + i) * n + a] * result.covariance[a][b] * at.jacobian[(rows.first + i) * n + b];
      }
      c.band.push_back(rows.deviation[i] * std::sqrt(std::max(variance, 0.0)));
    }
    result.curves.push_back(std::move(c));
  }
}

FitResult::Curve model_curve(const FitProblem& problem, const FitResult& result, std::size_t target, std::size_t column,
                             const std::vector<double>& places) {
  FitProblem p = problem;
  const Symbol nothing("_nothing");
  for (const std::size_t c : columns_of_model(problem, problem.targets[target])) {
    if (c != column) return {};
  }
  p.data.symbols = {problem.data.symbols[column], nothing};
  p.data.names = {problem.data.names[column], "nothing"};
  p.data.columns = {places, std::vector<double>(places.size(), 0.0)};
  p.data.lines.clear();
  p.targets = {{problem.targets[target].name, nothing, problem.targets[target].model}};
  const std::unique_ptr<FitResiduals> residuals = residuals_of(p, 1);
  FitLocal at;
  at.r.resize(places.size());
  at.jacobian.resize(places.size() * result.values.size());
  if (!residuals->evaluate(result.values, at.r.data(), at.jacobian.data())) return {};
  FitResult drawn;
  drawn.values = result.values;
  drawn.covariance = result.covariance;
  add_curves(*residuals, at, drawn);
  return drawn.curves[0];
}

}  // namespace boreon
