// SPDX-License-Identifier: MIT
// Operands and operators.
#include "text/parser.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/functions.hpp"
#include "boreon/operand_order.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

// Binding strength; unary minus is weaker than a power: -x^2 = -(x^2).
template <class Op>
int strength(Op op) {
  return static_cast<int>(op);
}

}  // namespace

Parser::Parser(std::string_view text, const ParseContext& context)
    : context_(context),
      errors_(text, context.origin),
      tokens_(tokenize(text, errors_)),
      names_(context, errors_, tokens_) {}

Array Parser::run() {
  for (;;) {
    const Token& t = tokens_[at_];
    if (expect_operand_) {
      operand(t);
    } else if (t.type == Token::Type::end) {
      break;
    } else {
      after_operand(t);
    }
  }
  reduce_all();
  if (!frames_.empty()) {
    errors_.fail(ErrorKind::syntax,
                 frames_.back().type == Frame::Type::element ? "this bracket is never closed"
                                                             : "this parenthesis is never closed",
                 frames_.back().at);
  }
  return values_.back();
}

void Parser::operand(const Token& t) {
  switch (t.type) {
    case Token::Type::number: push(guarded(t.at, [&] { return Expr(Number::parse(t.text)); })); return;
    case Token::Type::imaginary:
      push(guarded(t.at, [&] { return Expr(Number::parse(t.text)) * imaginary_unit(); }));
      return;
    case Token::Type::name: name(t); return;
    case Token::Type::end: unexpected_end();
    case Token::Type::op: break;
  }
  if (t.is("(")) {
    frames_.push_back({Frame::Type::group, {}, t.at, pending_.size()});
    ++at_;
  } else if (t.is("-") || t.is("+")) {
    if (t.is("-")) pending_.push_back({Op::minus, t.at});
    ++at_;
  } else if (t.is("[") || t.is("]")) {
    errors_.fail(ErrorKind::syntax,
                 at_ > 0 && tokens_[at_ - 1].is("[") ? "nothing stands between the brackets"
                 : t.is("[") ? "a bracket belongs behind the name of an array, T[i, j]; use parentheses ( ) to group"
                             : "an operand is missing before ']'",
                 t.at);
  } else if (t.is("..")) {
    errors_.fail(ErrorKind::syntax, "the first place of the range is missing before '..': A[2..8]", t.at);
  } else if (t.is(")")) {
    if (frames_.empty()) errors_.fail(ErrorKind::syntax, "there is no open parenthesis to close", t.at);
    errors_.fail(ErrorKind::syntax,
                 at_ > 0 && tokens_[at_ - 1].is("(") ? "nothing stands between the parentheses"
                                                     : "an operand is missing before ')'",
                 t.at);
  } else {
    errors_.fail(ErrorKind::syntax, fmt::format("an operand is missing before '{}'", t.text), t.at);
  }
}

void Parser::unexpected_end() {
  if (tokens_.size() == 1) errors_.fail(ErrorKind::syntax, "the expression is empty", 0);
  const std::size_t last = tokens_[tokens_.size() - 2].at;
  if (!frames_.empty() && tokens_[tokens_.size() - 2].is("("))
    errors_.fail(ErrorKind::syntax, "this parenthesis is never closed", last);
  errors_.fail(
      ErrorKind::syntax,
      fmt::format("the expression ends after '{}', where an operand should follow", tokens_[tokens_.size() - 2].text),
      last);
}

void Parser::push(Array e) {
  values_.push_back(std::move(e));
  expect_operand_ = false;
  ++at_;
}

void Parser::name(const Token& t) {
  const bool call_follows = tokens_[at_ + 1].is("(");
  if (!t.quoted && t.primes == 0) {
    if (t.text == "not" && !names_.declared(t.text)) {
      pending_.push_back({Op::negation, t.at});
      ++at_;
      return;
    }
    if (t.text == "piecewise") return open(t, Frame::Type::piecewise, call_follows);
    if (t.text == "derivative") return open(t, Frame::Type::derivative, call_follows);
    if (t.text == "integral") return open(t, Frame::Type::integral, call_follows);
    if (t.text == "sum") return open(t, Frame::Type::reduction, call_follows);
    for (const auto& [word, op] :
         {std::pair("product", ReductionOp::product), {"min", ReductionOp::minimum}, {"max", ReductionOp::maximum}}) {
      if (t.text == word && call_follows && !names_.declared(t.text) && reduction_ahead())
        return open(t, Frame::Type::reduction, true, op);
    }
    if (t.text == "root" && call_follows && !names_.declared(t.text) && reduction_ahead())
      return open(t, Frame::Type::root, true);
    if (t.text == "limit") return open(t, Frame::Type::limit, call_follows);
    if (t.text == "double" && call_follows && !names_.declared(t.text)) return double_literal();
    if (const Expr* c = NameResolver::constant(t.text)) {
      if (call_follows)
        errors_.fail(ErrorKind::syntax, fmt::format("{0} is a constant, not a function; write {0}*(...)", t.text),
                     t.at);
      push(*c);
      return;
    }
    if (is_reserved_word(t.text)) {
      errors_.fail(ErrorKind::syntax, fmt::format("'{}' is a word of the grammar and cannot stand here", t.text), t.at);
    }
  }
  if (call_follows) {
    if (!is_array_function(t)) names_.check_callable(t);
    open(t, Frame::Type::call, true);
  } else if (tokens_[at_ + 1].is("[")) {
    open_element(t);
  } else {
    push(value(t));
  }
}

void Parser::double_literal() {
  const std::size_t start = at_;
  at_ += 2;
  const bool negative = tokens_[at_].is("-");
  if (negative) ++at_;
  if (tokens_[at_].type != Token::Type::number || !tokens_[at_ + 1].is(")")) {
    errors_.fail(ErrorKind::syntax, "double(...) takes one number: double(0.1)", tokens_[start].at);
  }
  const double value = Number::parse(tokens_[at_].text).to_double();
  at_ += 1;
  push(Expr(negative ? -value : value));
}

void Parser::after_operand(const Token& t) {
  if (t.type == Token::Type::op) {
    if (t.is("+") || t.is("-")) return binary(Op::sum, t);
    if (t.is("*") || t.is("/")) return binary(Op::product, t);
    if (t.is("^")) {
      pending_.push_back({Op::power, t.at, {std::move(values_.back())}});
      values_.pop_back();
      expect_operand_ = true;
      ++at_;
      return;
    }
    if (t.is("<") || t.is(">") || t.is("<=") || t.is(">=") || t.is("=") || t.is("!=")) return binary(Op::relation, t);
    if (t.is(",")) return comma(t);
    if (t.is(")")) return close(t);
    if (t.is("]") || t.is("..")) return close_element(t);
    if (t.is("[")) return open_element(t);
    if (t.is("(")) missing_operator(t);
  }
  if (t.word("and")) return binary(Op::conjunction, t);
  if (t.word("or")) return binary(Op::disjunction, t);
  if (t.word("if") || t.word("otherwise")) return piecewise_word(t);
  if (t.word("from") || t.word("to") || t.word("above") || t.word("below")) return range_word(t);
  missing_operator(t);
}

void Parser::missing_operator(const Token& t) {
  const Token& before = tokens_[at_ - 1];
  std::string left = before.text + std::string(static_cast<std::size_t>(before.primes), '\'');
  if (before.is(")")) left = "(...)";
  const std::string right = t.is("(") ? "(...)" : t.text;
  errors_.fail(ErrorKind::syntax,
               fmt::format("an operator is missing; there is no implied multiplication, write {}*{}", left, right),
               t.at);
}

void Parser::binary(Op op, const Token& t) {
  reduce_above(op);
  const bool fresh = pending_.size() <= base() || pending_.back().op != op;
  if (fresh) pending_.push_back({op, t.at});
  Pending& p = pending_.back();
  take_item(p);
  p.invert = t.is("-") || t.is("/");
  p.invert_at = t.at;
  if (op == Op::relation) p.relation += t.text.size() == 1 ? t.text + " " : t.text;
  expect_operand_ = true;
  ++at_;
}

void Parser::take_item(Pending& p) {
  Array value = pop();
  if (p.invert && p.op == Op::sum) value = guarded(p.invert_at, [&] { return -value; });
  if (p.invert && p.op == Op::product) {
    if (value.rank() > 0) guarded(p.invert_at, [&] { return Array(1) / value; });  // an error
    if (value.body().is_number() && value.body().number().is_zero())
      errors_.fail(ErrorKind::domain, "division by zero", p.invert_at);
    value = guarded(p.invert_at, [&] { return power(value.body(), -1); });
  }
  p.items.push_back(std::move(value));
}

void Parser::reduce_above(Op op) {
  while (pending_.size() > base() && strength(pending_.back().op) > strength(op)) reduce();
}

void Parser::reduce_all() {
  while (pending_.size() > base()) reduce();
}

void Parser::reduce() {
  Pending p = std::move(pending_.back());
  pending_.pop_back();
  if (p.op == Op::minus || p.op == Op::negation || p.op == Op::power) {
    p.items.push_back(pop());
  } else {
    take_item(p);
  }
  Array result = guarded(p.at, [&]() -> Array {
    if (std::any_of(p.items.begin(), p.items.end(), [](const Array& a) { return a.rank() > 0; }))
      return reduced_arrays(p);
    std::vector<Expr> items;
    items.reserve(p.items.size());
    for (const Array& a : p.items) items.push_back(a.body());
    return reduced(p, items);
  });
  values_.push_back(std::move(result));
}

Expr Parser::reduced(const Pending& p, const std::vector<Expr>& items) {
  switch (p.op) {
    case Op::sum:
      check_values(items);
      // A large sum in parentheses was printed as a term of its own, and so it is read.
      return items.size() == 1 ? items[0] : as_typed(sum_of(items, Absorb::small), items);
    case Op::product: check_values(items); return as_typed(multiply(items), items);
    case Op::minus: check_values(items); return -items[0];
    case Op::negation: return negation(items[0]);
    case Op::power: {
      if (items[0].is_integer(0) && items[1].is_number() && items[1].number().sign() < 0)
        errors_.fail(ErrorKind::domain, "division by zero: 0 to a negative power", p.at);
      names_.remark_power(items[0], items[1], p.at);
      return power(items[0], items[1]);
    }
    case Op::conjunction: return conjunction(items);
    case Op::disjunction: return disjunction(items);
    case Op::relation: return chain(p.relation, items);
  }
  return {};
}

const Expr& Parser::as_typed(const Expr& made, const std::vector<Expr>& items) {
  if (context_.order != nullptr) context_.order->note(made, items);
  return made;
}

void Parser::check_values(std::span<const Expr> items) {
  for (const Expr& e : items) {
    if (is_condition(e))
      throw Error(ErrorKind::shape,
                  "a condition (true or false) stands where a number is expected; write piecewise(1 if condition, 0 "
                  "otherwise)");
  }
}

Array Parser::pop() {
  Array e = std::move(values_.back());
  values_.pop_back();
  return e;
}

Expr Parser::pop_scalar(const char* where) {
  const Array e = pop();
  if (e.rank() == 0) return e.body();
  throw Error(ErrorKind::shape, fmt::format("{} has the shape {}, but {} is a number",
                                            e.label().empty() ? "the array" : e.label(), shape_text(e), where));
}

// a < b < c means a < b and b < c.
Expr Parser::chain(const std::string& operators, std::span<const Expr> items) {
  std::vector<Expr> parts;
  for (std::size_t i = 0; i + 1 < items.size(); ++i) {
    const std::string op = operators.substr(2 * i, 2);
    const Expr& a = items[i];
    const Expr& b = items[i + 1];
    if (op == "< ") parts.push_back(less(a, b));
    if (op == "> ") parts.push_back(greater(a, b));
    if (op == "<=") parts.push_back(less_equal(a, b));
    if (op == ">=") parts.push_back(greater_equal(a, b));
    if (op == "= ") parts.push_back(equal(a, b));
    if (op == "!=") parts.push_back(not_equal(a, b));
  }
  return parts.size() == 1 ? parts[0] : conjunction(parts);
}

Array parse_array(std::string_view text, const ParseContext& context) { return Parser(text, context).run(); }

Expr parse(std::string_view text, const ParseContext& context) {
  const Array a = parse_array(text, context);
  if (a.rank() == 0) return a.body();
  const TextErrors errors(text, context.origin);
  errors.fail(
      ErrorKind::shape,
      fmt::format("an array of the shape {} stands here, where a number is expected; give its indices", shape_text(a)),
      0);
}

}  // namespace boreon
