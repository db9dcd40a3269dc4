// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <complex>

#include "boreon/bindings.hpp"
#include "boreon/sampling.hpp"
#include "boreon/traverse.hpp"
#include "calculus/sums/sum_methods.hpp"
#include "values/infinite_sum.hpp"

namespace boreon::sums {

bool confirmed(const Expr& term, const Symbol& k, const Expr& from, const Expr& to, const Expr& value,
               std::span<const Expr> conditions, std::size_t& points) {
  const bool endless = to.is_constant(ConstantCode::infinity);
  std::vector<Expr> all{term, from, value};
  if (!endless) all.push_back(to);
  all.insert(all.end(), conditions.begin(), conditions.end());
  std::vector<Expr> leaves = sampled_leaves(all);
  std::erase(leaves, Expr(k));
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20260101);
  for (int attempt = 0; attempt < 12 && points < 3; ++attempt) {
    std::vector<double> p = sampler.draw(conditions);
    if (p.size() != leaves.size()) return points > 0;
    // the limits must be whole numbers
    for (std::size_t i = 0; i < leaves.size(); ++i) {
      if (depends_on(from, leaves[i]) || (!endless && depends_on(to, leaves[i]))) p[i] = std::round(std::abs(p[i])) + 3;
    }
    const auto low = value_at(from, leaves, p);
    const auto high = endless ? low : value_at(to, leaves, p);
    const auto want = certified_value(value, leaves, p);
    if (!low || !high || !want) continue;
    std::complex<double> sum = 0;
    double size = 0;
    double tolerance = 1e-9;
    if (endless) {
      Bindings here;
      for (std::size_t i = 0; i < leaves.size(); ++i) here.set(leaves[i], Expr(Number::exact(p[i])));
      const InfiniteSum added = infinite_sum(substitute(term, here, Unused::allowed), k, std::lround(low->real()));
      if (added.diverges) return false;
      if (!added.converged) continue;
      sum = added.value;
      size = std::abs(sum);
      tolerance = std::max(tolerance, 10 * added.error / std::max(size, 1e-300));
    } else {
      constexpr double most = 4000;
      if (high->real() > low->real() + most) continue;  // too many to add up: another point
      std::vector<Expr> inner = leaves;
      inner.push_back(k);
      bool fine = true;
      for (double j = low->real(); j <= high->real() && fine; ++j) {
        std::vector<double> q = p;
        q.push_back(j);
        const auto t = value_at(term, inner, q);
        fine = t.has_value();
        if (!fine) break;
        sum += *t;
        size += std::abs(*t);
      }
      if (!fine) continue;
    }
    ++points;
    if (std::abs(sum - *want) > tolerance * std::max(size, std::abs(*want)) + 1e-12) return false;
  }
  return points > 0;
}

}  // namespace boreon::sums
