// SPDX-License-Identifier: MIT
// Reading the expression grammar: operator precedence with an explicit stack, so nesting is limited by memory only.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/operand_order.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "expr/canonical.hpp"
#include "text/lexer.hpp"
#include "text/name_resolver.hpp"

namespace boreon {
namespace {

enum class Op : char { disjunction, conjunction, negation, relation, sum, product, minus, power };

// Binding strength; unary minus is weaker than a power: -x^2 = -(x^2).
int strength(Op op) { return static_cast<int>(op); }

struct Pending {
  Op op;
  std::size_t at;                // of the first operator
  std::vector<Expr> items = {};  // operands so far of an n-ary operator
  bool invert = false;           // the next operand is subtracted or divided by
  std::size_t invert_at = 0;
  std::string relation = {};
};

// An open parenthesis of some kind.
struct Frame {
  enum class Type : char { group, call, piecewise, derivative, integral, sum, limit };
  Type type;
  Token head;                // name of the function
  std::size_t at;            // of the parenthesis
  std::size_t pending_base;  // operators below belong to the frames outside
  std::vector<Expr> args = {};
  int stage = 0;
  LimitSide side = LimitSide::both;
};

constexpr std::size_t max_operator_nesting = 200;

class Parser {
 public:
  Parser(std::string_view text, const ParseContext& context)
      : context_(context),
        errors_(text, context.origin),
        tokens_(tokenize(text, errors_)),
        names_(context, errors_, tokens_) {}

  Expr run() {
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
      errors_.fail(ErrorKind::syntax, "this parenthesis is never closed", frames_.back().at);
    }
    return values_.back();
  }

 private:
  void operand(const Token& t) {
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

  [[noreturn]] void unexpected_end() {
    if (tokens_.size() == 1) errors_.fail(ErrorKind::syntax, "the expression is empty", 0);
    const std::size_t last = tokens_[tokens_.size() - 2].at;
    if (!frames_.empty() && tokens_[tokens_.size() - 2].is("("))
      errors_.fail(ErrorKind::syntax, "this parenthesis is never closed", last);
    errors_.fail(
        ErrorKind::syntax,
        fmt::format("the expression ends after '{}', where an operand should follow", tokens_[tokens_.size() - 2].text),
        last);
  }

  void push(Expr e) {
    values_.push_back(std::move(e));
    expect_operand_ = false;
    ++at_;
  }

  void name(const Token& t) {
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
      if (t.text == "sum") return open(t, Frame::Type::sum, call_follows);
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
        errors_.fail(ErrorKind::syntax, fmt::format("'{}' is a word of the grammar and cannot stand here", t.text),
                     t.at);
      }
    }
    if (call_follows) {
      names_.check_callable(t);
      open(t, Frame::Type::call, true);
    } else {
      push(names_.value(t));
    }
  }

  void open(const Token& t, Frame::Type type, bool call_follows) {
    if (!call_follows)
      errors_.fail(ErrorKind::syntax, fmt::format("'{}' needs parentheses: {}", t.text, usage(type)), t.at);
    Frame f{type, t, tokens_[at_ + 1].at, pending_.size()};
    at_ += 2;
    if (type == Frame::Type::integral || type == Frame::Type::sum || type == Frame::Type::limit) {
      if (names_.bound_count() >= max_operator_nesting) {
        errors_.fail(ErrorKind::limit,
                     fmt::format("integrals, sums and limits are nested more than {} deep", max_operator_nesting),
                     t.at);
      }
      names_.bind(variable_ahead(f));
    }
    frames_.push_back(std::move(f));
    if (tokens_[at_].is(")")) {
      errors_.fail(
          ErrorKind::shape,
          fmt::format("{} needs arguments{}", t.text, type == Frame::Type::call ? "" : std::string(": ") + usage(type)),
          tokens_[at_].at);
    }
  }

  static const char* usage(Frame::Type type) {
    switch (type) {
      case Frame::Type::piecewise: return "piecewise(a if x < 0, b if x < 1, c otherwise)";
      case Frame::Type::derivative: return "derivative(f, x) or derivative(f, x, 2, y)";
      case Frame::Type::integral: return "integral(f, x) or integral(f, x from a to b)";
      case Frame::Type::sum: return "sum(f, k from a to b)";
      case Frame::Type::limit: return "limit(f, x to a)";
      default: return "f(x)";
    }
  }

  // The integrand comes before the variable it is integrated over, so the variable is looked up ahead.
  [[nodiscard]] std::string variable_ahead(const Frame& f) const {
    std::size_t depth = 0;
    for (std::size_t i = at_; i < tokens_.size(); ++i) {
      const Token& t = tokens_[i];
      if (t.is("(")) ++depth;
      if (t.is(")") && depth-- == 0) break;
      if (t.is(",") && depth == 0) {
        const Token& v = tokens_[i + 1];
        if (v.type == Token::Type::name && v.primes == 0 && (v.quoted || (!is_reserved_word(v.text)))) return v.text;
        errors_.fail(ErrorKind::syntax, fmt::format("a plain name is expected as the variable: {}", usage(f.type)),
                     v.at);
      }
    }
    errors_.fail(ErrorKind::syntax, fmt::format("the variable is missing: {}", usage(f.type)), f.at);
  }

  void double_literal() {
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

  // ---- behind an operand

  void after_operand(const Token& t) {
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
      if (t.is("(")) missing_operator(t);
    }
    if (t.word("and")) return binary(Op::conjunction, t);
    if (t.word("or")) return binary(Op::disjunction, t);
    if (t.word("if") || t.word("otherwise")) return piecewise_word(t);
    if (t.word("from") || t.word("to") || t.word("above") || t.word("below")) return range_word(t);
    missing_operator(t);
  }

  [[noreturn]] void missing_operator(const Token& t) {
    const Token& before = tokens_[at_ - 1];
    std::string left = before.text + std::string(static_cast<std::size_t>(before.primes), '\'');
    if (before.is(")")) left = "(...)";
    const std::string right = t.is("(") ? "(...)" : t.text;
    errors_.fail(ErrorKind::syntax,
                 fmt::format("an operator is missing; there is no implied multiplication, write {}*{}", left, right),
                 t.at);
  }

  void binary(Op op, const Token& t) {
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

  [[nodiscard]] std::size_t base() const { return frames_.empty() ? 0 : frames_.back().pending_base; }

  void take_item(Pending& p) {
    Expr value = std::move(values_.back());
    values_.pop_back();
    if (p.invert && p.op == Op::sum) value = guarded(p.invert_at, [&] { return -value; });
    if (p.invert && p.op == Op::product) {
      if (value.is_number() && value.number().is_zero())
        errors_.fail(ErrorKind::domain, "division by zero", p.invert_at);
      value = guarded(p.invert_at, [&] { return power(value, -1); });
    }
    p.items.push_back(std::move(value));
  }

  void reduce_above(Op op) {
    while (pending_.size() > base() && strength(pending_.back().op) > strength(op)) reduce();
  }
  void reduce_all() {
    while (pending_.size() > base()) reduce();
  }

  void reduce() {
    Pending p = std::move(pending_.back());
    pending_.pop_back();
    if (p.op != Op::minus && p.op != Op::negation && p.op != Op::power) take_item(p);
    const auto where = p.at;
    Expr result = guarded(where, [&]() -> Expr {
      switch (p.op) {
        case Op::sum:
          check_values(p.items);
          // A large sum in parentheses was printed as a term of its own, and so it is read.
          return p.items.size() == 1 ? p.items[0] : as_typed(sum_of(p.items, Absorb::small), p.items);
        case Op::product: check_values(p.items); return as_typed(multiply(p.items), p.items);
        case Op::minus: check_values({&values_.back(), 1}); return -pop();
        case Op::negation: return negation(pop());
        case Op::power: {
          const Expr exponent = pop();
          if (p.items[0].is_integer(0) && exponent.is_number() && exponent.number().sign() < 0) {
            errors_.fail(ErrorKind::domain, "division by zero: 0 to a negative power", where);
          }
          names_.remark_power(p.items[0], exponent, where);
          return power(p.items[0], exponent);
        }
        case Op::conjunction: return conjunction(p.items);
        case Op::disjunction: return disjunction(p.items);
        case Op::relation: return chain(p);
      }
      return {};
    });
    values_.push_back(std::move(result));
  }

  const Expr& as_typed(const Expr& made, const std::vector<Expr>& items) {
    if (context_.order != nullptr) context_.order->note(made, items);
    return made;
  }

  static void check_values(std::span<const Expr> items) {
    for (const Expr& e : items) {
      if (is_condition(e))
        throw Error(ErrorKind::shape,
                    "a condition (true or false) stands where a number is expected; write piecewise(1 if condition, 0 "
                    "otherwise)");
    }
  }

  Expr pop() {
    Expr e = std::move(values_.back());
    values_.pop_back();
    return e;
  }

  // a < b < c means a < b and b < c.
  static Expr chain(const Pending& p) {
    std::vector<Expr> parts;
    for (std::size_t i = 0; i + 1 < p.items.size(); ++i) {
      const std::string op = p.relation.substr(2 * i, 2);
      const Expr& a = p.items[i];
      const Expr& b = p.items[i + 1];
      if (op == "< ") parts.push_back(less(a, b));
      if (op == "> ") parts.push_back(greater(a, b));
      if (op == "<=") parts.push_back(less_equal(a, b));
      if (op == ">=") parts.push_back(greater_equal(a, b));
      if (op == "= ") parts.push_back(equal(a, b));
      if (op == "!=") parts.push_back(not_equal(a, b));
    }
    return parts.size() == 1 ? parts[0] : conjunction(parts);
  }

  // Errors of the constructors get the place in the text.
  template <class F>
  auto guarded(std::size_t at, F make) -> decltype(make()) {
    try {
      return make();
    } catch (const Error& e) {
      if (e.position().known()) throw;
      errors_.fail(e.kind(), e.message(), at);
    }
  }

  // ---- parentheses

  void comma(const Token& t) {
    reduce_all();
    if (frames_.empty())
      errors_.fail(ErrorKind::syntax, "a comma is out of place here; numbers are written with a decimal point", t.at);
    Frame& f = frames_.back();
    ++at_;
    switch (f.type) {
      case Frame::Type::group:
        errors_.fail(ErrorKind::syntax, "a comma is out of place here; numbers are written with a decimal point", t.at);
      case Frame::Type::call:
        f.args.push_back(pop());
        expect_operand_ = true;
        return;
      case Frame::Type::piecewise:
        if (f.stage == 0)
          errors_.fail(ErrorKind::syntax, "'if' with a condition, or 'otherwise', is missing before this comma", t.at);
        if (f.stage == 2) errors_.fail(ErrorKind::syntax, "'otherwise' must come last", t.at);
        f.args.push_back(pop());
        f.stage = 0;
        expect_operand_ = true;
        return;
      case Frame::Type::derivative: derivative_variables(f); return;
      default: break;
    }
    if (f.stage != 0)
      errors_.fail(ErrorKind::syntax, fmt::format("a comma is out of place here: {}", usage(f.type)), t.at);
    f.args.push_back(pop());
    names_.unbind();
    const Token& v = tokens_[at_];
    f.args.push_back(guarded(v.at, [&] { return names_.symbol(v.text); }));
    ++at_;
    f.stage = 1;
    const Token& next = tokens_[at_];
    const bool from = next.word("from");
    if (f.type == Frame::Type::integral && next.is(")")) {
      at_ += 1;
      finish(guarded(v.at, [&] { return unevaluated_integral(f.args[0], f.args[1]); }));
      return;
    }
    if ((f.type == Frame::Type::limit && next.word("to")) || (f.type != Frame::Type::limit && from)) {
      ++at_;
      f.stage = f.type == Frame::Type::limit ? 3 : 2;  // 2: 'from' seen, 3: last place
      expect_operand_ = true;
      return;
    }
    errors_.fail(ErrorKind::syntax,
                 fmt::format("'{}' is expected here: {}", f.type == Frame::Type::limit ? "to" : "from", usage(f.type)),
                 next.at);
  }

  void derivative_variables(Frame& f) {
    std::vector<Expr> list;
    const Expr body = pop();
    for (;;) {
      const Token& v = tokens_[at_];
      if (v.type != Token::Type::name || v.primes > 0 || (!v.quoted && is_reserved_word(v.text))) {
        errors_.fail(ErrorKind::syntax, fmt::format("a plain name is expected as the variable: {}", usage(f.type)),
                     v.at);
      }
      Expr variable = names_.value(v);
      if (!variable.is(Kind::symbol)) {
        errors_.fail(ErrorKind::name,
                     fmt::format("{} is an unknown function of {}; derive by a plain symbol", v.text,
                                 context_.independent.name()),
                     v.at);
      }
      list.push_back(std::move(variable));
      list.emplace_back(1);
      ++at_;
      if (tokens_[at_].is(",") && tokens_[at_ + 1].type == Token::Type::number) {
        const Token& n = tokens_[at_ + 1];
        list.back() = guarded(n.at, [&] { return Expr(Number::parse(n.text)); });
        if (!list.back().word()) errors_.fail(ErrorKind::syntax, "the order of a derivative must be an integer", n.at);
        at_ += 2;
      }
      if (tokens_[at_].is(")")) break;
      if (!tokens_[at_].is(","))
        errors_.fail(ErrorKind::syntax, fmt::format("',' or ')' is expected: {}", usage(f.type)), tokens_[at_].at);
      ++at_;
    }
    ++at_;
    finish(guarded(f.head.at, [&] { return unevaluated_derivative(body, list); }));
  }

  // The frame is done and `value` takes its place.
  void finish(Expr value) {
    frames_.pop_back();
    values_.push_back(std::move(value));
    expect_operand_ = false;
  }

  void piecewise_word(const Token& t) {
    reduce_all();
    if (frames_.empty() || frames_.back().type != Frame::Type::piecewise) {
      errors_.fail(ErrorKind::syntax,
                   fmt::format("'{}' belongs inside piecewise: {}", t.text, usage(Frame::Type::piecewise)), t.at);
    }
    Frame& f = frames_.back();
    if (f.stage != 0)
      errors_.fail(ErrorKind::syntax, fmt::format("'{}' is out of place; a comma belongs between the branches", t.text),
                   t.at);
    ++at_;
    if (t.text == "if") {
      f.args.push_back(pop());
      f.stage = 1;
      expect_operand_ = true;
    } else {
      f.stage = 2;  // the value stays on the stack
      if (!tokens_[at_].is(")") && !tokens_[at_].is(","))
        errors_.fail(ErrorKind::syntax, "')' is expected after 'otherwise'", tokens_[at_].at);
    }
  }

  void range_word(const Token& t) {
    reduce_all();
    const bool in_range =
        !frames_.empty() && (frames_.back().type == Frame::Type::integral || frames_.back().type == Frame::Type::sum ||
                             frames_.back().type == Frame::Type::limit);
    if (in_range) {
      Frame& f = frames_.back();
      if (t.text == "to" && f.stage == 2) {
        f.args.push_back(pop());
        f.stage = 3;
        expect_operand_ = true;
        ++at_;
        return;
      }
      const Token& side = tokens_[at_ + 1];
      if (f.type == Frame::Type::limit && f.stage == 3 && t.text == "from" &&
          (side.word("above") || side.word("below"))) {
        f.side = side.text == "above" ? LimitSide::above : LimitSide::below;
        at_ += 2;
        if (!tokens_[at_].is(")"))
          errors_.fail(ErrorKind::syntax, "')' is expected after the side of the limit", tokens_[at_].at);
        return;
      }
      errors_.fail(ErrorKind::syntax, fmt::format("'{}' is out of place here: {}", t.text, usage(f.type)), t.at);
    }
    if (t.text == "above" || t.text == "below") missing_operator(t);
    errors_.fail(ErrorKind::syntax, fmt::format("'{}' belongs inside integral, sum or limit", t.text), t.at);
  }

  void close(const Token& t) {
    reduce_all();
    if (frames_.empty()) errors_.fail(ErrorKind::syntax, "there is no open parenthesis to close", t.at);
    Frame& f = frames_.back();
    ++at_;
    switch (f.type) {
      case Frame::Type::group: frames_.pop_back(); return;
      case Frame::Type::call: f.args.push_back(pop()); return finish(finish_call(f));
      case Frame::Type::piecewise:
        if (f.stage == 0)
          errors_.fail(ErrorKind::syntax,
                       fmt::format("'if' with a condition, or 'otherwise', is missing: {}", usage(f.type)), t.at);
        f.args.push_back(pop());
        return finish(guarded(f.head.at, [&] { return piecewise(f.args); }));
      case Frame::Type::derivative:
        errors_.fail(ErrorKind::syntax, fmt::format("the variable is missing: {}", usage(f.type)), t.at);
      default: break;
    }
    if (f.stage != 3)
      errors_.fail(ErrorKind::syntax, fmt::format("'{}' is not complete: {}", f.head.text, usage(f.type)), t.at);
    f.args.push_back(pop());
    finish(guarded(f.head.at, [&] {
      if (f.type == Frame::Type::integral) return unevaluated_integral(f.args[0], f.args[1], f.args[2], f.args[3]);
      if (f.type == Frame::Type::sum) return unevaluated_sum(f.args[0], f.args[1], f.args[2], f.args[3]);
      return unevaluated_limit(f.args[0], f.args[1], f.args[2], f.side);
    }));
  }

  Expr finish_call(const Frame& f) {
    const Token& t = f.head;
    return guarded(t.at, [&]() -> Expr {
      const FunctionRow* row = find_function(t.text);
      const bool own =
          t.quoted || t.primes > 0 || context_.functions.contains(t.text) || context_.names.contains(t.text);
      if (row != nullptr && !own) {
        if (row->name == "log" && f.args[0].is_integer(0)) errors_.fail(ErrorKind::domain, "log(0) has no value", t.at);
        if (row->name == "exp") names_.remark_exponential(f.args[0], t.at);
        return call(*row, f.args);
      }
      if (const auto at = context_.functions.find(t.text);
          at != context_.functions.end() && at->second != 0 && at->second != f.args.size()) {
        throw Error(ErrorKind::shape, fmt::format("{} takes {} argument{}, got {}", t.text, at->second,
                                                  at->second == 1 ? "" : "s", f.args.size()));
      }
      const bool derived = std::any_of(frames_.begin(), frames_.end(),
                                       [](const Frame& outer) { return outer.type == Frame::Type::derivative; });
      names_.remark_call(t, f.args, derived);
      std::vector<int> orders = t.orders;
      if (orders.empty()) {
        orders.assign(f.args.size(), 0);
        if (t.primes > 0 && f.args.size() > 1) {
          throw Error(ErrorKind::shape, fmt::format("a prime on {0} with {1} arguments does not say which one to "
                                                    "derive by; write derivative({0}(x, ...), x)",
                                                    t.text, f.args.size()));
        }
        orders[0] = t.primes;
      }
      return UnknownFunction(t.text).derivative_at(f.args, orders);
    });
  }

  const ParseContext& context_;
  TextErrors errors_;
  std::vector<Token> tokens_;
  std::size_t at_ = 0;
  bool expect_operand_ = true;
  std::vector<Expr> values_;
  std::vector<Pending> pending_;
  std::vector<Frame> frames_;
  NameResolver names_;
};

}  // namespace

Expr parse(std::string_view text, const ParseContext& context) { return Parser(text, context).run(); }

}  // namespace boreon
