// SPDX-License-Identifier: MIT
// Zero tests and signs of coefficients, which limits, series and integrals lean on; what is not known may be assumed
// and is then written down as a condition of the answer.
#pragma once

#include <complex>
#include <optional>
#include <span>
#include <vector>

#include "algebra/reasoner.hpp"
#include "boreon/expr.hpp"

namespace boreon {

/// Whether the expression is zero wherever it is defined: exactly if canonical forms decide, else by enclosures at
/// random points to 45 digits (Schwartz 1980). Never true for what is nonzero at one of the points.
[[nodiscard]] bool vanishes(const Expr& e);

/// The value at one point in complex double precision; nothing where it has none.
[[nodiscard]] std::optional<std::complex<double>> value_at(const Expr& e, std::span<const Expr> symbols,
                                                           std::span<const double> point);

/// The value in ball arithmetic rounded to double precision, at exact values of the symbols; nothing if it cannot be
/// enclosed well.
[[nodiscard]] std::optional<std::complex<double>> certified_value(const Expr& e, std::span<const Expr> symbols,
                                                                  std::span<const double> point);

/// Whether the imaginary unit occurs.
[[nodiscard]] bool has_imaginary_unit(const Expr& e);

/// What the sign of an expression was taken to be.
struct Decision {
  Expr of;
  int sign = 0;  ///< 1, -1 or 0; 2: not zero
};
/// The decision as a relation.
[[nodiscard]] Expr condition_of(const Decision& d);

/// The truth of a condition by the signs of the differences of its relations; nothing for what is no condition.
template <class SignOf>
[[nodiscard]] std::optional<bool> truth_by_signs(const Expr& c, const SignOf& sign_of) {
  if (c.is_constant(ConstantCode::true_value)) return true;
  if (c.is_constant(ConstantCode::false_value)) return false;
  if (c.is(Kind::logic)) {
    if (c.logic_op() == LogicOp::negation) {
      const auto t = truth_by_signs(c.operands()[0], sign_of);
      return t ? std::optional<bool>(!*t) : std::nullopt;
    }
    const bool all = c.logic_op() == LogicOp::conjunction;
    for (const Expr& o : c.operands()) {
      const auto t = truth_by_signs(o, sign_of);
      if (!t) return std::nullopt;
      if (*t != all) return !all;
    }
    return all;
  }
  if (!c.is(Kind::relation)) return std::nullopt;
  const int s = sign_of(c.operands()[1] - c.operands()[0]);
  switch (c.relation_op()) {
    case RelationOp::less: return s > 0;
    case RelationOp::less_equal: return s >= 0;
    case RelationOp::equal: return s == 0;
    default: return s != 0;
  }
}

/// Thrown when a sign is needed that neither follows from the assumptions nor may be assumed.
struct UnknownSign {
  Expr of;
};

/// Signs under assumptions. With `may_assume`, a sign that is not known is taken from the script, then positive, and
/// noted: the answer then holds under those conditions.
class Signs {
 public:
  explicit Signs(std::span<const Expr> conditions = {}, bool may_assume = false, std::vector<int> script = {})
      : given_(conditions.begin(), conditions.end()),
        reasoner_(given_),
        may_assume_(may_assume),
        script_(std::move(script)) {}

  /// 1, -1, or 0 for zero; throws UnknownSign.
  [[nodiscard]] int of(const Expr& e);
  /// The same, where an unknown sign is taken as positive for e as a whole, not for its factors.
  [[nodiscard]] int of_whole(const Expr& e);
  /// Whether it is nonzero; assumed and noted if that is not known.
  [[nodiscard]] bool nonzero(const Expr& e);
  /// The sign if it is known without an assumption.
  [[nodiscard]] std::optional<int> known(const Expr& e) const;
  [[nodiscard]] const std::vector<Decision>& decisions() const { return decisions_; }
  [[nodiscard]] const std::vector<Expr>& given() const { return given_; }
  /// The sign at random points under the conditions, if it is always the same: for choices that are checked later.
  [[nodiscard]] std::optional<int> sampled(const Expr& e) const;
  /// What is given, and what was assumed so far.
  [[nodiscard]] std::vector<Expr> conditions() const;
  [[nodiscard]] bool may_assume() const { return may_assume_; }
  void allow(bool assume) { may_assume_ = assume; }

 private:
  [[nodiscard]] std::optional<int> by_squares(const Expr& e) const;

  std::vector<Expr> given_;
  Reasoner reasoner_;
  bool may_assume_;
  std::vector<int> script_;
  std::vector<Decision> decisions_;
};

}  // namespace boreon
