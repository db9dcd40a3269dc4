// SPDX-License-Identifier: MIT
#include "solvers/optimum.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numeric>

#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_by_eigenvalues = 400;

double limit_of(const Constraint& c, int active) { return active < 0 ? c.lower : c.upper; }

// What holds at the end of an interior search: there the product of slack and multiplier is small, and one of them is
// smaller than the other.
void take_active(const SmoothProblem& p, const InteriorPoint& end, const SmoothProblem::Sizes& sizes, Optimum& o) {
  const OptimisationProblem& q = p.given();
  o.active.assign(p.constraints(), 0);
  o.at_bounds.assign(p.unknowns(), 0);
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    const Constraint& c = q.constraints[j];
    const double price = end.multipliers[j] * sizes.constraints[j] / sizes.objective;
    if (c.is_equation() || price > (c.upper - end.constraints[j]) / sizes.constraints[j]) {
      o.active[j] = 1;
    } else if (-price > (end.constraints[j] - c.lower) / sizes.constraints[j]) {
      o.active[j] = -1;
    }
  }
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    const double unit = sizes.unknowns[i] / sizes.objective;
    if (q.lower[i] == q.upper[i] || end.at_lower[i] * unit > (end.x[i] - q.lower[i]) / sizes.unknowns[i]) {
      o.at_bounds[i] = -1;
    } else if (end.at_upper[i] * unit > (q.upper[i] - end.x[i]) / sizes.unknowns[i]) {
      o.at_bounds[i] = 1;
    }
  }
}

System conditions_of(const SmoothProblem& p, const Optimum& o) {
  const OptimisationProblem& q = p.given();
  System s = unknowns_of(q);
  s.start = o.x;
  s.output_names = {"objective"};
  s.outputs = {q.objective};
  std::vector<Expr> lagrangian{p.objective()};
  std::vector<Expr> held;
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    if (o.active[j] == 0 || o.implied[j] != 0) continue;
    const Expr& multiplier = p.multiplier(j);
    s.states.push_back(multiplier);
    s.state_names.push_back(fmt::format("multiplier of {}", q.constraints[j].name));
    s.start.push_back(o.multipliers[j]);
    s.lower.push_back(-std::numeric_limits<double>::infinity());
    s.upper.push_back(std::numeric_limits<double>::infinity());
    const Expr& g = p.constraint_values()[j];
    lagrangian.push_back(multiplier * g);
    held.push_back(g - Expr(Number::from_double(limit_of(q.constraints[j], o.active[j]))));
  }
  const std::vector<Expr> slopes = gradient(add(lagrangian), q.unknowns);
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    const bool fixed = o.at_bounds[i] != 0;
    s.residuals.push_back(
        fixed ? q.unknowns[i] - Expr(Number::from_double(o.at_bounds[i] < 0 ? q.lower[i] : q.upper[i])) : slopes[i]);
    s.equation_names.push_back(fixed ? fmt::format("bound of {}", q.names[i])
                                     : fmt::format("slope of the Lagrangian by {}", q.names[i]));
  }
  std::size_t k = 0;
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    if (o.active[j] == 0 || o.implied[j] != 0) continue;
    s.residuals.push_back(held[k++]);
    s.equation_names.push_back(q.constraints[j].name);
  }
  return s;
}

// The slopes of the Lagrangian, and the sums of the magnitudes of their terms.
std::pair<std::vector<double>, std::vector<double>> lagrangian_slopes(const SmoothProblem& p, const Optimum& o) {
  std::vector<double> g(p.unknowns());
  std::vector<double> j(p.jacobian_pattern().nonzeros());
  (void)p.slopes(o.x.data(), g.data(), j.data());
  std::vector<double> terms(g.size());
  for (std::size_t i = 0; i < g.size(); ++i) terms[i] = std::fabs(g[i]);
  const SparsityPattern& pattern = p.jacobian_pattern();
  for (std::size_t r = 0; r < pattern.rows; ++r) {
    pattern.each(r, [&](std::size_t k, std::size_t i) {
      g[i] += o.multipliers[r] * j[k];
      terms[i] += std::fabs(o.multipliers[r] * j[k]);
    });
  }
  return {std::move(g), std::move(terms)};
}

// Rows of the scaled Jacobian of what holds, for unknowns that are not at a bound.
Eigen::MatrixXd held_slopes(const SmoothProblem& p, const Optimum& at, const SmoothProblem::Sizes& sizes,
                            const std::vector<Eigen::Index>& place, Eigen::Index free) {
  std::vector<double> g(p.unknowns());
  std::vector<double> j(p.jacobian_pattern().nonzeros());
  (void)p.slopes(at.x.data(), g.data(), j.data());
  const SparsityPattern& pattern = p.jacobian_pattern();
  const auto rows = std::count_if(at.active.begin(), at.active.end(), [](int a) { return a != 0; });
  Eigen::MatrixXd a = Eigen::MatrixXd::Zero(rows, free);
  Eigen::Index row = 0;
  for (std::size_t r = 0; r < pattern.rows; ++r) {
    if (at.active[r] == 0) continue;
    pattern.each(r, [&](std::size_t k, std::size_t i) {
      if (place[i] >= 0) a(row, place[i]) = j[k] * sizes.unknowns[i] / sizes.constraints[r];
    });
    ++row;
  }
  return a;
}

// Places of the unknowns that are not at a bound, -1 for the others; how many they are.
std::pair<std::vector<Eigen::Index>, Eigen::Index> free_places(const Optimum& o) {
  std::vector<Eigen::Index> place(o.at_bounds.size(), -1);
  Eigen::Index free = 0;
  for (std::size_t i = 0; i < place.size(); ++i) {
    if (o.at_bounds[i] == 0) place[i] = free++;
  }
  return {std::move(place), free};
}

// Constraints whose slopes are combinations of those of others have no multiplier of their own; those with the largest
// multipliers keep theirs.
void find_implied(const SmoothProblem& p, const SmoothProblem::Sizes& sizes, Optimum& o) {
  o.implied.assign(p.constraints(), 0);
  o.shared.assign(p.constraints(), 0);
  if (p.unknowns() > most_by_eigenvalues) return;
  const auto [place, free] = free_places(o);
  const Eigen::MatrixXd a = held_slopes(p, o, sizes, place, free);
  std::vector<std::size_t> held;
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    if (o.active[j] != 0) held.push_back(j);
  }
  std::vector<std::size_t> rows(held.size());
  std::iota(rows.begin(), rows.end(), std::size_t{0});
  std::stable_sort(rows.begin(), rows.end(), [&](std::size_t x, std::size_t y) {
    return std::fabs(o.multipliers[held[x]]) * sizes.constraints[held[x]] >
           std::fabs(o.multipliers[held[y]]) * sizes.constraints[held[y]];
  });
  Eigen::MatrixXd basis(free, std::min<Eigen::Index>(free, a.rows()));
  std::vector<std::size_t> kept;
  std::vector<std::size_t> left;
  Eigen::Index known = 0;
  for (const std::size_t r : rows) {
    Eigen::VectorXd v = a.row(static_cast<Eigen::Index>(r)).transpose();
    const double length = v.norm();
    for (int twice = 0; twice < 2; ++twice) v -= basis.leftCols(known) * (basis.leftCols(known).transpose() * v);
    if (known < basis.cols() && v.norm() > 1e-9 * length && length > 0) {
      basis.col(known++) = v.normalized();
      kept.push_back(r);
    } else {
      o.implied[held[r]] = 1;
      o.multipliers[held[r]] = 0;
      left.push_back(r);
    }
  }
  if (left.empty() || kept.empty()) return;
  Eigen::MatrixXd rest(free, static_cast<Eigen::Index>(kept.size()));
  for (std::size_t k = 0; k < kept.size(); ++k)
    rest.col(static_cast<Eigen::Index>(k)) = a.row(static_cast<Eigen::Index>(kept[k])).transpose();
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> factors(rest);
  for (const std::size_t r : left) {
    const Eigen::VectorXd row = a.row(static_cast<Eigen::Index>(r)).transpose();
    const Eigen::VectorXd made_of = factors.solve(row);
    for (std::size_t k = 0; k < kept.size(); ++k) {
      if (std::fabs(made_of[static_cast<Eigen::Index>(k)]) > 1e-7) o.shared[held[kept[k]]] = 1;
    }
  }
}

// How far slopes do not balance and limits that are said to hold are not met.
double imbalance_of(const SmoothProblem& p, const Optimum& o, const SmoothProblem::Sizes& sizes) {
  double worst = 0;
  const auto [slopes, terms] = lagrangian_slopes(p, o);
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (o.at_bounds[i] == 0)
      worst = std::max(worst, std::fabs(slopes[i]) / std::max(terms[i], sizes.objective / sizes.unknowns[i]));
  }
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    const Constraint& c = p.given().constraints[j];
    if (o.active[j] != 0)
      worst = std::max(worst, std::fabs(o.constraints[j] - limit_of(c, o.active[j])) / sizes.constraints[j]);
  }
  return worst;
}

// Solves the conditions for what is said to hold; the point stays where it is if that leads elsewhere.
void polish_conditions(const SmoothProblem& p, const SmoothProblem::Sizes& sizes, Optimum& o) {
  find_implied(p, sizes, o);
  o.conditions = conditions_of(p, o);
  o.regular = false;
  SteadyOptions options;
  options.restarts = 0;
  const SteadyResult r = solve_steady(o.conditions, options);
  bool near = r.converged && r.suspects.empty();
  for (std::size_t i = 0; near && i < p.unknowns(); ++i)
    near = std::fabs(r.values[i] - o.x[i]) <= 1e-2 * std::max(sizes.unknowns[i], std::fabs(o.x[i]));
  // a start that fulfils dependent equations counts as converged; nothing is known of its neighbours
  if (!near || r.corrections.size() != o.conditions.states.size()) return;
  o.correction = 0;
  o.least_sure.clear();
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (r.corrections[i] < o.correction || (r.corrections[i] == o.correction && !o.least_sure.empty())) continue;
    o.correction = r.corrections[i];
    o.least_sure = p.given().names[i];
  }
  constexpr double sharp = 1e-4;
  o.regular = o.correction < sharp;
  o.conditions.start = r.values;
  std::copy_n(r.values.begin(), p.unknowns(), o.x.begin());
  std::size_t k = p.unknowns();
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    const bool own = o.active[j] != 0 && o.implied[j] == 0;
    o.multipliers[j] = own ? r.values[k++] : 0;
  }
}

// Releases the limit whose multiplier has the wrong sign most, or takes the one that is passed most. False if all is
// well.
bool mend_active(const SmoothProblem& p, const SmoothProblem::Sizes& sizes, Optimum& o) {
  const OptimisationProblem& q = p.given();
  double worst = 1e-9;
  int* which = nullptr;
  int to = 0;
  const auto wrong = [&](double amount, int& entry, int becomes) {
    if (!(amount > worst)) return;
    worst = amount;
    which = &entry;
    to = becomes;
  };
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    const Constraint& c = q.constraints[j];
    if (o.active[j] != 0) {
      if (!c.is_equation() && o.implied[j] == 0)
        wrong(-o.active[j] * o.multipliers[j] * sizes.constraints[j] / sizes.objective, o.active[j], 0);
    } else {
      wrong((c.lower - o.constraints[j]) / sizes.constraints[j], o.active[j], -1);
      wrong((o.constraints[j] - c.upper) / sizes.constraints[j], o.active[j], 1);
    }
  }
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (o.at_bounds[i] != 0 && q.lower[i] < q.upper[i])
      wrong(o.at_bounds[i] * o.slopes[i] * sizes.unknowns[i] / sizes.objective, o.at_bounds[i], 0);
  }
  if (which == nullptr) return false;
  *which = to;
  return true;
}

}  // namespace

Optimum optimum_near(const SmoothProblem& p, const InteriorPoint& end, const SmoothProblem::Sizes& sizes) {
  constexpr int most_changes = 12;
  Optimum o;
  o.x = end.x;
  take_active(p, end, sizes, o);
  o.multipliers = end.multipliers;
  // What is nothing up to the tolerance of the search starts at 0, so that its size is what the equations say.
  constexpr double nothing = 1e-7;
  for (std::size_t j = 0; j < p.constraints(); ++j) {
    if (o.active[j] == 0 || std::fabs(o.multipliers[j]) * sizes.constraints[j] < nothing * sizes.objective)
      o.multipliers[j] = 0;
  }
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (std::fabs(o.x[i]) < nothing * sizes.unknowns[i] && p.given().lower[i] <= 0 && p.given().upper[i] >= 0)
      o.x[i] = 0;
    if (o.at_bounds[i] != 0) o.x[i] = o.at_bounds[i] < 0 ? p.given().lower[i] : p.given().upper[i];
  }
  o.constraints.resize(p.constraints());
  for (int k = 0; k < most_changes; ++k) {
    polish_conditions(p, sizes, o);
    (void)p.value(o.x.data(), o.objective, o.constraints.data());
    o.slopes = lagrangian_slopes(p, o).first;
    for (std::size_t i = 0; i < p.unknowns(); ++i) {
      if (o.at_bounds[i] == 0) o.slopes[i] = 0;
    }
    o.imbalance = imbalance_of(p, o, sizes);
    o.settled = !mend_active(p, sizes, o);
    if (o.settled) break;
    for (std::size_t j = 0; j < p.constraints(); ++j) {
      if (o.active[j] == 0) o.multipliers[j] = 0;
    }
  }
  return o;
}

Curvature curvature_at(const SmoothProblem& p, const Optimum& at, const SmoothProblem::Sizes& sizes) {
  Curvature c;
  const auto [place, free] = free_places(at);
  const auto held = std::count_if(at.active.begin(), at.active.end(), [](int a) { return a != 0; });
  c.free_directions = static_cast<std::size_t>(std::max<Eigen::Index>(0, free - held));
  if (p.unknowns() > most_by_eigenvalues) return c;
  std::vector<double> h(p.hessian_pattern().nonzeros());
  std::vector<double> slopes = lagrangian_slopes(p, at).first;
  if (!p.curvature(at.x.data(), 1, at.multipliers.data(), h.data())) return c;
  // where nothing is determined sharply, slopes may be no more than what cancellation has left of them
  if (!at.regular) {
    std::vector<double> exact_slopes;
    std::vector<double> exact_hessian;
    if (p.exactly(at.x, at.multipliers, exact_slopes, exact_hessian)) {
      slopes = std::move(exact_slopes);
      h = std::move(exact_hessian);
    }
  }
  c.known = true;
  if (free == 0) return c;
  Eigen::MatrixXd hessian = Eigen::MatrixXd::Zero(free, free);
  const SparsityPattern& pattern = p.hessian_pattern();
  for (std::size_t r = 0; r < pattern.rows; ++r) {
    pattern.each(r, [&, &place = place](std::size_t k, std::size_t s) {
      if (place[r] >= 0 && place[s] >= 0)
        hessian(place[r], place[s]) = h[k] * sizes.unknowns[r] * sizes.unknowns[s] / sizes.objective;
    });
  }
  // Unknowns in units in which their curvatures are alike: one that is next to nothing hides no other.
  const double most = hessian.diagonal().cwiseAbs().maxCoeff();
  Eigen::VectorXd unit = Eigen::VectorXd::Ones(free);
  for (Eigen::Index k = 0; k < free; ++k) {
    if (std::fabs(hessian(k, k)) > 1e-14 * most) unit[k] = 1 / std::sqrt(std::fabs(hessian(k, k)));
  }
  hessian = unit.asDiagonal() * hessian * unit.asDiagonal();
  Eigen::MatrixXd basis = Eigen::MatrixXd::Identity(free, free);
  if (held > 0) {
    Eigen::MatrixXd rows = held_slopes(p, at, sizes, place, free) * unit.asDiagonal();
    rows.rowwise().normalize();
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(rows.transpose());
    qr.setThreshold(1e-11);
    const Eigen::MatrixXd q = qr.householderQ();
    basis = q.rightCols(free - qr.rank());
  }
  c.free_directions = static_cast<std::size_t>(basis.cols());
  if (basis.cols() == 0) return c;
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(basis.transpose() * hessian * basis);
  const double largest = std::max({hessian.cwiseAbs().maxCoeff(), eigen.eigenvalues().cwiseAbs().maxCoeff(), 1e-300});
  c.least = eigen.eigenvalues()[0] / largest;
  const Eigen::VectorXd d = unit.asDiagonal() * (basis * eigen.eigenvectors().col(0));
  Eigen::VectorXd scaled(free);
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (place[i] >= 0) scaled[place[i]] = slopes[i] * sizes.unknowns[i] / sizes.objective * unit[place[i]];
  }
  // where there is no curvature at all nothing can be said of a distance
  const double least = 1e-14 * largest;
  const Eigen::VectorXd along = eigen.eigenvectors().transpose() * (basis.transpose() * scaled);
  Eigen::VectorXd moves(along.size());
  for (Eigen::Index k = 0; k < along.size(); ++k)
    moves[k] = std::fabs(eigen.eigenvalues()[k]) > least ? -along[k] / eigen.eigenvalues()[k] : 0;
  const Eigen::VectorXd step = unit.asDiagonal() * (basis * (eigen.eigenvectors() * moves));
  c.direction.assign(p.unknowns(), 0.0);
  c.step.assign(p.unknowns(), 0.0);
  for (std::size_t i = 0; i < p.unknowns(); ++i) {
    if (place[i] < 0) continue;
    c.direction[i] = d[place[i]] * sizes.unknowns[i];
    c.step[i] = step[place[i]] * sizes.unknowns[i];
  }
  return c;
}

}  // namespace boreon
