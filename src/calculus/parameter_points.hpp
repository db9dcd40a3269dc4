// SPDX-License-Identifier: MIT
// Random values of the parameters of some expressions, for checks by numbers.
#pragma once

#include <algorithm>
#include <span>
#include <utility>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/sampling.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

class ParameterPoints {
 public:
  /// A bound variable is no parameter, whatever is assumed of it. `conditions` have to outlive the object.
  ParameterPoints(std::vector<Expr> expressions, const Expr& bound, std::span<const Expr> conditions,
                  std::uint64_t seed)
      : conditions_(conditions),
        leaves_(leaves_of(std::move(expressions), bound, conditions)),
        sampler_(leaves_, ranges_, seed),
        wide_(leaves_, wide_ranges_, seed + 1) {}
  ParameterPoints(const ParameterPoints&) = delete;
  ParameterPoints& operator=(const ParameterPoints&) = delete;

  [[nodiscard]] const std::vector<Expr>& leaves() const { return leaves_; }
  /// The next point that fulfils the conditions; false if none is found.
  [[nodiscard]] bool next() {
    point_ = sampler_.draw(conditions_);
    return point_.size() == leaves_.size();
  }
  /// The same from a wider range, where conditions leave one.
  [[nodiscard]] bool next_wide() {
    if (wide_ranges_.empty()) {
      constexpr double widest = 7;
      for (const Expr& e : leaves_) {
        if (e.is(Kind::symbol)) wide_ranges_[e.name()] = {-widest, widest};
      }
    }
    point_ = wide_.draw(conditions_);
    return point_.size() == leaves_.size();
  }
  [[nodiscard]] const std::vector<double>& point() const { return point_; }
  [[nodiscard]] Bindings bindings() const {
    Bindings at;
    for (std::size_t i = 0; i < leaves_.size(); ++i) at.set(leaves_[i], Expr(Number::exact(point_[i])));
    return at;
  }

 private:
  static std::vector<Expr> leaves_of(std::vector<Expr> expressions, const Expr& bound,
                                     std::span<const Expr> conditions) {
    expressions.insert(expressions.end(), conditions.begin(), conditions.end());
    std::vector<Expr> leaves = sampled_leaves(expressions);
    std::erase_if(leaves, [&](const Expr& e) { return e.is(Kind::symbol) && e.name() == bound.name(); });
    return leaves;
  }
  std::span<const Expr> conditions_;
  SampleRanges ranges_;
  std::vector<Expr> leaves_;
  SampleRanges wide_ranges_;
  Sampler sampler_;
  Sampler wide_;
  std::vector<double> point_;
};

}  // namespace boreon
