// SPDX-License-Identifier: MIT
#include "boreon/sampling.hpp"

#include <algorithm>
#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
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

std::optional<bool> known_truth(const Expr& c) {
  if (c.is_constant(ConstantCode::true_value)) return true;
  if (c.is_constant(ConstantCode::false_value)) return false;
  if (c.is(Kind::logic)) {
    if (c.logic_op() == LogicOp::negation) {
      const auto t = known_truth(c.operands()[0]);
      return t ? std::optional<bool>(!*t) : std::nullopt;
    }
    // what one operand decides is decided, whatever is not known of the others
    const bool decisive = c.logic_op() == LogicOp::disjunction;
    bool all_known = true;
    for (const Expr& o : c.operands()) {
      const auto t = known_truth(o);
      if (t && *t == decisive) return decisive;
      all_known = all_known && t;
    }
    return all_known ? std::optional<bool>(!decisive) : std::nullopt;
  }
  if (!c.is(Kind::relation)) return std::nullopt;
  try {
    const double left = evaluate(c.operands()[0]);
    const double right = evaluate(c.operands()[1]);
    switch (c.relation_op()) {
      case RelationOp::less: return left < right;
      case RelationOp::less_equal: return left <= right;
      case RelationOp::equal: return std::abs(left - right) <= 1e-12 * std::max(std::abs(left), std::abs(right));
      default: return left != right;
    }
  } catch (const Error& e) {
    return e.kind() == ErrorKind::domain ? std::optional<bool>(false) : std::nullopt;
  }
}

bool is_false(const Expr& condition) { return known_truth(condition) == false; }

std::vector<double> Sampler::draw(std::span<const Expr> conditions) {
  constexpr int tries = 500;
  for (const double scale : {1.0, 4.0, 16.0, 64.0}) {
    scale_ = scale;
    for (int k = 0; k < tries; ++k) {
      std::vector<double> p = draw();
      bool good = true;
      if (!conditions.empty()) {
        Bindings b;
        for (std::size_t i = 0; i < leaves_.size(); ++i) b.set(leaves_[i], Expr(Number::exact(p[i])));
        good = std::none_of(conditions.begin(), conditions.end(),
                            [&](const Expr& c) { return is_false(substitute(c, b, Unused::allowed)); });
      }
      if (!good) continue;
      scale_ = 1;
      return p;
    }
  }
  scale_ = 1;
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
    x = r.low + scale_ * std::exp(uniform(-1.5, 1.2)) * std::max(1e-300, std::abs(r.low) > 0 ? std::abs(r.low) : 1.0);
  } else if (std::isfinite(r.high)) {
    x = r.high - scale_ * std::exp(uniform(-1.5, 1.2)) * (std::abs(r.high) > 0 ? std::abs(r.high) : 1.0);
  } else {
    x = uniform(-2 * scale_, 2 * scale_);
  }
  if (x < r.low || x > r.high) x = uniform(std::max(r.low, -1e300), std::min(r.high, 1e300));
  if (a.has(Assumption::integer)) x = std::round(x * 3);
  if (a.has(Assumption::nonzero) && x == 0) x = 1;
  return x;
}

}  // namespace boreon
