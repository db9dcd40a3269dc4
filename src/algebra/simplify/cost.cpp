// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

double number_cost(const Number& n) { return n.is_double() || n.is_integer() ? 0 : 1; }

bool is_negative_number(const Expr& e) { return e.is_number() && e.number().sign() < 0; }

// What base^exponent costs without a minus in the exponent, which shows as a division.
double power_cost(const Expr& exponent, double base, double exponent_cost) {
  if (exponent.is_integer(1) || exponent.is_integer(-1)) return base;
  if (exponent.is_number())
    return base + 1 + (exponent.number().abs() == Number(1, 2) ? 0 : number_cost(exponent.number()));
  return base + 1 + exponent_cost;
}

// 3/4*x is a product of two numbers and x; where the term is a quotient already they merge into it.
bool is_reciprocal(const Expr& term) {
  if (term.is(Kind::power)) return is_negative_number(term.operands()[1]);
  if (!term.is(Kind::product)) return false;
  for (const auto [base, exponent] : Parts(term)) {
    if (!is_negative_number(exponent)) return false;
  }
  return true;
}

template <class CostOf>
double sum_cost(const Expr& e, const CostOf& of) {
  bool all_negative = true;
  double terms = 0;
  double total = 0;
  if (!e.operands()[0].is_integer(0)) {
    ++terms;
    total += number_cost(e.operands()[0].number());
    // -1 + ... is free
    all_negative = is_negative_number(e.operands()[0]) && !e.operands()[0].number().is_integer();
  }
  for (const auto [term, c] : Parts(e)) {
    ++terms;
    total += of(term);
    const Number a = c.number().abs();
    if (!a.is_one()) {
      const bool has_numerator = a.is_double() || !a.numerator().is_one();
      total += has_numerator && !is_reciprocal(term) ? 1 : 0;
      total += number_cost(a);
    }
    all_negative = all_negative && c.number().sign() < 0 && a.is_one();
  }
  return total + terms - 1 + (all_negative ? 1 : 0);
}

template <class CostOf>
double product_cost(const Expr& e, const CostOf& of) {
  double above = 0;
  double below = 0;
  double total = 0;
  const Number c = e.operands()[0].number();
  const Number a = c.abs();
  if (!a.is_one()) {
    if (a.is_double() || !a.numerator().is_one()) ++above;
    if (!a.is_double() && !a.is_integer()) ++below;
  }
  for (const auto [base, exponent] : Parts(e)) {
    (is_negative_number(exponent) ? below : above) += 1;
    total += power_cost(exponent, of(base), of(exponent));
  }
  total += std::max(above, 1.0) - 1 + below;
  return c.sign() < 0 && a.is_one() && above > 0 ? total + 1 : total;
}

template <class CostOf>
double node_cost(const Expr& e, const CostOf& of) {
  double operands = 0;
  switch (e.kind()) {
    case Kind::number: return number_cost(e.number());
    case Kind::constant:
    case Kind::symbol: return 0;
    case Kind::sum: return sum_cost(e, of);
    case Kind::product: return product_cost(e, of);
    case Kind::power: {
      const Expr& exponent = e.operands()[1];
      return power_cost(exponent, of(e.operands()[0]), of(exponent)) + (is_negative_number(exponent) ? 1 : 0);
    }
    default:
      for (const Expr& o : e.operands()) operands += of(o);
  }
  const auto count = static_cast<double>(e.operands().size());
  if (e.is(Kind::logic)) return operands + (e.logic_op() == LogicOp::negation ? 1 : count - 1);
  if (e.is(Kind::piecewise)) return operands + std::floor(count / 2);
  return operands + 1;
}

}  // namespace

double written_cost(const Expr& root) {
  NodeMap<double> costs;
  const auto of = [&](const Expr& e) -> double { return costs.at(e); };
  postorder(root, [&](const Expr& e) { costs[e] = node_cost(e, of); });
  return of(root);
}

}  // namespace boreon
