// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <complex>

#include "boreon/sampling.hpp"
#include "boreon/traverse.hpp"
#include "calculus/sums/sum_methods.hpp"

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
    std::vector<Expr> inner = leaves;
    inner.push_back(k);
    std::complex<double> sum = 0;
    const double last = endless ? low->real() + 4000 : std::min(high->real(), low->real() + 4000);
    if (!endless && high->real() > last) continue;  // too many to add up: another point
    bool fine = true;
    double size = 0;
    std::vector<std::complex<double>> partial;
    for (double j = low->real(); j <= last && fine; ++j) {
      std::vector<double> q = p;
      q.push_back(j);
      const auto t = value_at(term, inner, q);
      fine = t.has_value();
      if (!fine) break;
      sum += *t;
      size += std::abs(*t);
      partial.push_back(sum);
      if (endless && std::abs(*t) < 1e-18 * std::abs(sum) && j > low->real() + 20) break;
    }
    if (!fine && partial.size() < 60) continue;
    double tolerance = 1e-9;
    if (endless && partial.size() > 3900) {  // slow: Richardson on the tail behaves like 1/n or better
      const std::size_t n = partial.size();
      const auto s1 = partial[n / 4 - 1];
      const auto s2 = partial[n / 2 - 1];
      const auto s4 = partial[n - 1];
      const auto e = s4 - (s4 - s2) * (s4 - s2) / ((s4 - s2) - (s2 - s1) + 1e-300);
      sum = std::abs(s4 - s2) < 1e-12 ? s4 : e;
      tolerance = 1e-3;
    }
    ++points;
    if (std::abs(sum - *want) > tolerance * std::max(size, std::abs(*want)) + 1e-12) return false;
  }
  return points > 0;
}

}  // namespace boreon::sums
