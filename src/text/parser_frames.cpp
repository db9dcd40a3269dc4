// SPDX-License-Identifier: MIT
// What stands in parentheses: calls, piecewise, derivatives, integrals, sums, limits.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "text/parser.hpp"

namespace boreon {
namespace {

constexpr std::size_t max_operator_nesting = 200;

}  // namespace

void Parser::open(const Token& t, Frame::Type type, bool call_follows, ReductionOp op) {
  if (!call_follows)
    errors_.fail(ErrorKind::syntax, fmt::format("'{}' needs parentheses: {}", t.text, usage(type, op)), t.at);
  Frame f{type, t, tokens_[at_ + 1].at, pending_.size()};
  f.reduction = op;
  at_ += 2;
  if (binds(type)) {
    if (names_.bound_count() >= max_operator_nesting) {
      errors_.fail(ErrorKind::limit,
                   fmt::format("integrals, sums and limits are nested more than {} deep", max_operator_nesting), t.at);
    }
    names_.bind(variable_ahead(f));
  }
  frames_.push_back(std::move(f));
  if (tokens_[at_].is(")")) {
    errors_.fail(ErrorKind::shape,
                 fmt::format("{} needs arguments{}", t.text,
                             type == Frame::Type::call ? "" : std::string(": ") + usage(type, op)),
                 tokens_[at_].at);
  }
}

const char* Parser::usage(Frame::Type type, ReductionOp op) {
  switch (type) {
    case Frame::Type::piecewise: return "piecewise(a if x < 0, b if x < 1, c otherwise)";
    case Frame::Type::derivative: return "derivative(f, x) or derivative(f, x, 2, y)";
    case Frame::Type::integral: return "integral(f, x) or integral(f, x from a to b)";
    case Frame::Type::limit: return "limit(f, x to a)";
    case Frame::Type::root: return "root(f = g, x from a to b)";
    case Frame::Type::element: return "T[i, j]";
    case Frame::Type::reduction: {
      static constexpr const char* forms[] = {"sum(f, k from a to b)", "product(f, k from a to b)",
                                              "min(f, k from a to b)", "max(f, k from a to b)"};
      return forms[static_cast<std::size_t>(op)];
    }
    default: return "f(x)";
  }
}

bool Parser::binds(Frame::Type type) {
  return type == Frame::Type::integral || type == Frame::Type::reduction || type == Frame::Type::limit ||
         type == Frame::Type::root;
}

// The integrand comes before the variable it is integrated over, so the variable is looked up ahead.
std::string Parser::variable_ahead(const Frame& f) const {
  std::size_t depth = 0;
  for (std::size_t i = at_; i < tokens_.size(); ++i) {
    const Token& t = tokens_[i];
    if (t.is("(") || t.is("[")) ++depth;
    if ((t.is(")") || t.is("]")) && depth-- == 0) break;
    if (t.is(",") && depth == 0) {
      const Token& v = tokens_[i + 1];
      if (v.type == Token::Type::name && v.primes == 0 && (v.quoted || (!is_reserved_word(v.text)))) return v.text;
      errors_.fail(ErrorKind::syntax, fmt::format("a plain name is expected as the variable: {}", usage(f)), v.at);
    }
  }
  errors_.fail(ErrorKind::syntax, fmt::format("the variable is missing: {}", usage(f)), f.at);
}

bool Parser::reduction_ahead() const {
  std::size_t depth = 0;
  for (std::size_t i = at_ + 2; i < tokens_.size(); ++i) {
    const Token& t = tokens_[i];
    if (t.is("(") || t.is("[")) ++depth;
    if ((t.is(")") || t.is("]")) && depth-- == 0) return false;
    if (!t.is(",") || depth > 0) continue;
    const Token& v = tokens_[i + 1];
    if (v.type != Token::Type::name || v.primes > 0) return false;
    return tokens_[i + 2].word("from") || (tokens_[i + 2].is(")") && context_.indices.contains(v.text));
  }
  return false;
}

void Parser::comma(const Token& t) {
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
    case Frame::Type::element: return place(f, t.at);
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
  if (f.stage != 0) errors_.fail(ErrorKind::syntax, fmt::format("a comma is out of place here: {}", usage(f)), t.at);
  f.args.push_back(guarded(t.at, [&] { return pop_scalar("what is added or integrated here"); }));
  range_variable(f);
}

// Behind the comma of an integral, sum or limit.
void Parser::range_variable(Frame& f) {
  names_.unbind();
  const Token& v = tokens_[at_];
  f.args.emplace_back(guarded(v.at, [&] { return names_.symbol(v.text); }));
  ++at_;
  f.stage = 1;
  const Token& next = tokens_[at_];
  const bool from = next.word("from");
  if (next.is(")") && f.type == Frame::Type::integral) {
    ++at_;
    return finish(guarded(v.at, [&] { return unevaluated_integral(f.args[0].body(), f.args[1].body()); }));
  }
  if (next.is(")") && f.type == Frame::Type::reduction) {
    const auto range = context_.indices.find(v.text);
    if (range == context_.indices.end())
      errors_.fail(ErrorKind::syntax,
                   fmt::format("the range of {} is missing: {}{}", v.text, usage(f),
                               context_.indices.empty() ? "" : ", or a name of [indices]"),
                   next.at);
    ++at_;
    const IndexRange& r = range->second;
    return finish(guarded(
        v.at, [&] { return unevaluated_reduction(f.reduction, f.args[0].body(), f.args[1].body(), r.from, r.to); }));
  }
  if ((f.type == Frame::Type::limit && next.word("to")) || (f.type != Frame::Type::limit && from)) {
    ++at_;
    f.stage = f.type == Frame::Type::limit ? 3 : 2;  // 2: 'from' seen, 3: last place
    expect_operand_ = true;
    return;
  }
  errors_.fail(ErrorKind::syntax,
               fmt::format("'{}' is expected here: {}", f.type == Frame::Type::limit ? "to" : "from", usage(f)),
               next.at);
}

void Parser::derivative_variables(Frame& f) {
  std::vector<Expr> list;
  const Expr body = guarded(f.at, [&] { return pop_scalar("what is derived here"); });
  for (;;) {
    const Token& v = tokens_[at_];
    if (v.type != Token::Type::name || v.primes > 0 || (!v.quoted && is_reserved_word(v.text))) {
      errors_.fail(ErrorKind::syntax, fmt::format("a plain name is expected as the variable: {}", usage(f)), v.at);
    }
    Expr variable = names_.value(v);
    if (!variable.is(Kind::symbol)) {
      errors_.fail(
          ErrorKind::name,
          fmt::format("{} is an unknown function of {}; derive by a plain symbol", v.text, context_.independent.name()),
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
      errors_.fail(ErrorKind::syntax, fmt::format("',' or ')' is expected: {}", usage(f)), tokens_[at_].at);
    ++at_;
  }
  ++at_;
  finish(guarded(f.head.at, [&] { return unevaluated_derivative(body, list); }));
}

void Parser::finish(Array value) {
  frames_.pop_back();
  values_.push_back(std::move(value));
  expect_operand_ = false;
}

void Parser::piecewise_word(const Token& t) {
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

void Parser::range_word(const Token& t) {
  reduce_all();
  const bool in_range = !frames_.empty() && binds(frames_.back().type);
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
    errors_.fail(ErrorKind::syntax, fmt::format("'{}' is out of place here: {}", t.text, usage(f)), t.at);
  }
  if (t.text == "above" || t.text == "below") missing_operator(t);
  errors_.fail(ErrorKind::syntax, fmt::format("'{}' belongs inside integral, sum or limit", t.text), t.at);
}

void Parser::close(const Token& t) {
  reduce_all();
  if (frames_.empty()) errors_.fail(ErrorKind::syntax, "there is no open parenthesis to close", t.at);
  Frame& f = frames_.back();
  ++at_;
  switch (f.type) {
    case Frame::Type::group: frames_.pop_back(); return;
    case Frame::Type::call: f.args.push_back(pop()); return finish(finish_call(f));
    case Frame::Type::element: errors_.fail(ErrorKind::syntax, "this bracket is never closed", f.at);
    case Frame::Type::piecewise:
      if (f.stage == 0)
        errors_.fail(ErrorKind::syntax, fmt::format("'if' with a condition, or 'otherwise', is missing: {}", usage(f)),
                     t.at);
      f.args.push_back(pop());
      return finish(
          guarded(f.head.at, [&] { return map([](std::span<const Expr> x) { return piecewise(x); }, f.args); }));
    case Frame::Type::derivative:
      errors_.fail(ErrorKind::syntax, fmt::format("the variable is missing: {}", usage(f)), t.at);
    default: break;
  }
  if (f.stage != 3)
    errors_.fail(ErrorKind::syntax, fmt::format("'{}' is not complete: {}", f.head.text, usage(f)), t.at);
  f.args.push_back(pop());
  finish(guarded(f.head.at, [&] {
    std::vector<Expr> args;
    for (const Array& a : f.args) {
      if (a.rank() > 0)
        throw Error(ErrorKind::shape, fmt::format("a bound is a number, but {} has the shape {}",
                                                  a.label().empty() ? "the array" : a.label(), shape_text(a)));
      args.push_back(a.body());
    }
    if (f.type == Frame::Type::integral) return unevaluated_integral(args[0], args[1], args[2], args[3]);
    if (f.type == Frame::Type::root) return implicit_root(args[0], args[1], args[2], args[3]);
    if (f.type == Frame::Type::reduction) return unevaluated_reduction(f.reduction, args[0], args[1], args[2], args[3]);
    return unevaluated_limit(args[0], args[1], args[2], f.side);
  }));
}

Array Parser::finish_call(const Frame& f) {
  return guarded(f.head.at, [&]() -> Array {
    if (f.head.is("]")) return call_of_element(f);
    if (is_array_function(f.head) ||
        std::any_of(f.args.begin(), f.args.end(), [](const Array& a) { return a.rank() > 0; }))
      return array_call(f);
    std::vector<Expr> args;
    for (const Array& a : f.args) args.push_back(a.body());
    return call_of(f, args);
  });
}

Expr Parser::call_of(const Frame& f, std::span<const Expr> args) {
  const Token& t = f.head;
  const FunctionRow* row = find_function(t.text);
  const bool own = t.quoted || t.primes > 0 || context_.functions.contains(t.text) || context_.names.contains(t.text);
  if (row != nullptr && !own) {
    if (row->name == "log" && args[0].is_integer(0)) errors_.fail(ErrorKind::domain, "log(0) has no value", t.at);
    if (row->name == "exp") names_.remark_exponential(args[0], t.at);
    return call(*row, args);
  }
  if (const auto at = context_.functions.find(t.text);
      at != context_.functions.end() && at->second != 0 && at->second != args.size()) {
    throw Error(ErrorKind::shape, fmt::format("{} takes {} argument{}, got {}", t.text, at->second,
                                              at->second == 1 ? "" : "s", args.size()));
  }
  const bool derived = std::any_of(frames_.begin(), frames_.end(),
                                   [](const Frame& outer) { return outer.type == Frame::Type::derivative; });
  names_.remark_call(t, args, derived);
  std::vector<int> orders = t.orders;
  if (orders.empty()) {
    orders.assign(args.size(), 0);
    if (t.primes > 0 && args.size() > 1) {
      throw Error(ErrorKind::shape, fmt::format("a prime on {0} with {1} arguments does not say which one to "
                                                "derive by; write derivative({0}(x, ...), x)",
                                                t.text, args.size()));
    }
    orders[0] = t.primes;
  }
  return UnknownFunction(t.text).derivative_at(args, orders);
}

}  // namespace boreon
