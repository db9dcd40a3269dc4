// SPDX-License-Identifier: MIT
#include "solvers/fit_search.hpp"

#include <ceres/cost_function.h>
#include <ceres/problem.h>
#include <ceres/solver.h>
#include <glog/logging.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <exception>
#include <limits>
#include <optional>

#include "expr/work.hpp"

namespace boreon {
namespace {

using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

constexpr double no_cost = std::numeric_limits<double>::infinity();

// The library tells its log of each point at which a model has no value.
class Quiet {
 public:
  Quiet() : before_(FLAGS_minloglevel) { FLAGS_minloglevel = google::GLOG_FATAL; }
  ~Quiet() { FLAGS_minloglevel = before_; }
  Quiet(const Quiet&) = delete;
  Quiet& operator=(const Quiet&) = delete;

 private:
  int before_;
};

std::vector<double> sizes_of(const std::vector<double>& x, const FitBox& box) {
  std::vector<double> sizes(x.size());
  for (std::size_t i = 0; i < x.size(); ++i) {
    sizes[i] = std::fabs(x[i]);
    if (sizes[i] == 0 && std::isfinite(box.upper[i]) && std::isfinite(box.lower[i]))
      sizes[i] = 0.1 * (box.upper[i] - box.lower[i]);
    if (!(sizes[i] > 0) || !std::isfinite(sizes[i])) sizes[i] = 1;
  }
  return sizes;
}

std::vector<std::size_t> moving(const FitBox& box, const std::vector<std::size_t>& but) {
  std::vector<std::size_t> list;
  for (std::size_t i = 0; i < box.lower.size(); ++i) {
    if (box.held[i] == 0 && box.lower[i] < box.upper[i] && std::find(but.begin(), but.end(), i) == but.end())
      list.push_back(i);
  }
  return list;
}

// All residuals as one block of the library's problem; unknowns in units of their sizes.
class Block final : public ceres::CostFunction {
 public:
  Block(FitResiduals& residuals, std::vector<std::size_t> free, std::vector<std::size_t> linear, std::vector<double> x,
        std::vector<double> sizes)
      : residuals_(residuals),
        free_(std::move(free)),
        linear_(std::move(linear)),
        x_(std::move(x)),
        sizes_(std::move(sizes)) {
    set_num_residuals(static_cast<int>(residuals.count()));
    // in units of the residuals at the start, so that no tolerance of the library has a unit
    std::vector<double> r(residuals.count());
    if (residuals.evaluate(x_, r.data(), nullptr))
      for (const double v : r) unit_ = std::max(unit_, std::fabs(v));
    if (!(unit_ > 0)) unit_ = 1;
    mutable_parameter_block_sizes()->push_back(static_cast<int>(free_.size()));
  }

  bool Evaluate(double const* const* z, double* r, double** jacobians) const override {
    if (interrupt_requested() || stopped_) return false;
    try {
      if (!values(z, r, jacobians)) return false;
    } catch (...) {  // the library knows nothing of exceptions: it ends, then this goes on
      stopped_ = std::current_exception();
      return false;
    }
    for (int i = 0; i < num_residuals(); ++i) r[i] /= unit_;
    if (jacobians == nullptr || jacobians[0] == nullptr) return true;
    Eigen::Map<RowMajor>(jacobians[0], num_residuals(), static_cast<Eigen::Index>(free_.size())) /= unit_;
    return true;
  }

  [[nodiscard]] const std::vector<double>& at() const noexcept { return x_; }
  /// Throws what ended an evaluation.
  void check() const {
    if (stopped_) std::rethrow_exception(stopped_);
  }

 private:
  bool values(double const* const* z, double* r, double** jacobians) const {
    for (std::size_t k = 0; k < free_.size(); ++k) x_[free_[k]] = z[0][k] * sizes_[free_[k]];
    const bool wanted = jacobians != nullptr && jacobians[0] != nullptr;
    if (linear_.empty() && !wanted) return residuals_.evaluate(x_, r, nullptr);
    const auto m = static_cast<Eigen::Index>(residuals_.count());
    const auto n = static_cast<Eigen::Index>(x_.size());
    j_.resize(m, n);
    if (!residuals_.evaluate(x_, r, j_.data())) return false;
    RowMajor basis;
    if (!linear_.empty()) {
      // r = r0 + A c, so that c moves by the least squares solution of A d = -r
      Eigen::MatrixXd a(m, static_cast<Eigen::Index>(linear_.size()));
      for (std::size_t k = 0; k < linear_.size(); ++k)
        a.col(static_cast<Eigen::Index>(k)) = j_.col(static_cast<Eigen::Index>(linear_[k])) * sizes_[linear_[k]];
      const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(a);
      const Eigen::VectorXd d = qr.solve(-Eigen::Map<Eigen::VectorXd>(r, m));
      for (std::size_t k = 0; k < linear_.size(); ++k)
        x_[linear_[k]] += d[static_cast<Eigen::Index>(k)] * sizes_[linear_[k]];
      if (!residuals_.evaluate(x_, r, j_.data())) return false;
      basis = qr.householderQ() * Eigen::MatrixXd::Identity(m, qr.rank());
    }
    if (!wanted) return true;
    Eigen::Map<RowMajor> out(jacobians[0], m, static_cast<Eigen::Index>(free_.size()));
    for (std::size_t k = 0; k < free_.size(); ++k)
      out.col(static_cast<Eigen::Index>(k)) = j_.col(static_cast<Eigen::Index>(free_[k])) * sizes_[free_[k]];
    if (!linear_.empty()) out -= basis * (basis.transpose() * out);
    return out.allFinite();
  }

  FitResiduals& residuals_;
  double unit_ = 0;
  std::vector<std::size_t> free_;
  std::vector<std::size_t> linear_;
  mutable std::vector<double> x_;
  mutable std::exception_ptr stopped_;
  std::vector<double> sizes_;
  mutable RowMajor j_;
};

double dot(const double* a, const double* b, std::size_t n, std::size_t step) {
  double s = 0;
  for (std::size_t i = 0; i < n; ++i) s += a[i * step] * b[i];
  return s;
}

// Gradient of half the sum of squares by the free unknowns, with the norms of their columns.
Eigen::VectorXd gradient_of(const FitLocal& at, std::size_t n) {
  Eigen::VectorXd g(static_cast<Eigen::Index>(at.free.size()));
  for (std::size_t k = 0; k < at.free.size(); ++k)
    g[static_cast<Eigen::Index>(k)] = dot(at.jacobian.data() + at.free[k], at.r.data(), at.r.size(), n);
  return g;
}

// The length of a step in units of what it changes of the residuals, which no unit of an unknown changes.
double length(const FitLocal& at, const std::vector<double>& step) {
  double sum = 0;
  for (std::size_t i = 0; i < at.r.size(); ++i) {
    const double v = dot(at.jacobian.data() + i * step.size(), step.data(), step.size(), 1);
    sum += v * v;
  }
  return std::sqrt(sum);
}

}  // namespace

FitPoint trust_region(FitResiduals& residuals, const FitBox& box, const std::vector<std::size_t>& linear,
                      const std::vector<double>& start, int max_iterations) {
  const Quiet quiet;
  // all of it, whatever way this ends
  struct Coarse {
    FitResiduals& residuals;
    explicit Coarse(FitResiduals& r) : residuals(r) { r.set_coarse(true); }
    ~Coarse() { residuals.set_coarse(false); }
  };
  std::optional<Coarse> coarse(std::in_place, residuals);
  FitPoint point{start, no_cost, 0};
  const std::vector<std::size_t> free = moving(box, linear);
  const std::vector<double> sizes = sizes_of(start, box);
  auto block = std::make_unique<Block>(residuals, free, linear, start, sizes);
  std::vector<double> z(std::max<std::size_t>(free.size(), 1));
  for (std::size_t k = 0; k < free.size(); ++k) z[k] = start[free[k]] / sizes[free[k]];
  if (!free.empty()) {
    ceres::Problem::Options owned;
    owned.cost_function_ownership = ceres::DO_NOT_TAKE_OWNERSHIP;
    ceres::Problem problem(owned);
    problem.AddResidualBlock(block.get(), nullptr, z.data());
    for (std::size_t k = 0; k < free.size(); ++k) {
      const int i = static_cast<int>(k);
      if (std::isfinite(box.lower[free[k]]))
        problem.SetParameterLowerBound(z.data(), i, box.lower[free[k]] / sizes[free[k]]);
      if (std::isfinite(box.upper[free[k]]))
        problem.SetParameterUpperBound(z.data(), i, box.upper[free[k]] / sizes[free[k]]);
    }
    ceres::Solver::Options options;
    options.linear_solver_type = residuals.count() > 100'000 ? ceres::DENSE_NORMAL_CHOLESKY : ceres::DENSE_QR;
    options.max_num_iterations = max_iterations;
    // a run repeats itself to its own tolerance only: nothing is gained below that here
    const bool run = residuals.problem().run.has_value();
    options.function_tolerance = run ? 1e-8 : 1e-14;
    options.gradient_tolerance = 1e-30;
    options.parameter_tolerance = run ? 1e-7 : 1e-12;
    options.max_num_consecutive_invalid_steps = 40;
    options.logging_type = ceres::SILENT;
    ceres::Solver::Summary summary;
    ceres::Solve(options, &problem, &summary);
    block->check();
    point.iterations = static_cast<int>(summary.iterations.size());
    spend(1);
    if (!summary.IsSolutionUsable()) return point;
  }
  coarse.reset();
  // the block solves for the linear unknowns where it is evaluated
  std::vector<double> r(residuals.count());
  const double* blocks[] = {z.data()};
  const bool good = block->Evaluate(blocks, r.data(), nullptr);
  block->check();
  if (!good) return point;
  point.x = block->at();
  for (std::size_t i = 0; i < point.x.size(); ++i) point.x[i] = box.inside(i, point.x[i]);
  point.cost = residuals.cost(point.x);
  return point;
}

FitLocal local(FitResiduals& residuals, const FitBox& box, const std::vector<double>& x) {
  FitLocal at;
  const std::size_t n = x.size();
  at.r.resize(residuals.count());
  at.jacobian.resize(residuals.count() * n);
  at.active.assign(n, 0);
  at.step.assign(n, 0.0);
  at.finite = residuals.evaluate(x, at.r.data(), at.jacobian.data());
  if (!at.finite) return at;
  double norm = std::sqrt(dot(at.r.data(), at.r.data(), at.r.size(), 1));
  if (!(norm > 0)) norm = 1;
  std::vector<double> columns(n);
  for (std::size_t i = 0; i < n; ++i) {
    double sum = 0;
    for (std::size_t row = 0; row < at.r.size(); ++row) sum += at.jacobian[row * n + i] * at.jacobian[row * n + i];
    columns[i] = std::sqrt(sum);
    const double g = dot(at.jacobian.data() + i, at.r.data(), at.r.size(), n);
    const double cosine = columns[i] > 0 ? g / (columns[i] * norm) : 0;
    if (x[i] <= box.lower[i] && cosine > 1e-9) at.active[i] = 1;
    if (x[i] >= box.upper[i] && cosine < -1e-9) at.active[i] = 2;
    if (at.active[i] != 0 || box.held[i] != 0) continue;
    at.free.push_back(i);
    at.slope = std::max(at.slope, std::fabs(cosine));
  }
  const auto m = static_cast<Eigen::Index>(at.r.size());
  Eigen::MatrixXd j(m, static_cast<Eigen::Index>(at.free.size()));
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    const std::size_t i = at.free[k];
    for (Eigen::Index row = 0; row < m; ++row)
      j(row, static_cast<Eigen::Index>(k)) =
          columns[i] > 0 ? at.jacobian[static_cast<std::size_t>(row) * n + i] / columns[i] : 0;
  }
  if (at.free.empty()) return at;
  Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> factors;
  factors.setThreshold(1e-13);
  factors.compute(j);
  const Eigen::VectorXd s = factors.solve(-Eigen::Map<const Eigen::VectorXd>(at.r.data(), m));
  for (std::size_t k = 0; k < at.free.size(); ++k) {
    if (columns[at.free[k]] > 0) at.step[at.free[k]] = s[static_cast<Eigen::Index>(k)] / columns[at.free[k]];
  }
  return at;
}

std::vector<double> newton_step(FitResiduals& residuals, const FitBox& box, const FitLocal& at,
                                const std::vector<double>& x) {
  const auto k = static_cast<Eigen::Index>(at.free.size());
  const std::size_t n = x.size();
  Eigen::MatrixXd h(k, k);
  const Eigen::VectorXd g = gradient_of(at, n);
  for (Eigen::Index c = 0; c < k; ++c) {
    const std::size_t i = at.free[static_cast<std::size_t>(c)];
    double column = 0;
    for (std::size_t row = 0; row < at.r.size(); ++row) column += at.jacobian[row * n + i] * at.jacobian[row * n + i];
    double norm = 0;
    for (const double v : at.r) norm += v * v;
    // a part of the distance over which the residuals change by as much as they are, and of the unknown itself
    double by = 1e-4 * std::sqrt(norm / (column > 0 ? column : 1));
    if (x[i] != 0) by = std::min(by, 1e-3 * std::fabs(x[i]));
    if (!(by > 0)) return {};
    Eigen::VectorXd side[2];
    for (int s = 0; s < 2; ++s) {
      std::vector<double> moved = x;
      moved[i] += s == 0 ? by : -by;
      FitLocal there;
      there.free = at.free;
      there.r.resize(at.r.size());
      there.jacobian.resize(at.jacobian.size());
      if (moved[i] < box.lower[i] || moved[i] > box.upper[i] ||
          !residuals.evaluate(moved, there.r.data(), there.jacobian.data()))
        return {};
      side[s] = gradient_of(there, n);
    }
    h.col(c) = (side[0] - side[1]) / (2 * by);
  }
  const Eigen::VectorXd d = h.diagonal().cwiseAbs().cwiseSqrt().cwiseMax(1e-300).cwiseInverse();
  const Eigen::MatrixXd scaled = d.asDiagonal() * (0.5 * (h + h.transpose())) * d.asDiagonal();
  const Eigen::LLT<Eigen::MatrixXd> factors(scaled);
  if (factors.info() != Eigen::Success) return {};
  const Eigen::VectorXd s = -d.cwiseProduct(factors.solve(d.cwiseProduct(g)));
  std::vector<double> step(n, 0.0);
  for (Eigen::Index c = 0; c < k; ++c) step[at.free[static_cast<std::size_t>(c)]] = s[c];
  return step;
}

void polish(FitResiduals& residuals, const FitBox& box, FitPoint& point) {
  constexpr int most = 60;
  constexpr double slow = 0.3;
  const double noise = residuals.problem().run ? 1e-5 : 1e-12;  // of the cost, relative
  FitLocal at = local(residuals, box, point.x);
  if (!at.finite) return;
  bool newton = false;
  std::vector<double> step = at.step;
  double last = length(at, step);
  for (int k = 0; k < most && last > 0; ++k) {
    std::vector<double> next = point.x;
    bool moved = false;
    for (std::size_t i = 0; i < next.size(); ++i) {
      next[i] = box.inside(i, next[i] + step[i]);
      moved = moved || next[i] != point.x[i];
    }
    if (!moved) return;
    FitLocal there = local(residuals, box, next);
    if (!there.finite) return;
    const double cost = dot(there.r.data(), there.r.data(), there.r.size(), 1);
    std::vector<double> following = newton ? newton_step(residuals, box, there, next) : there.step;
    if (following.empty()) return;
    const double size = length(there, following);
    // near the minimum the cost is flat: what counts is that steps get smaller
    const bool better = cost < point.cost * (1 - 0.1 * noise);
    if (!(cost <= point.cost * (1 + noise)) || (!better && !(size < 0.9 * last))) {
      if (newton) return;
      newton = true;
      step = newton_step(residuals, box, at, point.x);
      if (step.empty()) return;
      last = length(at, step);
      continue;
    }
    const bool slowly = size > slow * last;
    point.x = std::move(next);
    point.cost = cost;
    ++point.iterations;
    at = std::move(there);
    step = std::move(following);
    last = size;
    if (slowly && !newton) {
      std::vector<double> better_step = newton_step(residuals, box, at, point.x);
      if (!better_step.empty()) {
        newton = true;
        step = std::move(better_step);
        last = length(at, step);
      }
    }
  }
}

}  // namespace boreon
