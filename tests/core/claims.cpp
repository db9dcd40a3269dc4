// SPDX-License-Identifier: MIT
#include "core/claims.hpp"

#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"

namespace test {

using namespace boreon;

namespace {

const Symbol parameter("p");

}  // namespace

bool true_at(const Expr& condition, const Number& p) {
  const Expr c = substitute(condition, {{parameter, Expr(p)}}, Unused::allowed);
  if (c.is_constant(ConstantCode::true_value)) return true;
  if (c.is(Kind::logic)) {
    if (c.logic_op() == LogicOp::negation) return !true_at(c.operands()[0], p);
    const bool all = c.logic_op() == LogicOp::conjunction;
    for (const Expr& o : c.operands()) {
      if (true_at(o, p) != all) return !all;
    }
    return all;
  }
  if (!c.is(Kind::relation)) return false;
  const double left = evaluate(c.operands()[0]);
  const double right = evaluate(c.operands()[1]);
  switch (c.relation_op()) {
    case RelationOp::less: return left < right - 1e-9 * (1 + std::abs(left));  // a border in doubles is none
    case RelationOp::less_equal: return left <= right;
    case RelationOp::equal: return left == right;
    default: return left != right;
  }
}

std::optional<std::complex<double>> claimed_at(const IntegralResult& r, const Number& p) {
  const double divergent = std::nan("");
  const auto value = [&](const Expr& e) -> std::complex<double> {
    if (e.is_constant(ConstantCode::undefined) || e == infinity() || e == -infinity()) return divergent;
    return evaluate_complex(e, {{parameter, Expr(p)}}, Unused::allowed);
  };
  for (const IntegralException& e : r.exceptions) {
    if (true_at(e.when, p)) return value(e.value);
  }
  if (r.status == IntegralStatus::divergent) return divergent;
  if (r.status != IntegralStatus::exact) return std::nullopt;
  for (const Expr& c : r.conditions) {
    if (!true_at(c, p)) return std::nullopt;
  }
  return value(r.value);
}

}  // namespace test
