// SPDX-License-Identifier: MIT
// Replacing unknown functions with all their derivatives, and matrices entry by entry.
#include <fmt/format.h>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/matrix.hpp"
#include "boreon/numeric_function.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

namespace {

// Calls within calls, u(u(t)): few and not deep.
template <class Known>
Expr substitute_inside(const Expr& e, const UnknownFunction& unknown, const Known& known) {
  for (const Expr& c : unknown_calls({&e, 1})) {
    if (c.name() == unknown.name()) return substitute(e, unknown, known);
  }
  return e;
}

// Calls of the unknown function with their derivative orders become what `value(arguments, orders)` says.
template <class Known, class Value>
Expr replace_calls(const Expr& expression, const UnknownFunction& unknown, const Known& known, std::size_t arguments,
                   Value value) {
  bool found = false;
  Rebuild replace([&](const Expr& e, Expr& result) {
    if (!e.is(Kind::unknown_call) || e.name() != unknown.name()) return false;
    found = true;
    std::vector<Expr> args;
    std::vector<int> orders;
    const auto operands = e.operands();
    if ((operands.size() - 1) / 2 != arguments) {
      throw Error(ErrorKind::shape,
                  fmt::format("{} takes {} argument{}, but {} has {}", unknown.name(), (operands.size() - 1) / 2,
                              operands.size() == 3 ? "" : "s", known.name(), arguments));
    }
    for (std::size_t i = 1; i < operands.size(); i += 2) {
      args.push_back(substitute_inside(operands[i], unknown, known));
      const auto order = operands[i + 1].word();
      if (!order || *order > 1000)
        throw Error(ErrorKind::limit, "a derivative of order beyond 1000 is not carried out");
      orders.push_back(static_cast<int>(*order));
    }
    result = value(args, orders);
    return true;
  });
  Expr result = replace(expression);
  if (!found)
    throw Error(ErrorKind::binding,
                fmt::format("the unknown function '{}' does not occur in the expression", unknown.name()));
  return result;
}

}  // namespace

Expr substitute(const Expr& expression, const UnknownFunction& unknown, const Function& known) {
  return replace_calls(expression, unknown, known, known.arguments().size(),
                       [&](const std::vector<Expr>& args, const std::vector<int>& orders) {
                         Expr body = known.body();
                         Bindings b;
                         for (std::size_t i = 0; i < args.size(); ++i) {
                           if (orders[i] > 0) body = derivative(body, known.arguments()[i], orders[i]);
                           b.set(known.arguments()[i], args[i]);
                         }
                         return substitute(body, b, Unused::allowed);
                       });
}

Expr substitute(const Expr& expression, const UnknownFunction& unknown, const NumericFunction& known) {
  return replace_calls(
      expression, unknown, known, known.arguments(),
      [&](const std::vector<Expr>& args, const std::vector<int>& orders) { return known.derivative_at(args, orders); });
}

Matrix substitute(const Matrix& matrix, const Bindings& bindings, Unused unused) {
  const std::vector<Expr> values =
      substitute(std::span<const Expr>(matrix.data(), static_cast<std::size_t>(matrix.size())), bindings, unused);
  return Eigen::Map<const Matrix>(values.data(), matrix.rows(), matrix.cols());
}

Matrix derivative(const Matrix& matrix, const Expr& variable, int order) {
  return matrix.unaryExpr([&](const Expr& e) { return derivative(e, variable, order); });
}

}  // namespace boreon
