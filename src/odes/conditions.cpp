// SPDX-License-Identifier: MIT
#include "odes/conditions.hpp"

#include <algorithm>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon::odes {
namespace {

// What a condition says of the constants. Where terms have no finite value at its place, their constants are zero.
std::vector<Expr> condition_equations(const Jet& jet, const Context& context, const Expr& g,
                                      const std::vector<Expr>& functions) {
  try {
    const Expr e = jet.at_places(g, functions);
    if (!has_infinity(e)) return {e};
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
  }
  std::vector<Expr> out;
  Expr sum = 0;
  Bindings none;
  for (const Expr& c : context.constants()) none.set(c, 0);
  const auto only = [&](const Expr& f) { return substitute(f, none, Unused::allowed); };
  const auto value = [&](const std::vector<Expr>& f) -> std::optional<Expr> {
    const Expr e = jet.at_places(g, f);
    if (has_infinity(e)) return std::nullopt;
    return e;
  };
  std::vector<Expr> rest;
  for (const Expr& f : functions) rest.push_back(only(f));
  const auto free = value(rest);
  if (!free) throw Error(ErrorKind::unsupported, "a condition has no finite value");
  sum = *free;
  for (const Expr& c : context.constants()) {
    std::vector<Expr> one;
    bool present = false;
    for (std::size_t i = 0; i < functions.size(); ++i) {
      const Expr by_c = derivative(functions[i], c);
      if (depends_on(by_c, c)) throw Error(ErrorKind::unsupported, "a condition has no finite value");
      present = present || !by_c.is_integer(0);
      one.push_back(rest[i] + only(by_c));
    }
    if (!present) continue;
    const auto there = value(one);
    if (there) {
      sum += c * (*there - *free);
    } else {
      out.push_back(c);
    }
  }
  out.push_back(sum);
  return out;
}

}  // namespace

bool fails_at(const Expr& condition, const Symbol& t, const Expr& place, const Signs& signs) {
  const Expr there = substitute(condition, {{t, place}}, Unused::allowed);
  if (!there.is(Kind::relation)) return there.is_constant(ConstantCode::false_value);
  const auto sign = signs.known(there.operands()[1] - there.operands()[0]);
  if (!sign) return false;
  // the place itself may be the end of the range
  return (there.relation_op() == RelationOp::less || there.relation_op() == RelationOp::less_equal) && *sign < 0;
}

// The constants from the conditions.
std::vector<Member> meeting_conditions(const Jet& jet, Context& context, const Member& family,
                                       const std::vector<Expr>& given, const std::vector<Expr>& conditions,
                                       const Expr& start) {
  std::vector<Expr> equations;
  try {
    for (const Expr& g : given) {
      for (const Expr& e : condition_equations(jet, context, g, family.functions)) {
        if (!vanishes(e)) equations.push_back(e);
      }
    }
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted || e.kind() == ErrorKind::usage) throw;
    return {};
  }
  if (equations.empty()) return {family};
  std::vector<Expr> present;
  for (const Expr& c : context.constants()) {
    if (std::any_of(equations.begin(), equations.end(), [&](const Expr& e) { return depends_on(e, c); }))
      present.push_back(c);
  }
  if (present.empty()) return {};
  SolveOptions o;
  o.conditions = conditions;
  const SolutionSet s = solve(equations, present, o);
  std::vector<Member> out;
  for (const Solution& one : s.solutions) {
    if (!one.real) continue;
    const auto put = [&](const Expr& e) {
      Expr v = substitute(e, one.values, Unused::allowed);
      for (const Expr& n : s.integers) v = substitute(v, {{n, 0}}, Unused::allowed);
      return v;
    };
    Member m;
    for (const Expr& e : family.functions) m.functions.push_back(context.tidy(put(e)));
    bool possible = true;
    for (const Expr& c : family.conditions) {
      m.conditions.push_back(put(c));
      possible = possible && !fails_at(m.conditions.back(), jet.variable(), start, context.signs());
    }
    if (possible) out.push_back(std::move(m));
  }
  return out;
}

}  // namespace boreon::odes
