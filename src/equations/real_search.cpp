// SPDX-License-Identifier: MIT
#include "equations/real_search.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <queue>
#include <utility>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "expr/work.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon::equations {
namespace {

constexpr long search_precision = 80;
constexpr double narrowest = 1e-11;  // of the larger of 1 and the place

class Searched {
 public:
  Searched(const Expr& e, const Expr& x) : x_(x), f_(e), d_(derivative(e, x)), of_f_({&f_, 1}), of_d_({&d_, 1}) {}

  // Real and finite, or nothing.
  [[nodiscard]] std::optional<Ball> value(const Ball& at, long precision) const {
    return evaluated(of_f_, at, precision);
  }
  [[nodiscard]] std::optional<Ball> slope(const Ball& at, long precision) const {
    return evaluated(of_d_, at, precision);
  }

 private:
  [[nodiscard]] std::optional<Ball> evaluated(const EvaluationPlan& plan, const Ball& at, long precision) const {
    charge(40 * plan.steps().size());  // for whoever limits this search; the budget counts balls as they are made
    const BriefFaults brief;
    try {
      auto r = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [&](const Expr& s, Ball& v) {
        if (!(s == x_)) return false;
        v = at;
        return true;
      });
      if (!r[0].finite() || arb_contains_zero(r[0].im()) == 0) return std::nullopt;
      return r[0];
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return std::nullopt;
    }
  }

  const Expr& x_;
  Expr f_;
  Expr d_;
  EvaluationPlan of_f_;
  EvaluationPlan of_d_;
};

Ball range_of(double a, double b) {
  Ball r;
  arb_t end;
  arb_init(end);
  arb_set_d(r.re(), a);
  arb_set_d(end, b);
  arb_union(r.re(), r.re(), end, search_precision);
  arb_clear(end);
  return r;
}

// The sign at a point; 0 where it cannot be told.
int sign_at(const Searched& f, double x) {
  for (const long precision : {search_precision, 4 * search_precision}) {
    const auto v = f.value(Ball::from(std::complex<double>(x)), precision);
    if (!v) return 0;
    if (arb_is_positive(v->re()) != 0) return 1;
    if (arb_is_negative(v->re()) != 0) return -1;
  }
  return 0;
}

// The one root in the range, on which the derivative has no zero.
std::optional<CertifiedRoot> refined(const Searched& f, double a, double b, int digits) {
  Ball x = range_of(a, b);
  const long precision = static_cast<long>(3.33 * digits) + 80;
  for (int step = 0; step < 200; ++step) {
    if (arb_rel_accuracy_bits(x.re()) >= static_cast<slong>(3.33 * digits) + 8)
      return CertifiedRoot{decimal(x.re(), digits)};
    Ball middle;
    arf_set(arb_midref(middle.re()), arb_midref(x.re()));
    const auto v = f.value(middle, precision);
    const auto d = f.slope(x, precision);
    if (!v || !d || arb_contains_zero(d->re()) != 0) return std::nullopt;
    Ball next;
    arb_div(next.re(), v->re(), d->re(), precision);
    arb_sub(next.re(), middle.re(), next.re(), precision);
    Ball both;
    if (arb_intersection(both.re(), next.re(), x.re(), precision) == 0) return std::nullopt;
    if (mag_cmp(arb_radref(both.re()), arb_radref(x.re())) >= 0) {
      return arb_contains_zero(x.re()) != 0 && arb_contains_zero(v->re()) != 0 ? std::optional(CertifiedRoot{"0"})
                                                                               : std::nullopt;
    }
    x = both;
  }
  return std::nullopt;
}

}  // namespace

RealSearch real_roots_within(const Expr& e, const Expr& x, double low, double high, int digits,
                             std::size_t most_parts) {
  struct Part {
    double a, b;
  };
  const Searched f(e, x);
  RealSearch out;
  std::vector<std::pair<double, CertifiedRoot>> found;
  // unequal parts, so that roots at round numbers are not met by their ends; the widest first, so that what is left
  // when the work is done is narrow
  const auto narrower = [](const Part& p, const Part& q) { return p.b - p.a < q.b - q.a; };
  std::priority_queue<Part, std::vector<Part>, decltype(narrower)> open(narrower);
  open.push({low, low + 0.4871 * (high - low)});
  open.push({low + 0.4871 * (high - low), high});
  std::size_t count = 0;
  while (!open.empty()) {
    const Part p = open.top();
    open.pop();
    if (++count > most_parts) {
      out.undecided.push_back(p.a);
      continue;
    }
    const Ball range = range_of(p.a, p.b);
    const auto v = f.value(range, search_precision);
    if (v && arb_contains_zero(v->re()) == 0) continue;
    if (v) {
      const auto d = f.slope(range, search_precision);
      if (d && arb_contains_zero(d->re()) == 0) {
        const int sa = sign_at(f, p.a);
        const int sb = sign_at(f, p.b);
        if (sa * sb > 0) continue;
        if (sa * sb < 0) {
          if (auto root = refined(f, p.a, p.b, digits)) {
            found.emplace_back(p.a, *root);
            continue;
          }
        }
      }
    }
    const double middle = p.a + 0.5127 * (p.b - p.a);
    if (p.b - p.a <= narrowest * std::max(1.0, std::abs(middle)) || !(middle > p.a && middle < p.b)) {
      out.undecided.push_back(middle);
      continue;
    }
    open.push({middle, p.b});
    open.push({p.a, middle});
  }
  std::sort(found.begin(), found.end(), [](const auto& p, const auto& q) { return p.first < q.first; });
  for (auto& [place, root] : found) out.roots.push_back(std::move(root));
  std::sort(out.undecided.begin(), out.undecided.end());
  const auto close = [](double p, double q) { return std::abs(p - q) <= 1e-6 * std::max(1.0, std::abs(p)); };
  out.undecided.erase(std::unique(out.undecided.begin(), out.undecided.end(), close), out.undecided.end());
  return out;
}

std::optional<int> sign_within(const Expr& e, const Expr& x, const std::string& decimal) {
  const Searched f(e, x);
  const long precision = static_cast<long>(3.33 * static_cast<double>(decimal.size())) + search_precision;
  Ball at;
  if (arb_set_str(at.re(), decimal.c_str(), precision) != 0) return std::nullopt;
  // one unit in the last place that is written
  const std::size_t exponent = decimal.find_first_of("eE");
  const std::string mantissa = decimal.substr(0, exponent);
  const std::size_t point = mantissa.find('.');
  const long written = point == std::string::npos ? 0 : static_cast<long>(mantissa.size() - point - 1);
  const long power = (exponent == std::string::npos ? 0 : std::stol(decimal.substr(exponent + 1))) - written;
  Ball unit;
  arb_set_si(unit.re(), 10);
  arb_pow_ui(unit.re(), unit.re(), static_cast<ulong>(std::abs(power)), precision);
  if (power < 0) arb_inv(unit.re(), unit.re(), precision);
  arb_add_error(at.re(), unit.re());
  const auto v = f.value(at, precision);
  if (!v) return std::nullopt;
  if (arb_is_positive(v->re()) != 0) return 1;
  if (arb_is_negative(v->re()) != 0) return -1;
  return arb_is_zero(v->re()) != 0 ? std::optional<int>(0) : std::nullopt;
}

}  // namespace boreon::equations
