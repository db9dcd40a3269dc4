// SPDX-License-Identifier: MIT
#include "equations/verify.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstdint>
#include <unordered_map>

#include "algebra/linear_terms.hpp"
#include "boreon/error.hpp"
#include "boreon/sampling.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/limit_engine.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon::equations {
namespace {

constexpr double wanted_digits = 30;
constexpr double absolute_digits = 100;

// log10 of a bound of the amount.
double size_of(const Ball& b) {
  mag_t bound;
  mag_init(bound);
  acb_get_mag(bound, b.get());
  const double bits = mag_is_zero(bound) != 0 ? -1e9 : mag_get_d_log2_approx(bound);
  mag_clear(bound);
  return bits * 0.30102999566398120;
}

struct AtPoint {
  Zero verdict = Zero::unknown;
  double digits = 0;
};

AtPoint test_at(const std::vector<Expr>& terms, const EvaluationPlan& plan,
                const std::unordered_map<std::uintptr_t, double>& point) {
  for (const long precision : {200L, 600L, 2000L}) {
    std::vector<Ball> values;
    const BriefFaults brief;
    try {
      values = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [&](const Expr& s, Ball& v) {
        const auto at = point.find(s.bits());
        if (at != point.end()) v = Ball::from(std::complex<double>(at->second));
        return at != point.end();
      });
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return {Zero::undefined, 0};
    }
    Ball sum;
    double largest = -1e9;
    bool finite = true;
    for (std::size_t i = 0; i < terms.size(); ++i) {
      finite = finite && values[i].finite();
      acb_add(sum.get(), sum.get(), values[i].get(), precision);
      largest = std::max(largest, size_of(values[i]));
    }
    if (!finite) {
      if (precision == 2000) return {Zero::undefined, 0};
      continue;
    }
    if (acb_contains_zero(sum.get()) == 0) return {Zero::no, 0};
    const double digits = acb_is_zero(sum.get()) != 0 ? 300 : largest - size_of(sum);
    if (digits >= wanted_digits || largest <= -1e8) return {Zero::yes, std::min(digits, 300.0)};
    // terms that are zero each, such as sin(pi*n): nothing to compare with but more and more bits
    if (precision >= 600 && size_of(sum) <= -absolute_digits) return {Zero::yes, absolute_digits};
  }
  return {Zero::unknown, 0};
}

}  // namespace

ZeroTest zero_test(const Expr& e, std::span<const Expr> conditions, std::size_t points, std::uint64_t seed) {
  ZeroTest out;
  if (has_undefined(e) || has_infinity(e)) return {Zero::undefined, 0, 1, 0};
  std::vector<Expr> all{e};
  all.insert(all.end(), conditions.begin(), conditions.end());
  const std::vector<Expr> leaves = sampled_leaves(all);
  // what has pieces is looked at further out, and more often
  const bool pieces = has_piece(e);
  constexpr std::size_t points_of_pieces = 24;
  SampleRanges ranges;
  for (const Expr& leaf : leaves) {
    if (pieces && leaf.is(Kind::symbol)) ranges[leaf.name()] = {-12, 12};
  }
  Sampler sampler(leaves, ranges, seed);
  const std::vector<Expr> terms = terms_of(e);
  const EvaluationPlan plan(terms);
  std::size_t no = 0;
  std::size_t undefined = 0;
  out.digits = 300;
  const std::size_t wanted = leaves.empty() ? 1 : pieces ? std::max(points, points_of_pieces) : points;
  for (std::size_t k = 0; k < wanted; ++k) {
    const std::vector<double> point = sampler.draw(conditions);
    if (point.size() != leaves.size()) break;
    std::unordered_map<std::uintptr_t, double> values;
    for (std::size_t i = 0; i < leaves.size(); ++i) values.emplace(leaves[i].bits(), point[i]);
    const AtPoint here = test_at(terms, plan, values);
    if (here.verdict == Zero::yes) {
      ++out.points;
      out.digits = std::min(out.digits, here.digits);
    }
    no += here.verdict == Zero::no ? 1 : 0;
    undefined += here.verdict == Zero::undefined ? 1 : 0;
  }
  out.against = no + undefined;
  if (out.points > 0) {
    out.verdict = out.against == 0 ? Zero::yes : Zero::unknown;
  } else {
    out.digits = 0;
    if (no > 0) {
      out.verdict = Zero::no;
    } else if (undefined > 0) {
      out.verdict = Zero::undefined;
    }
  }
  return out;
}

}  // namespace boreon::equations
