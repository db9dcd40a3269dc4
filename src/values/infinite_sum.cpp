// SPDX-License-Identifier: MIT
#include "values/infinite_sum.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <vector>

#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/quadrature.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

using Value = std::complex<double>;

constexpr double small_enough = 1e-7;  // an error beside the largest term or the sum

class Endless {
 public:
  Endless(const Expr& term, const Expr& k, std::int64_t from)
      : term_(term), k_(k), from_(static_cast<double>(from)), plan_({&term_, 1}) {}

  InfiniteSum run() {
    constexpr int first_look = 60;
    for (int j = 0; j < first_look; ++j) terms_.push_back(at(from_ + j));
    out_.terms = terms_.size();
    const bool finite = std::all_of(terms_.begin(), terms_.end(), [](const Value& t) { return is_finite(t); });
    if (!finite) {
      out_.reason = "a term has no finite value";
      return out_;
    }
    if (added_up()) return out_;
    if (tells_divergence()) return out_;
    if (alternates()) {
      by_levin();
    } else if (is_of_one_sign()) {
      by_integral();
    } else {
      out_.reason = "its terms fall too slowly, and their signs have no order";
    }
    return out_;
  }

 private:
  static bool is_finite(const Value& v) { return std::isfinite(v.real()) && std::isfinite(v.imag()); }

  // In real arithmetic as long as that has a value: powers of -1 keep their digits there.
  [[nodiscard]] Value at(double k) {
    if (real_) {
      try {
        return GraphEvaluator<RealDomain>().run(plan_, [&](const Expr& e, double& v) {
          if (!(e == k_)) return false;
          v = k;
          return true;
        })[0];
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::domain) throw;
        real_ = false;
      }
    }
    return GraphEvaluator<ComplexDomain>().run(plan_, [&](const Expr& e, Value& v) {
      if (!(e == k_)) return false;
      v = k;
      return true;
    })[0];
  }

  // Until what is left of a geometric series no longer counts.
  bool added_up() {
    constexpr int most = 20000;
    constexpr double slowest = 0.998;
    Value sum = 0;
    double size = 0;
    for (int j = 0; j < most; ++j) {
      if (static_cast<std::size_t>(j) >= terms_.size()) {
        terms_.push_back(at(from_ + j));
        if (!is_finite(terms_.back())) return false;
      }
      const double now = std::abs(terms_[static_cast<std::size_t>(j)]);
      sum += terms_[static_cast<std::size_t>(j)];
      size = std::max(size, std::abs(sum));
      if (j < 40) continue;
      // over twenty terms, so that zeros between them do not matter
      const double before = largest(j - 39, j - 19);
      const double after = largest(j - 19, j + 1);
      const double ratio = before > 0 ? std::pow(after / before, 1.0 / 20) : 0;
      if (ratio > slowest) return false;
      const double left = std::max(now, after) * ratio / (1 - ratio);
      if (left <= 1e-17 * size || after == 0) {
        out_.value = sum;
        out_.error = left + 2e-16 * size * std::sqrt(static_cast<double>(j));
        out_.terms = static_cast<std::size_t>(j) + 1;
        out_.converged = true;
        return true;
      }
    }
    return false;
  }

  [[nodiscard]] double largest(int from, int to) const {
    double out = 0;
    for (int j = from; j < to; ++j) out = std::max(out, std::abs(terms_[static_cast<std::size_t>(j)]));
    return out;
  }

  [[nodiscard]] bool is_real() const {
    return std::all_of(terms_.begin(), terms_.end(),
                       [](const Value& t) { return std::abs(t.imag()) <= 1e-14 * std::abs(t.real()); });
  }

  [[nodiscard]] bool alternates() const {
    if (!is_real()) return false;
    for (std::size_t j = 20; j + 1 < terms_.size(); ++j) {
      if (terms_[j].real() * terms_[j + 1].real() >= 0) return false;
    }
    return true;
  }

  [[nodiscard]] bool is_of_one_sign() const {
    if (!is_real()) return false;
    for (std::size_t j = 20; j + 1 < terms_.size(); ++j) {
      if (terms_[j].real() * terms_[j + 1].real() <= 0) return false;
    }
    return true;
  }

  // The power of k, and then of log(k), with which the terms fall far out.
  bool tells_divergence() {
    const auto size = [&](double k) { return std::abs(at(from_ + k)); };
    double far = 1e6;
    const double a = size(far);
    const double b = size(8 * far);
    if (!std::isfinite(a) || !std::isfinite(b) || a == 0 || b == 0) return false;
    const double power = -std::log(b / a) / std::log(8.0);
    const bool alternating = alternates();
    if (power < 1e-3 || (!alternating && is_of_one_sign() && power < 0.98)) {
      out_.diverges = true;
      out_.reason =
          power < 1e-3 ? "it diverges: its terms do not go to zero" : "it diverges: its terms fall no faster than 1/k";
      return true;
    }
    if (alternating || !is_of_one_sign() || power > 1.2) return false;
    // t*k as a power of log(k)
    far = 1e12;
    const double c = size(far) * far;
    const double d = size(far * far) * far * far;
    if (!std::isfinite(c) || !std::isfinite(d) || c == 0 || d == 0) return false;
    const double logarithmic = std::log(d / c) / std::log(2.0);
    if (logarithmic < -1.02) return false;
    out_.diverges = true;
    out_.reason = "it diverges: its terms fall no faster than 1/k";
    return true;
  }

  void by_levin() {
    constexpr int most = 40;
    double best = std::numeric_limits<double>::infinity();
    double before = std::numeric_limits<double>::quiet_NaN();
    double change_before = std::numeric_limits<double>::infinity();
    std::vector<double> partial;
    double sum = 0;
    for (int j = 0; j < most; ++j) {
      sum += terms_[static_cast<std::size_t>(j)].real();
      partial.push_back(sum);
      if (j < 5) continue;
      const double estimate = levin(partial, j);
      const double change = std::abs(estimate - before);
      if (std::max(change, change_before) < best) {
        best = std::max(change, change_before);
        out_.value = estimate;
      }
      before = estimate;
      change_before = change;
    }
    finish(best);
  }

  // The weights make the remainders w_j = (j + 1)*t_j times a series in 1/(j + 1) vanish.
  [[nodiscard]] double levin(const std::vector<double>& partial, int n) const {
    double top = 0;
    double bottom = 0;
    double binomial = 1;
    for (int j = 0; j <= n; ++j) {
      const double t = terms_[static_cast<std::size_t>(j)].real();
      const double weight = (j % 2 == 0 ? 1 : -1) * binomial * std::pow((j + 1.0) / (n + 1.0), n - 1) / ((j + 1.0) * t);
      top += weight * partial[static_cast<std::size_t>(j)];
      bottom += weight;
      binomial = binomial * (n - j) / (j + 1);
    }
    return top / bottom;
  }

  void by_integral() {
    const auto early = with_tail(30);
    const auto late = with_tail(60);
    if (!early || !late) {
      out_.reason = "its terms fall too slowly, and the integral of its tail was not found";
      return;
    }
    out_.value = late->value;
    finish(std::abs(late->value - early->value) + late->error);
  }

  struct Tail {
    double value = 0;
    double error = 0;
  };

  // The first terms, the integral of the rest, half of the term between, and differences of the next ones: Gregory's
  // coefficients.
  std::optional<Tail> with_tail(int count) {
    constexpr std::array<double, 8> gregory{1.0 / 2,   -1.0 / 12,      1.0 / 24,      -19.0 / 720,
                                            3.0 / 160, -863.0 / 60480, 275.0 / 24192, -33953.0 / 3628800};
    double sum = 0;
    for (int j = 0; j < count; ++j) sum += at(from_ + j).real();
    const double place = from_ + count;
    std::vector<double> differences;
    for (std::size_t j = 0; j < gregory.size(); ++j) differences.push_back(at(place + static_cast<double>(j)).real());
    for (std::size_t order = 0; order < gregory.size(); ++order) {
      sum += gregory[order] * differences[0];
      for (std::size_t j = 0; j + 1 + order < differences.size(); ++j)
        differences[j] = differences[j + 1] - differences[j];
    }
    const QuadratureResult tail = quadrature(term_, k_, Number::exact(place), infinity());
    // where the terms themselves have few digits far out, so has the integral
    if (!std::isfinite(tail.value) || !std::isfinite(tail.error)) return std::nullopt;
    return Tail{sum + tail.value, tail.converged ? 0 : tail.error};
  }

  void finish(double error) {
    const double size = std::max({std::abs(out_.value), std::abs(terms_[0]), 1e-300});
    out_.error = std::max(error, 1e-15 * size);
    out_.converged = out_.error <= small_enough * size;
    if (!out_.converged) out_.reason = "its terms fall too slowly to tell the sum";
  }

  Expr term_;
  Expr k_;
  double from_;
  EvaluationPlan plan_;
  std::vector<Value> terms_;
  bool real_ = true;
  InfiniteSum out_;
};

}  // namespace

InfiniteSum infinite_sum(const Expr& term, const Expr& k, std::int64_t from) {
  const BriefFaults brief;
  try {
    return Endless(term, k, from).run();
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    InfiniteSum out;
    out.reason = "a term has no value";
    return out;
  }
}

}  // namespace boreon
