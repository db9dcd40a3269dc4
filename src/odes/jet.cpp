// SPDX-License-Identifier: MIT
#include "odes/jet.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon::odes {
namespace {

constexpr int highest_order = 40;

Symbol variable_of(std::span<const Expr> unknowns) {
  const auto wrong = [](const std::string& what) -> Symbol {
    throw Error(ErrorKind::usage, "the unknowns of differential equations are calls such as y(t), not " + what);
  };
  if (unknowns.empty()) return wrong("nothing");
  for (const Expr& u : unknowns) {
    if (!u.is(Kind::unknown_call) || u.operands().size() != 3 || !u.operands()[1].is(Kind::symbol) ||
        !u.operands()[2].is_integer(0))
      return wrong(to_text(u, {60, {}}));
    if (!(u.operands()[1] == unknowns[0].operands()[1]))
      throw Error(ErrorKind::usage, "all unknowns have to be functions of the same variable");
  }
  return Symbol::from(unknowns[0].operands()[1]);
}

}  // namespace

Jet::Jet(std::span<const Expr> equations, std::span<const Expr> unknowns) : t_(variable_of(unknowns)) {
  for (const Expr& u : unknowns) {
    if (index(u.name())) throw Error(ErrorKind::usage, u.name() + " is asked for twice");
    names_.push_back(u.name());
    orders_.push_back(-1);
  }
  for (const Expr& e : equations) equations_.push_back(in_symbols(evaluate_derivatives(e)));
  for (std::size_t i = 0; i < names_.size(); ++i) {
    if (orders_[i] < 0)
      throw Error(ErrorKind::usage, fmt::format("the unknown {}({}) does not occur in the equation{}", names_[i],
                                                t_.name(), equations.size() == 1 ? "" : "s"));
  }
}

std::optional<std::size_t> Jet::index(const std::string& name) const {
  const auto at = std::find(names_.begin(), names_.end(), name);
  if (at == names_.end()) return std::nullopt;
  return static_cast<std::size_t>(at - names_.begin());
}

Expr Jet::call(std::size_t i) const { return UnknownFunction(names_[i])(t_); }

Symbol Jet::symbol(std::size_t i, int order) const { return Symbol(fmt::format("_{}_{}", names_[i], order)); }

int Jet::total_order() const { return std::accumulate(orders_.begin(), orders_.end(), 0); }

Expr Jet::in_symbols(const Expr& e) {
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!n.is(Kind::unknown_call)) return false;
    const auto i = index(n.name());
    if (!i) return false;
    const auto order = n.operands()[2].word();
    if (n.operands().size() != 3 || !(n.operands()[1] == t_) || !order || *order > highest_order)
      throw Error(ErrorKind::unsupported,
                  fmt::format("{} is not taken at {}: equations with delays or several variables are not solved here",
                              to_text(n, {60, {}}), t_.name()));
    orders_[*i] = std::max(orders_[*i], static_cast<int>(*order));
    result = symbol(*i, static_cast<int>(*order));
    return true;
  });
  return pass(e);
}

Expr Jet::with(const Expr& in_symbols, std::span<const Expr> functions) const {
  Bindings all;
  for (std::size_t i = 0; i < names_.size(); ++i) {
    Expr f = functions[i];
    for (int k = 0; k <= orders_[i]; ++k) {
      all.set(symbol(i, k), f);
      if (k < orders_[i]) f = derivative(f, t_);
    }
  }
  return substitute(in_symbols, all, Unused::allowed);
}

Expr Jet::in_calls(const Expr& in_symbols) const {
  Bindings all;
  for (std::size_t i = 0; i < names_.size(); ++i) {
    const Expr at[] = {t_};
    for (int k = 0; k <= std::max(orders_[i], 1); ++k) {
      const int orders[] = {k};
      all.set(symbol(i, k), UnknownFunction(names_[i]).derivative_at(at, orders));
    }
  }
  return substitute(in_symbols, all, Unused::allowed);
}

Expr Jet::at_places(const Expr& given, std::span<const Expr> functions) const {
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!n.is(Kind::unknown_call)) return false;
    const auto i = index(n.name());
    if (!i) return false;
    const auto order = n.operands()[2].word();
    if (n.operands().size() != 3 || !order || *order > highest_order)
      throw Error(ErrorKind::usage,
                  "a condition is a value at a place, such as y(0) = 1 or y'(0) = 2, not " + to_text(n, {60, {}}));
    const Expr& place = n.operands()[1];
    if (depends_on(place, t_))
      throw Error(ErrorKind::usage, fmt::format("{} is no condition: {} has to have a value there, such as y(0) = 1",
                                                to_text(n, {60, {}}), t_.name()));
    const Expr f = derivative(functions[*i], t_, static_cast<int>(*order));
    const bool far = place.is_constant(ConstantCode::infinity) || place == -infinity();
    result = far ? undefined() : substitute(f, {{t_, place}}, Unused::allowed);
    if (has_infinity(result)) result = limit(f, t_, place);
    return true;
  });
  return pass(given);
}

}  // namespace boreon::odes
