// SPDX-License-Identifier: MIT
// Constants, relations, logic, piecewise, and the unevaluated operators.
#include <algorithm>
#include <array>
#include <vector>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "expr/node.hpp"

namespace boreon {
namespace {

void require_value(const Expr& e, const char* where) {
  if (is_condition(e)) {
    throw Error(ErrorKind::shape, std::string("a condition (true or false) stands where a number is expected, in ") +
                                      where + "; write piecewise(1 if condition, 0 otherwise)");
  }
}

void require_condition(const Expr& e, const char* where) {
  if (!is_condition(e)) {
    throw Error(ErrorKind::shape, std::string("a number stands where a condition is expected, in ") + where +
                                      "; write a comparison such as x < 1");
  }
}

void require_symbol(const Expr& e, const char* where) {
  if (!e.is(Kind::symbol))
    throw Error(ErrorKind::usage, std::string("a plain symbol is expected as the variable of ") + where);
}

Expr combine(LogicOp op, std::span<const Expr> conditions) {
  const ConstantCode neutral = op == LogicOp::conjunction ? ConstantCode::true_value : ConstantCode::false_value;
  const ConstantCode absorbing = op == LogicOp::conjunction ? ConstantCode::false_value : ConstantCode::true_value;
  std::vector<Expr> parts;
  for (const Expr& c : conditions) {
    require_condition(c, op == LogicOp::conjunction ? "'and'" : "'or'");
    if (c.is_constant(absorbing)) return c;
    if (c.is_constant(neutral)) continue;
    if (c.is(Kind::logic) && c.logic_op() == op) {
      parts.insert(parts.end(), c.operands().begin(), c.operands().end());
    } else {
      parts.push_back(c);
    }
  }
  std::sort(parts.begin(), parts.end(), [](const Expr& a, const Expr& b) { return order(a, b) < 0; });
  parts.erase(std::unique(parts.begin(), parts.end()), parts.end());
  if (parts.empty()) return constant(neutral);
  if (parts.size() == 1) return parts[0];
  return Node::intern(Kind::logic, static_cast<std::uint16_t>(op), parts);
}

}  // namespace

Expr constant(ConstantCode code) {
  static const auto* constants = new std::array<Expr, 7>([] {
    std::array<Expr, 7> all;
    for (std::uint16_t i = 0; i < all.size(); ++i) all[i] = Node::intern(Kind::constant, i, {});
    return all;
  }());
  return constants->at(static_cast<std::size_t>(code));
}

Expr truth(bool value) { return constant(value ? ConstantCode::true_value : ConstantCode::false_value); }

bool is_condition(const Expr& e) {
  return e.is(Kind::relation) || e.is(Kind::logic) || e.is_constant(ConstantCode::true_value) ||
         e.is_constant(ConstantCode::false_value);
}

Expr relation(RelationOp op, const Expr& left, const Expr& right) {
  require_value(left, "a comparison");
  require_value(right, "a comparison");
  if (left == right && !left.is_constant(ConstantCode::undefined)) {
    return truth(op == RelationOp::equal || op == RelationOp::less_equal);
  }
  if (left.is_number() && right.is_number()) {
    const int c = compare(left.number(), right.number());
    switch (op) {
      case RelationOp::less: return truth(c < 0);
      case RelationOp::less_equal: return truth(c <= 0);
      case RelationOp::equal: return truth(c == 0);
      case RelationOp::not_equal: return truth(c != 0);
    }
  }
  return Node::make(Kind::relation, static_cast<std::uint16_t>(op), left, right);
}

namespace {
[[noreturn]] void undecided() {
  throw Error(ErrorKind::usage,
              "the order of two symbolic expressions cannot be decided here; use less(a, b) for a condition, or "
              "assumptions that settle it");
}
}  // namespace

bool operator<(const Expr& a, const Expr& b) {
  if (a.is_number() && b.is_number()) return compare(a.number(), b.number()) < 0;
  const Expr difference = b - a;
  if (is_positive(difference)) return true;
  if (is_nonnegative(-difference)) return false;
  undecided();
}

bool operator<=(const Expr& a, const Expr& b) {
  if (a.is_number() && b.is_number()) return compare(a.number(), b.number()) <= 0;
  const Expr difference = b - a;
  if (is_nonnegative(difference)) return true;
  if (is_positive(-difference)) return false;
  undecided();
}

Expr conjunction(std::span<const Expr> conditions) { return combine(LogicOp::conjunction, conditions); }
Expr disjunction(std::span<const Expr> conditions) { return combine(LogicOp::disjunction, conditions); }

Expr negation(const Expr& c) {
  require_condition(c, "'not'");
  if (c.is_constant(ConstantCode::true_value)) return truth(false);
  if (c.is_constant(ConstantCode::false_value)) return truth(true);
  if (c.is(Kind::logic) && c.logic_op() == LogicOp::negation) return c.operands()[0];
  if (c.is(Kind::relation)) {
    const Expr& a = c.operands()[0];
    const Expr& b = c.operands()[1];
    switch (c.relation_op()) {
      case RelationOp::less: return less_equal(b, a);
      case RelationOp::less_equal: return less(b, a);
      case RelationOp::equal: return not_equal(a, b);
      case RelationOp::not_equal: return equal(a, b);
    }
  }
  return Node::make(Kind::logic, static_cast<std::uint16_t>(LogicOp::negation), c);
}

Expr piecewise(std::span<const Expr> branches) {
  if (branches.empty())
    throw Error(ErrorKind::shape, "piecewise needs at least one branch: piecewise(a if x < 0, b otherwise)");
  std::vector<Expr> kept;
  bool closed = false;
  for (std::size_t i = 0; i + 1 < branches.size() && !closed; i += 2) {
    require_value(branches[i], "a branch of piecewise");
    require_condition(branches[i + 1], "piecewise after 'if'");
    if (branches[i + 1].is_constant(ConstantCode::false_value)) continue;
    kept.push_back(branches[i]);
    if (branches[i + 1].is_constant(ConstantCode::true_value)) {
      closed = true;
    } else {
      kept.push_back(branches[i + 1]);
    }
  }
  if (!closed && branches.size() % 2 == 1) {
    require_value(branches.back(), "a branch of piecewise");
    kept.push_back(branches.back());
  }
  if (kept.empty()) return undefined();
  if (kept.size() == 1) return kept[0];
  if (kept.size() % 2 == 1) {  // all values equal: no choice left
    bool same = true;
    for (std::size_t i = 0; i + 1 < kept.size(); i += 2) same = same && kept[i] == kept.back();
    if (same) return kept.back();
  }
  return Node::intern(Kind::piecewise, 0, kept);
}

Expr unevaluated_derivative(const Expr& of, std::span<const Expr> symbols_and_orders) {
  require_value(of, "a derivative");
  std::vector<Expr> operands{of};
  for (std::size_t i = 0; i + 1 < symbols_and_orders.size(); i += 2) {
    require_symbol(symbols_and_orders[i], "a derivative");
    const auto n = symbols_and_orders[i + 1].word();
    if (!n || *n < 0) throw Error(ErrorKind::usage, "the order of a derivative must be a non-negative integer");
    if (*n == 0) continue;
    operands.push_back(symbols_and_orders[i]);
    operands.push_back(symbols_and_orders[i + 1]);
  }
  if (operands.size() == 1) return of;
  return Node::intern(Kind::derivative, 0, operands);
}

Expr unevaluated_integral(const Expr& integrand, const Expr& symbol) {
  require_value(integrand, "an integral");
  require_symbol(symbol, "an integral");
  return Node::make(Kind::integral, 0, integrand, symbol);
}

Expr unevaluated_integral(const Expr& integrand, const Expr& symbol, const Expr& from, const Expr& to) {
  require_value(integrand, "an integral");
  require_symbol(symbol, "an integral");
  return Node::make(Kind::integral, 0, integrand, symbol, from, to);
}

Expr unevaluated_reduction(ReductionOp op, const Expr& term, const Expr& symbol, const Expr& from, const Expr& to) {
  static constexpr const char* names[] = {"a sum", "a product", "a least value", "a greatest value"};
  const char* name = names[static_cast<std::size_t>(op)];
  require_value(term, name);
  require_symbol(symbol, name);
  return Node::make(Kind::reduction, static_cast<std::uint16_t>(op), term, symbol, from, to);
}

Expr unevaluated_sum(const Expr& term, const Expr& symbol, const Expr& from, const Expr& to) {
  return unevaluated_reduction(ReductionOp::sum, term, symbol, from, to);
}

Expr implicit_root(const Expr& equation, const Expr& symbol, const Expr& from, const Expr& to) {
  const bool equality = equation.is(Kind::relation) && equation.relation_op() == RelationOp::equal;
  const Expr zero = equality ? equation.operands()[0] - equation.operands()[1] : equation;
  require_value(zero, "a root");
  require_value(from, "the range of a root");
  require_value(to, "the range of a root");
  require_symbol(symbol, "a root");
  return Node::make(Kind::root, 0, zero, symbol, from, to);
}

Expr unevaluated_limit(const Expr& of, const Expr& symbol, const Expr& place, LimitSide side) {
  require_value(of, "a limit");
  require_symbol(symbol, "a limit");
  return Node::make(Kind::limit, static_cast<std::uint16_t>(side), of, symbol, place);
}

Expr with_operands(const Expr& e, std::span<const Expr> operands) {
  switch (e.kind()) {
    case Kind::number:
    case Kind::constant:
    case Kind::symbol: return e;
    case Kind::sum: {
      std::vector<Expr> terms;
      terms.reserve(operands.size() / 2 + 1);
      terms.push_back(operands[0]);
      for (std::size_t i = 1; i + 1 < operands.size(); i += 2) terms.push_back(operands[i + 1] * operands[i]);
      return add(terms);
    }
    case Kind::product: {
      std::vector<Expr> factors;
      factors.reserve(operands.size() / 2 + 1);
      factors.push_back(operands[0]);
      for (std::size_t i = 1; i + 1 < operands.size(); i += 2) factors.push_back(power(operands[i], operands[i + 1]));
      return multiply(factors);
    }
    case Kind::power: return power(operands[0], operands[1]);
    case Kind::call: return call(e.function(), operands);
    case Kind::unknown_call: return unknown_call(operands);
    case Kind::relation: return relation(e.relation_op(), operands[0], operands[1]);
    case Kind::logic:
      if (e.logic_op() == LogicOp::negation) return negation(operands[0]);
      return combine(e.logic_op(), operands);
    case Kind::piecewise: return piecewise(operands);
    case Kind::derivative: return unevaluated_derivative(operands[0], operands.subspan(1));
    case Kind::integral:
      if (operands.size() == 2) return unevaluated_integral(operands[0], operands[1]);
      return unevaluated_integral(operands[0], operands[1], operands[2], operands[3]);
    case Kind::reduction:
      return unevaluated_reduction(e.reduction_op(), operands[0], operands[1], operands[2], operands[3]);
    case Kind::element: return element(operands[0], operands.subspan(1));
    case Kind::root: return implicit_root(operands[0], operands[1], operands[2], operands[3]);
    case Kind::limit: return unevaluated_limit(operands[0], operands[1], operands[2], e.limit_side());
  }
  throw Error(ErrorKind::usage, "unknown kind of node");
}

}  // namespace boreon
