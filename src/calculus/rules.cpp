// SPDX-License-Identifier: MIT
#include "calculus/rules.hpp"

#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "calculus/deltas.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

using Wanted = std::function<bool(const Expr&)>;
using Emit = std::function<void(const Expr&, Expr)>;

// d(b^e) = e*b^(e - 1) db + b^e*log(b) de
void partials_of_power(const Expr& b, const Expr& e, const Expr& others, const Wanted& wanted, const Emit& emit) {
  if (wanted(b)) emit(b, e.is_integer(1) ? others : e * power(b, e - 1) * others);
  if (e.is_number() || !wanted(e)) return;
  if (b.is_integer(0)) {  // 0^e is 0 where e is positive, and nothing elsewhere
    const Expr branches[] = {0, greater(e, 0)};
    emit(e, piecewise(branches));
    return;
  }
  emit(e, power(b, e) * log(b) * others);
}

void partials_of_product(const Expr& p, const Wanted& wanted, const Emit& emit) {
  const auto operands = p.operands();
  for (std::size_t i = 1; i < operands.size(); i += 2) {
    if (!wanted(operands[i]) && (operands[i + 1].is_number() || !wanted(operands[i + 1]))) continue;
    partials_of_power(operands[i], operands[i + 1], product_without(p, i), wanted, emit);
  }
}

}  // namespace

bool local_partials(const Expr& e, const Wanted& wanted, const Emit& emit) {
  switch (e.kind()) {
    case Kind::sum:
      for (const auto [term, coefficient] : Parts(e)) {
        if (wanted(term)) emit(term, coefficient);
      }
      return true;
    case Kind::product: partials_of_product(e, wanted, emit); return true;
    case Kind::power: partials_of_power(e.operands()[0], e.operands()[1], 1, wanted, emit); return true;
    case Kind::call: {
      const FunctionRow& row = e.function();
      for (std::size_t i = 0; i < e.operands().size(); ++i) {
        if (!wanted(e.operands()[i])) continue;
        emit(e.operands()[i], partial_derivative(row, e.operands(), i));
      }
      return true;
    }
    case Kind::unknown_call:
      for (std::size_t i = 1; i < e.operands().size(); i += 2) {
        if (!wanted(e.operands()[i])) continue;
        std::vector<Expr> operands(e.operands().begin(), e.operands().end());
        operands[i + 1] += 1;
        emit(e.operands()[i], unknown_call(operands));
      }
      return true;
    default: return false;
  }
}

Expr derivative_of_operator(const Expr& e, const Expr& variable, const std::function<Expr(const Expr&)>& derive) {
  const auto operands = e.operands();
  switch (e.kind()) {
    case Kind::piecewise: {
      std::vector<Expr> branches(operands.begin(), operands.end());
      bool all_zero = true;
      for (std::size_t i = 0; i < branches.size(); i += 2) {
        branches[i] = derive(branches[i]);
        all_zero = all_zero && branches[i].is_integer(0);
        if (i + 1 == branches.size()) break;
      }
      return all_zero ? Expr(0) : piecewise(branches);
    }
    case Kind::integral: {
      const Expr& x = operands[1];
      if (operands.size() == 2) {
        if (x == variable) return operands[0];
        const Expr inner = derive(operands[0]);
        return inner.is_integer(0) ? Expr(0) : unevaluated_integral(inner, x);
      }
      // Leibniz: d/dp of the integral from a to b = f(b)*b' - f(a)*a' + integral of df/dp (NIST Handbook 1.5.22)
      Expr result;
      for (const std::size_t k : {std::size_t{2}, std::size_t{3}}) {
        const Expr bound = derive(operands[k]);
        if (bound.is_integer(0)) continue;
        const Expr at_bound = substitute(operands[0], Bindings{{x, operands[k]}}, Unused::allowed) * bound;
        result += k == 3 ? at_bound : -at_bound;
      }
      if (!(x == variable)) {
        const Expr inner = derive(operands[0]);
        if (!inner.is_integer(0)) result += unevaluated_integral(inner, x, operands[2], operands[3]);
      }
      return result;
    }
    case Kind::reduction: {
      if (!derive(operands[2]).is_integer(0) || !derive(operands[3]).is_integer(0)) {
        throw Error(
            ErrorKind::unsupported,
            "the derivative of a sum with respect to a variable in its limits is not defined: they are integers");
      }
      if (operands[1] == variable) return 0;
      return derivative_of_reduction(e, variable, derive);
    }
    case Kind::root: {
      // the theorem on implicit functions: F(x, p) = 0 gives dx/dp = -F_p/F_x there; its ends hold it only
      if (operands[1] == variable) return 0;
      const Expr by_parameter = derive(operands[0]);
      if (by_parameter.is_integer(0)) return 0;
      const Expr quotient = -by_parameter / derivative(operands[0], operands[1]);
      return substitute(quotient, Bindings{{operands[1], e}}, Unused::allowed);
    }
    case Kind::limit:
    case Kind::derivative: {
      const Expr order[] = {variable, 1};
      if (!variable.is(Kind::symbol))
        throw Error(ErrorKind::unsupported,
                    "an unevaluated limit or derivative cannot be derived by an unknown function");
      if (e.is(Kind::derivative)) {
        std::vector<Expr> extended(operands.begin() + 1, operands.end());
        for (std::size_t i = 0; i < extended.size(); i += 2) {
          if (extended[i] == variable) {
            extended[i + 1] += 1;
            return unevaluated_derivative(operands[0], extended);
          }
        }
        extended.insert(extended.end(), std::begin(order), std::end(order));
        return unevaluated_derivative(operands[0], extended);
      }
      if (!depends_on(e, variable)) return 0;
      return unevaluated_derivative(e, order);
    }
    case Kind::relation:
    case Kind::logic: throw Error(ErrorKind::shape, "a condition (true or false) has no derivative");
    default: return 0;
  }
}

}  // namespace boreon
