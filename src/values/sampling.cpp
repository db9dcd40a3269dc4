// SPDX-License-Identifier: MIT
#include "boreon/sampling.hpp"

#include <algorithm>
#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

std::vector<Expr> sampled_leaves(std::span<const Expr> expressions) {
  std::vector<Expr> leaves;
  for (const Symbol& s : free_symbols(expressions)) leaves.push_back(s);
  for (const Expr& c : unknown_calls(expressions)) leaves.push_back(c);
  return leaves;
}

std::vector<double> Sampler::draw() {
  std::vector<double> p;
  p.reserve(leaves_.size());
  for (const Expr& leaf : leaves_) p.push_back(one(leaf));
  return p;
}

std::vector<double> Sampler::draw(std::span<const Expr> conditions) {
  for (int tries = 0; tries < 2000; ++tries) {
    std::vector<double> p = draw();
    if (conditions.empty()) return p;
    Bindings b;
    for (std::size_t i = 0; i < leaves_.size(); ++i) b.set(leaves_[i], p[i]);
    const bool good = std::all_of(conditions.begin(), conditions.end(), [&](const Expr& c) {
      return !substitute(c, b, Unused::allowed).is_constant(ConstantCode::false_value);
    });
    if (good) return p;
  }
  return {};
}

double Sampler::uniform(double low, double high) {
  // written out, because the standard distributions differ between libraries
  return low + (high - low) * (static_cast<double>(random_() >> 11U) * 0x1.0p-53);
}

double Sampler::one(const Expr& leaf) {
  SampleRange r;
  const auto at = ranges_.find(leaf.is(Kind::symbol) ? leaf.name() : to_text(leaf));
  if (at != ranges_.end()) r = at->second;
  Assumptions a;
  if (leaf.is(Kind::symbol)) a = assumptions_of(leaf);
  if (a.has(Assumption::nonnegative)) r.low = std::max(r.low, 0.0);
  if (a.has(Assumption::nonpositive)) r.high = std::min(r.high, 0.0);
  double x = 0;
  if (!std::isnan(r.typical) && r.typical != 0) {
    x = r.typical * uniform(0.6, 1.5);
  } else if (std::isfinite(r.low) && std::isfinite(r.high)) {
    x = uniform(r.low, r.high);
  } else if (std::isfinite(r.low)) {
    x = r.low + std::exp(uniform(-1.5, 1.2)) * std::max(1e-300, std::abs(r.low) > 0 ? std::abs(r.low) : 1.0);
  } else if (std::isfinite(r.high)) {
    x = r.high - std::exp(uniform(-1.5, 1.2)) * (std::abs(r.high) > 0 ? std::abs(r.high) : 1.0);
  } else {
    x = uniform(-2, 2);
  }
  if (x < r.low || x > r.high) x = uniform(std::max(r.low, -1e300), std::min(r.high, 1e300));
  if (a.has(Assumption::integer)) x = std::round(x * 3);
  if (a.has(Assumption::nonzero) && x == 0) x = 1;
  return x;
}

}  // namespace boreon
