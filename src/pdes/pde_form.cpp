// SPDX-License-Identifier: MIT
#include "pdes/pde_form.hpp"

#include <algorithm>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "equations/replaced.hpp"

namespace boreon::pdes {
namespace {

// head, argument, order, argument, order
Orders orders_of(const Expr& call) {
  return {static_cast<int>(call.operands()[2].word().value_or(0)),
          static_cast<int>(call.operands()[4].word().value_or(0))};
}

void require_two_symbols(const Expr& unknown) {
  const bool call = unknown.is(Kind::unknown_call) && unknown.operands().size() == 5;
  if (!call || !unknown.operands()[1].is(Kind::symbol) || !unknown.operands()[3].is(Kind::symbol) ||
      unknown.operands()[1] == unknown.operands()[3] || orders_of(unknown) != Orders{0, 0})
    throw Error(ErrorKind::usage, "the unknown is a call of two symbols such as u(x, t), not " + to_text(unknown));
}

std::vector<Expr> calls_of(const Expr& e, const Expr& unknown) {
  std::vector<Expr> out;
  for (const Expr& call : unknown_calls({&e, 1})) {
    if (call.name() != unknown.name()) continue;
    if (call.operands().size() != 5)
      throw Error(ErrorKind::usage, unknown.name() + " is a function of two variables, " + to_text(call) + " is not");
    out.push_back(call);
  }
  return out;
}

}  // namespace

std::optional<LinearForm> linear_form_of(const Expr& given, const Expr& unknown) {
  require_two_symbols(unknown);
  LinearForm out;
  out.x = Symbol::from(unknown.operands()[1]);
  out.y = Symbol::from(unknown.operands()[3]);
  const Expr equation = evaluate_derivatives(given);
  Expr rest = equation;
  std::vector<std::pair<Expr, Symbol>> names;
  for (const Expr& call : calls_of(equation, unknown)) {
    if (!(call.operands()[1] == out.x) || !(call.operands()[3] == out.y))
      throw Error(ErrorKind::usage, "the equation holds " + to_text(call) + ": values on lines are given apart");
    const Symbol s("_u" + std::to_string(names.size()));
    names.emplace_back(call, s);
    rest = equations::replaced(rest, {{call, s}});
  }
  if (names.empty()) throw Error(ErrorKind::usage, "the unknown " + to_text(unknown) + " occurs in no equation");
  Bindings none;
  for (const auto& [call, s] : names) {
    const Expr a = combine_fractions(derivative(rest, s));
    if (std::any_of(names.begin(), names.end(), [&](const auto& n) { return depends_on(a, n.second); }))
      return std::nullopt;
    out.coefficients[orders_of(call)] = a;
    none.set(s, 0);
  }
  out.forcing = -substitute(rest, none, Unused::allowed);
  return out;
}

OnLine on_line(const Expr& given, const Expr& unknown) {
  const Expr e = evaluate_derivatives(given);
  const auto calls = calls_of(e, unknown);
  if (calls.size() != 1)
    throw Error(ErrorKind::usage, "a condition holds one value such as u(x, 0) or u(0, t), not " + to_text(given));
  const Expr& call = calls[0];
  const bool free_x = call.operands()[1] == unknown.operands()[1];
  const bool free_y = call.operands()[3] == unknown.operands()[3];
  if (free_x == free_y)
    throw Error(ErrorKind::usage, "a condition is given on a line, at a place of one variable: " + to_text(call));
  OnLine out;
  out.on_x = free_y;
  out.place = call.operands()[out.on_x ? 1 : 3];
  out.orders = orders_of(call);
  const Symbol s("_u");
  const Expr rest = equations::replaced(e, {{call, s}});
  const Expr scale = derivative(rest, s);
  if (depends_on(scale, s)) throw Error(ErrorKind::usage, "a condition is linear in the unknown: " + to_text(given));
  out.value = combine_fractions(-substitute(rest, {{s, 0}}, Unused::allowed) / scale);
  return out;
}

Expr residual_of(const LinearForm& form, const Expr& u) {
  Expr out = -form.forcing;
  for (const auto& [orders, a] : form.coefficients)
    out += a * derivative(derivative(u, form.x, static_cast<unsigned>(orders.first)), form.y,
                          static_cast<unsigned>(orders.second));
  return evaluate_derivatives(out);
}

Expr residual_of(const OnLine& line, const LinearForm& form, const Expr& u) {
  const Expr d = derivative(derivative(u, form.x, static_cast<unsigned>(line.orders.first)), form.y,
                            static_cast<unsigned>(line.orders.second));
  return substitute(evaluate_derivatives(d), {{line.on_x ? form.x : form.y, line.place}}, Unused::allowed) - line.value;
}

}  // namespace boreon::pdes
