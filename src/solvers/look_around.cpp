// SPDX-License-Identifier: MIT
// Feasible points around an optimum and anywhere within the bounds: any that is better refutes it.
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <random>

#include "expr/work.hpp"
#include "solvers/draws.hpp"
#include "solvers/optimum.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_dense = 400;  // unknowns or constraints

}  // namespace

std::vector<double> made_feasible(const SmoothProblem& p, std::vector<double> x, const SmoothProblem::Sizes& sizes) {
  const OptimisationProblem& q = p.given();
  const std::size_t n = p.unknowns();
  const std::size_t m = p.constraints();
  const auto inside = [&] {
    for (std::size_t i = 0; i < n; ++i) x[i] = std::clamp(x[i], q.lower[i], q.upper[i]);
  };
  inside();
  std::vector<double> g(m);
  std::vector<double> slopes(n);
  std::vector<double> jacobian(p.jacobian_pattern().nonzeros());
  double f = 0;
  for (int step = 0; step < 12; ++step) {
    spend(20 * (n + m) * (m + 1) + 200);
    if (!p.value(x.data(), f, g.data())) return {};
    std::vector<std::size_t> open;
    for (std::size_t j = 0; j < m; ++j) {
      if (q.constraints[j].missed_by(g[j]) > 1e-12 * sizes.constraints[j]) open.push_back(j);
    }
    if (open.empty()) return x;
    if (n > most_dense || open.size() > most_dense || !p.slopes(x.data(), slopes.data(), jacobian.data())) return {};
    // unknowns at a bound may still move: those that would leave it are put back
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(open.size()), static_cast<Eigen::Index>(n));
    Eigen::VectorXd right(static_cast<Eigen::Index>(open.size()));
    for (std::size_t r = 0; r < open.size(); ++r) {
      const std::size_t j = open[r];
      const Constraint& c = q.constraints[j];
      const auto row = static_cast<Eigen::Index>(r);
      right[row] = (g[j] > c.upper ? c.upper - g[j] : c.lower - g[j]) / sizes.constraints[j];
      p.jacobian_pattern().each(j, [&](std::size_t k, std::size_t i) {
        const bool out = (x[i] <= q.lower[i] || x[i] >= q.upper[i]) && step % 2 == 1;
        if (!out) a(row, static_cast<Eigen::Index>(i)) = jacobian[k] * sizes.unknowns[i] / sizes.constraints[j];
      });
    }
    const Eigen::VectorXd d = a.completeOrthogonalDecomposition().solve(right);
    if (!d.allFinite()) return {};
    for (std::size_t i = 0; i < n; ++i) x[i] += d[static_cast<Eigen::Index>(i)] * sizes.unknowns[i];
    inside();
  }
  return {};
}

Surroundings look_around(const SmoothProblem& p, const Optimum& at, const SmoothProblem::Sizes& sizes,
                         double allowance) {
  const OptimisationProblem& q = p.given();
  const std::size_t n = p.unknowns();
  const std::size_t m = p.constraints();
  Surroundings s;
  std::mt19937_64 random(7);
  double magnitude = 0;
  std::vector<double> terms(m);
  p.magnitudes(at.x.data(), magnitude, terms.data());
  std::vector<double> g(m);
  // How much better a point is than what rounding and the remaining violation of constraints explain, here and there.
  const auto better = [&](const std::vector<double>& x, double& f) {
    double m_there = 0;
    std::vector<double> ignored(m);
    p.magnitudes(x.data(), m_there, ignored.data());
    if (!p.value(x.data(), f, g.data())) return false;
    double explained = allowance + 32 * std::numeric_limits<double>::epsilon() *
                                       std::max(magnitude, std::isfinite(m_there) ? m_there : 0);
    for (std::size_t j = 0; j < m; ++j) {
      const double slack = q.constraints[j].missed_by(g[j]) + q.constraints[j].missed_by(at.constraints[j]) +
                           8 * std::numeric_limits<double>::epsilon() * terms[j];
      // of constraints that depend on each other multipliers may be anything
      explained += 2 * std::min(std::fabs(at.multipliers[j]), 1e3 * sizes.objective / sizes.constraints[j]) * slack;
    }
    return f < at.objective - explained;
  };
  const int draws = n > 1000 ? 4 : n > 100 ? 16 : 60;
  double best = at.objective;
  for (int k = 0; k < draws; ++k) {
    const double reach = std::pow(10.0, -1 - k % 5);
    std::vector<double> x = at.x;
    const bool one = k % 3 == 2;  // every third along a single unknown
    const std::size_t which = static_cast<std::size_t>(k / 3) % n;
    for (std::size_t i = 0; i < n; ++i) {
      const double r = either_side(random);
      if (!one || i == which) x[i] += reach * r * sizes.unknowns[i];
    }
    x = made_feasible(p, std::move(x), sizes);
    if (x.empty() || x == at.x) continue;
    ++s.points;
    double f = 0;
    if (!better(x, f) || !(f < best)) continue;
    s.better_around = true;
    best = f;
    s.better = x;
  }
  best = at.objective;
  const int far = n > 1000 ? 0 : n > 100 ? 10 : 60;
  for (int k = 0; k < far; ++k) {
    std::vector<double> x = at.x;
    for (std::size_t i = 0; i < n; ++i) {
      const double r = either_side(random);
      if (std::isfinite(q.lower[i]) && std::isfinite(q.upper[i])) {
        x[i] = q.lower[i] + (q.upper[i] - q.lower[i]) * (r + 1) / 2;
      } else {
        x[i] += (k % 2 == 0 ? 1 : 10) * r * sizes.unknowns[i];
      }
    }
    x = made_feasible(p, std::move(x), sizes);
    if (x.empty()) continue;
    ++s.far_points;
    double f = 0;
    if (!better(x, f) || !(f < best)) continue;
    best = f;
    s.better_far = x;
  }
  return s;
}

}  // namespace boreon
