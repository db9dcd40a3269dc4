// SPDX-License-Identifier: MIT
#include "boreon/continuation.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evidence.hpp"
#include "boreon/names.hpp"
#include "boreon/native.hpp"
#include "boreon/solvers.hpp"
#include "expr/work.hpp"
#include "solvers/checked_system.hpp"

namespace boreon {
namespace {

constexpr std::size_t largest_system = 2000;
constexpr double shortest_step = 1e-9;
constexpr int most_corrections = 8;

// f(y, k) with its derivatives, as one function of n + 1 numbers.
class Branch {
 public:
  Branch(const System& s, std::size_t along)
      : system_(s),
        along_(along),
        n_(s.states.size()),
        parameters_(s.parameter_values),
        kernel_(compile(outputs_of(s, along), inputs_of(s), NativeOptions{})),
        outputs_(compile({OutputGroup("g", s.outputs)}, inputs_of(s), NativeOptions{})) {}

  struct Value {
    Eigen::VectorXd f;
    Eigen::MatrixXd by_states;
    Eigen::VectorXd by_parameter;
    bool finite = false;
  };
  Value at(const Eigen::VectorXd& x) {
    Value v;
    const auto n = static_cast<Eigen::Index>(n_);
    v.f.resize(n);
    v.by_parameter.resize(n);
    Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor> j(n, n);
    parameters_[along_] = x[n];
    const double t = 0;
    const double* in[] = {x.data(), parameters_.data(), &t};
    double* out[] = {v.f.data(), j.data(), v.by_parameter.data()};
    kernel_(in, out);
    v.by_states = j;
    v.finite = v.f.allFinite() && v.by_states.allFinite() && v.by_parameter.allFinite();
    spend(200 + n_ * n_ * (1 + n_ / 20));  // with the factors that follow
    return v;
  }

  TracePoint point(const Eigen::VectorXd& x) {
    TracePoint p;
    p.parameter = x[static_cast<Eigen::Index>(n_)];
    p.values.assign(x.data(), x.data() + n_);
    p.outputs.resize(system_.outputs.size());
    parameters_[along_] = p.parameter;
    const double t = 0;
    const double* in[] = {p.values.data(), parameters_.data(), &t};
    double* out[] = {p.outputs.data()};
    if (!p.outputs.empty()) outputs_(in, out);
    if (!system_.right_sides.empty() && !system_.differential_algebraic()) p.unstable = unstable(x);
    return p;
  }

  int unstable(const Eigen::VectorXd& x) {
    const Value v = at(x);
    if (!v.finite) return -1;
    const Eigen::EigenSolver<Eigen::MatrixXd> eigen(v.by_states, false);
    if (eigen.info() != Eigen::Success) return -1;
    int count = 0;
    for (const auto& e : eigen.eigenvalues()) count += e.real() > 0 ? 1 : 0;
    return count;
  }

 private:
  static std::vector<OutputGroup> outputs_of(const System& s, std::size_t along) {
    const std::size_t n = s.states.size();
    const SparseMatrix j = sparse_jacobian(s.residuals, s.states);
    std::vector<Expr> entries(n * n, Expr(0));
    for (std::size_t i = 0; i < n; ++i) {
      for (auto k = static_cast<std::size_t>(j.pattern.row_start[i]);
           k < static_cast<std::size_t>(j.pattern.row_start[i + 1]); ++k)
        entries[i * n + static_cast<std::size_t>(j.pattern.columns[k])] = j.values[k];
    }
    std::vector<Expr> by_parameter;
    for (const Expr& f : s.residuals) by_parameter.push_back(derivative(f, s.parameters[along]));
    return {OutputGroup("f", s.residuals), OutputGroup("J", entries), OutputGroup("k", by_parameter)};
  }
  static std::vector<InputGroup> inputs_of(const System& s) {
    return {{"y", s.states}, {"p", s.parameters}, {"t", {s.time}}};
  }

  const System& system_;
  std::size_t along_;
  std::size_t n_;
  std::vector<double> parameters_;
  Kernel kernel_;
  Kernel outputs_;
};

class Tracer {
 public:
  Tracer(const System& system, std::size_t along, const TraceOptions& options)
      : system_(system),
        options_(options),
        n_(static_cast<Eigen::Index>(system.states.size())),
        along_(along),
        branch_(system_, along),
        span_(std::fabs(options.to - options.from)) {}

  TraceResult run() {
    begin();
    double h = 0.1 * options_.longest_step;
    while (result_.points.size() < options_.most_points) {
      const std::optional<Step> s = step(h);
      if (!s) {
        h *= 0.5;
        if (h < shortest_step) {
          result_.message = fmt::format(
              "the branch could not be followed beyond {} = {:.6g}: the steps became too small; it "
              "may end there, at the edge of a domain or in a corner",
              options_.along, x_[n_]);
          break;
        }
        continue;
      }
      examine(*s, h);
      if (ends(*s)) break;
      accept(*s);
      const double grow = s->corrections <= 2 ? 1.5 : s->corrections <= 4 ? 1.1 : 0.6;
      h = std::min(options_.longest_step, h * grow * (s->turn > 0.15 ? 0.5 : 1));
    }
    if (result_.message.empty())
      result_.message = fmt::format("{} points were made and the branch goes on", options_.most_points);
    judge();
    return std::move(result_);
  }

 private:
  struct Step {
    Eigen::VectorXd x;
    Eigen::VectorXd tangent;  // in units of the sizes
    double sign = 0;          // of the determinant of the bordered Jacobian
    int corrections = 0;
    double turn = 0;  // between the tangents
  };

  void begin() {
    System at = system_;
    at.parameter_values[along_] = options_.from;
    const SteadyResult r = solve_steady(at);
    if (!r.converged)
      throw Error(ErrorKind::convergence, fmt::format("there is no steady state to begin with at {} = {:.6g}: {}",
                                                      options_.along, options_.from, r.message));
    x_.resize(n_ + 1);
    for (Eigen::Index i = 0; i < n_; ++i) x_[i] = r.values[static_cast<std::size_t>(i)];
    x_[n_] = options_.from;
    largest_ = x_.head(n_).cwiseAbs();
    for (Eigen::Index i = 0; i < n_; ++i)
      if (!(largest_[i] > 0)) largest_[i] = std::max(std::fabs(system_.start[static_cast<std::size_t>(i)]), 1e-3);
    take_sizes();
    Eigen::VectorXd towards = Eigen::VectorXd::Zero(n_ + 1);
    towards[n_] = options_.to > options_.from ? 1 : -1;
    const auto t = tangent_at(x_, towards);
    if (!t)
      throw Error(ErrorKind::domain,
                  fmt::format("the steady state at {} = {:.6g} is a singular one: begin a little beside it",
                              options_.along, options_.from));
    tangent_ = t->tangent;
    sign_ = t->sign;
    result_.points.push_back(branch_.point(x_));
  }

  // The size of an unknown is its own, but not below a part of the largest it has had.
  void take_sizes() {
    size_.resize(n_ + 1);
    for (Eigen::Index i = 0; i < n_; ++i) {
      largest_[i] = std::max(largest_[i], std::fabs(x_[i]));
      size_[i] = std::max(std::fabs(x_[i]), 0.1 * largest_[i]);
    }
    size_[n_] = span_;
  }

  // The derivative of the residuals by the scaled numbers, rows by their largest entry, with a last row.
  [[nodiscard]] Eigen::MatrixXd bordered(const Branch::Value& v, const Eigen::VectorXd& last,
                                         Eigen::VectorXd* rows) const {
    Eigen::MatrixXd m(n_ + 1, n_ + 1);
    m.topLeftCorner(n_, n_) = v.by_states * size_.head(n_).asDiagonal();
    m.col(n_).head(n_) = v.by_parameter * size_[n_];
    for (Eigen::Index i = 0; i < n_; ++i) {
      double r = m.row(i).cwiseAbs().maxCoeff();
      if (!(r > 0)) r = 1;
      m.row(i) /= r;
      if (rows != nullptr) (*rows)[i] = r;
    }
    m.row(n_) = last.transpose();
    return m;
  }

  // The tangent in the direction of `along`, and on which side of singular the matrix is.
  std::optional<Step> tangent_at(const Eigen::VectorXd& x, const Eigen::VectorXd& along) {
    const Branch::Value v = branch_.at(x);
    if (!v.finite) return std::nullopt;
    Eigen::VectorXd right = Eigen::VectorXd::Zero(n_ + 1);
    right[n_] = 1;
    Step s;
    s.x = x;
    Eigen::VectorXd border = along;
    for (int k = 0; k < 2; ++k) {  // once more with the tangent itself as the border
      const Eigen::MatrixXd m = bordered(v, border, nullptr);
      const Eigen::PartialPivLU<Eigen::MatrixXd> lu(m);
      s.tangent = lu.solve(right);
      if (!s.tangent.allFinite() || !((m * s.tangent - right).norm() < 1e-6)) return std::nullopt;
      s.tangent.normalize();
      // the determinant itself may leave the range of numbers
      s.sign = static_cast<double>(lu.permutationP().determinant());
      for (Eigen::Index i = 0; i <= n_; ++i) s.sign *= lu.matrixLU()(i, i) < 0 ? -1 : 1;
      border = s.tangent;
    }
    s.turn = std::acos(std::clamp(s.tangent.dot(along.normalized()), -1.0, 1.0));
    return s;
  }

  // Newton's method across the tangent, from a distance h along it.
  std::optional<Step> step(double h) {
    Eigen::VectorXd x = x_ + h * size_.cwiseProduct(tangent_);
    const Eigen::VectorXd predicted = x;
    Eigen::VectorXd rows(n_ + 1);
    rows[n_] = 1;
    double before = std::numeric_limits<double>::infinity();
    for (int k = 1; k <= most_corrections; ++k) {
      const Branch::Value v = branch_.at(x);
      ++result_.newton_steps;
      if (!v.finite) return std::nullopt;
      const Eigen::MatrixXd m = bordered(v, tangent_, &rows);
      Eigen::VectorXd right(n_ + 1);
      right.head(n_) = v.f.cwiseQuotient(rows.head(n_));
      right[n_] = tangent_.dot((x - predicted).cwiseQuotient(size_));
      const Eigen::VectorXd d = m.partialPivLu().solve(right);
      if (!d.allFinite()) return std::nullopt;
      x -= size_.cwiseProduct(d);
      const double move = d.norm();
      if (move > 2 * h + 1e-9 || move > 2 * before) return std::nullopt;
      before = move;
      if (move < 1e-12 || (k > 2 && move < 1e-9 && move > 0.1 * before)) {
        std::optional<Step> s = tangent_at(x, tangent_);
        if (!s || s->turn > 0.5) return std::nullopt;
        s->corrections = k;
        return s;
      }
    }
    return std::nullopt;
  }

  // Special points between here and the next one: where `test` changes its sign.
  template <class Test>
  std::optional<TracePoint> located(double h, double first, double second, const Test& test) {
    double a = 0;
    double b = h;
    double fa = first;
    double fb = second;
    std::optional<Step> best;
    for (int k = 0; k < 80 && b - a > 1e-13 * h; ++k) {
      double c = k % 3 == 2 || !std::isfinite(fa) || !std::isfinite(fb) ? 0.5 * (a + b) : (a * fb - b * fa) / (fb - fa);
      if (!(c > a && c < b)) c = 0.5 * (a + b);
      const std::optional<Step> s = step(c);
      if (!s) return std::nullopt;
      const double f = test(*s);
      best = s;
      if (f == 0) break;
      (f > 0) == (fa > 0) ? (a = c, fa = f) : (b = c, fb = f);
    }
    if (!best) return std::nullopt;
    return branch_.point(best->x);
  }

  void examine(const Step& s, double h) {
    const double here = tangent_[n_];
    const double there = s.tangent[n_];
    const bool turning = (here > 0) != (there > 0);
    if (turning) {
      if (auto p = located(h, here, there, [&](const Step& q) { return q.tangent[n_]; }); p && in_range(p->parameter)) {
        p->kind = PointKind::turning;
        result_.turning_points.push_back(*p);
        result_.points.push_back(*p);
      }
    }
    if (s.sign != sign_) {
      if (auto p = located(h, sign_, s.sign, [&](const Step& q) { return q.sign; }); p && in_range(p->parameter)) {
        p->kind = PointKind::branch;
        result_.branch_points.push_back(*p);
        result_.points.push_back(*p);
      }
    }
    if (system_.right_sides.empty() || system_.differential_algebraic()) return;
    const int before = last_unstable_ >= 0 ? last_unstable_ : branch_.unstable(x_);
    const int after = branch_.unstable(s.x);
    last_unstable_ = after;
    if (before < 0 || after < 0 || std::abs(after - before) < 2) return;
    const auto test = [&](const Step& q) { return branch_.unstable(q.x) == before ? 1.0 : -1.0; };
    if (auto p = located(h, 1.0, -1.0, test); p && in_range(p->parameter)) {
      p->kind = PointKind::hopf;
      result_.hopf_points.push_back(*p);
      result_.points.push_back(*p);
    }
  }

  [[nodiscard]] bool in_range(double k) const {
    return k >= std::min(options_.from, options_.to) && k <= std::max(options_.from, options_.to);
  }

  // Whether the next point lies beyond the range or a bound; the last point is put where it leaves.
  bool ends(const Step& s) {
    for (Eigen::Index i = 0; i < n_; ++i) {
      const auto k = static_cast<std::size_t>(i);
      const bool below = s.x[i] < system_.lower[k];
      if (!below && !(s.x[i] > system_.upper[k])) continue;
      result_.completed = true;
      result_.message =
          fmt::format("the branch leaves the {} bound {:.6g} of {} near {} = {:.6g}", below ? "lower" : "upper",
                      below ? system_.lower[k] : system_.upper[k], system_.state_names[k], options_.along, x_[n_]);
      return true;
    }
    if (in_range(s.x[n_])) return false;
    const bool beyond_to = (s.x[n_] > options_.to) == (options_.to > options_.from) && s.x[n_] != options_.to;
    const double end = beyond_to ? options_.to : options_.from;
    // the parameter held: Newton's method from between the two points
    const double part = (end - x_[n_]) / (s.x[n_] - x_[n_]);
    Eigen::VectorXd x = x_ + part * (s.x - x_);
    x[n_] = end;
    for (int k = 0; k < 20; ++k) {
      const Branch::Value v = branch_.at(x);
      if (!v.finite) break;
      const Eigen::VectorXd d = v.by_states.partialPivLu().solve(v.f);
      if (!d.allFinite()) break;
      x.head(n_) -= d;
      if (d.cwiseQuotient(size_.head(n_)).norm() < 1e-14) break;
    }
    result_.points.push_back(branch_.point(x));
    result_.completed = true;
    result_.message = fmt::format("{} leaves its range at {:.6g}", options_.along, end);
    return true;
  }

  void accept(const Step& s) {
    const Eigen::VectorXd direction = size_.cwiseProduct(s.tangent);
    x_ = s.x;
    sign_ = s.sign;
    take_sizes();
    tangent_ = direction.cwiseQuotient(size_).normalized();
    result_.points.push_back(branch_.point(x_));
  }

  // One more Newton step of every point.
  void judge() {
    double worst = 0;
    for (const TracePoint& p : result_.points) {
      Eigen::VectorXd x(n_ + 1);
      for (Eigen::Index i = 0; i < n_; ++i) x[i] = p.values[static_cast<std::size_t>(i)];
      x[n_] = p.parameter;
      const Branch::Value v = branch_.at(x);
      if (!v.finite) continue;
      // across the branch, where the matrix of the states alone may be singular
      Eigen::MatrixXd m(n_, n_ + 1);
      m.leftCols(n_) = v.by_states * size_.head(n_).asDiagonal();
      m.col(n_) = v.by_parameter * size_[n_];
      const Eigen::VectorXd d = m.completeOrthogonalDecomposition().solve(v.f);
      worst = std::max(worst, d.norm());
    }
    result_.evidence.method = "one more Newton step across the branch at every point";
    result_.evidence.points = result_.points.size();
    result_.evidence.entries = result_.points.size() * static_cast<std::size_t>(n_);
    result_.evidence.digits = agreeing_digits(worst);
    result_.evidence.verdict = result_.evidence.digits >= 6 ? Verdict::agrees : Verdict::disagrees;
  }

  const System& system_;
  const TraceOptions& options_;
  Eigen::Index n_;
  std::size_t along_;
  Branch branch_;
  double span_;
  Eigen::VectorXd x_;
  Eigen::VectorXd size_;
  Eigen::VectorXd largest_;
  Eigen::VectorXd tangent_;
  double sign_ = 0;
  int last_unstable_ = -1;
  TraceResult result_;
};

}  // namespace

TraceResult trace(const System& given, const TraceOptions& options) {
  const System system = checked(given, Purpose::steady);
  const auto p = std::find(system.parameter_names.begin(), system.parameter_names.end(), options.along);
  if (p == system.parameter_names.end())
    throw Error(ErrorKind::name, fmt::format("there is no parameter '{}' to go along{}", options.along,
                                             suggestion(options.along, system.parameter_names)));
  if (!std::isfinite(options.from) || !std::isfinite(options.to) || options.from == options.to)
    throw Error(ErrorKind::usage, "a branch is followed between two different values of the parameter");
  if (system.states.size() > largest_system)
    throw Error(ErrorKind::limit, fmt::format("branches of more than {} unknowns are not followed", largest_system));
  return Tracer(system, static_cast<std::size_t>(p - system.parameter_names.begin()), options).run();
}

}  // namespace boreon
