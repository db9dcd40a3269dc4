// SPDX-License-Identifier: MIT
#include "calculus/integral/verify.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/sampling.hpp"
#include "boreon/text.hpp"
#include "calculus/signs.hpp"
#include "values/worst_entry.hpp"

namespace boreon {
namespace {

constexpr double needed_digits = 8;

}  // namespace

Evidence check_antiderivative(const Expr& f, const Expr& F, const Symbol& x, std::span<const Expr> conditions,
                              std::size_t points, std::uint64_t seed) {
  Evidence out;
  out.method = "the antiderivative differentiated and compared in ball arithmetic";
  const Expr slope = derivative(F, x);
  out.entries = 1;
  if (slope == f) {
    out.points = points;
    out.digits = 15;
    out.verdict = Verdict::agrees;
    out.method = "the antiderivative differentiated: identical with the integrand";
    return out;
  }
  std::vector<Expr> all{f, slope, x};
  all.insert(all.end(), conditions.begin(), conditions.end());
  const std::vector<Expr> leaves = sampled_leaves(all);
  SampleRanges ranges;
  Sampler sampler(leaves, ranges, seed);
  std::size_t place = 0;
  while (place < leaves.size() && !(leaves[place] == x)) ++place;
  out.digits = 15;
  std::size_t lost = 0;
  std::size_t bad = 0;
  for (std::size_t attempt = 0; attempt < 12 * points && out.points < points; ++attempt) {
    std::vector<double> p = sampler.draw(conditions);
    if (p.size() != leaves.size()) break;
    // close to zero and far out in turn: the domain may lie anywhere
    const double scale[] = {1, 0.2, 5, 1, 0.5, 25};
    p[place] *= scale[attempt % 6];
    // both sides of zero in turn, where the variable may be on both
    if (!assumptions_of(x).has(Assumption::nonnegative) && !assumptions_of(x).has(Assumption::nonpositive))
      p[place] = std::copysign(p[place], attempt % 2 == 0 ? 1.0 : -1.0);
    if (assumptions_of(x).has(Assumption::integer)) p[place] = std::round(p[place]);
    if (!conditions.empty()) {
      bool holds = true;
      Bindings at;
      for (std::size_t i = 0; i < leaves.size(); ++i) at.set(leaves[i], Expr(Number::exact(p[i])));
      for (const Expr& c : conditions)
        holds = holds && !substitute(c, at, Unused::allowed).is_constant(ConstantCode::false_value);
      if (!holds) continue;
    }
    // only where every part of the integrand is real
    Bindings at;
    for (std::size_t i = 0; i < leaves.size(); ++i) at.set(leaves[i], Expr(p[i]));
    double reference = 0;
    try {
      reference = evaluate(f, at, Unused::allowed);
    } catch (const Error&) {
      if (!has_imaginary_unit(f)) continue;
    }
    if (!std::isfinite(reference) || std::abs(reference) > 1e100) continue;
    const auto want = certified_value(f, leaves, p);
    if (!want) continue;
    const auto got = certified_value(slope, leaves, p);
    if (!got) {
      ++lost;
      continue;
    }
    const double size = std::max(std::abs(*want), 1e-300);
    const double error = std::abs(*got - *want);
    const double digits = agreeing_digits(error, size);
    ++out.points;
    if (digits < out.digits || out.points == 1) {
      out.digits = std::min(digits, out.digits);
      keep_worst(out, "integrand", got->real(), want->real(), leaves, p);
    }
    if (digits < needed_digits) ++bad;
  }
  out.skipped = lost;
  out.verdict = bad > 0                                ? Verdict::disagrees
                : out.points == 0 || out.points < lost ? Verdict::untested
                                                       : Verdict::agrees;
  if (out.points == 0) out.digits = 0;
  return out;
}

}  // namespace boreon
