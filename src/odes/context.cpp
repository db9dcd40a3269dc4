// SPDX-License-Identifier: MIT
#include "odes/context.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "equations/single.hpp"

namespace boreon::odes {
namespace {

constexpr std::size_t longest_explicit = 300;
constexpr std::size_t most_branches = 4;

// Terms that are constant but for jumps, c*sign(x), belong to the constant of integration.
Expr without_steps(const Expr& e, const Symbol& x) {
  std::vector<Expr> kept;
  for (const Expr& term : terms_of(expand(e))) {
    bool step = depends_on(term, x);
    for_each_factor(term, [&](const Expr& base, const Expr&) {
      if (depends_on(base, x)) step = step && is_call_of(base, "sign");
    });
    if (!step) kept.push_back(term);
  }
  const Expr rest = add(kept);
  return rest == expand(e) ? e : rest;
}

}  // namespace

// A constant factor of what a logarithm is taken of changes the constant of integration only.
std::optional<double> real_value_at(const Expr& e, const Symbol& t, double place) {
  const Expr list[] = {t};
  const double point[] = {place};
  const auto v = value_at(e, list, point);
  return v && v->imag() == 0 ? std::optional(v->real()) : std::nullopt;
}

Expr plain_logarithms(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& n) -> Expr {
                 if (!n.is(Kind::call) || n.function().name != "log") return n;
                 const Expr& u = n.operands()[0];
                 if (is_call_of(u, "abs")) return log(u.operands()[0]);
                 return n;
               });
  return pass(e);
}

Expr Context::parameter() const {
  std::string name = "p";
  for (int k = 1; taken_.contains(name); ++k) name = "p" + std::to_string(k);
  return Symbol(name);
}

Expr Context::constant() {
  for (;; ++next_) {
    const std::string name = fmt::format("C{}", next_);
    if (taken_.contains(name)) continue;
    ++next_;
    constants_.push_back(Symbol(name));
    return constants_.back();
  }
}

void Context::forget(std::size_t n) {
  constants_.resize(n);
  next_ = 1;
  for (std::size_t k = 0; k < n; ++next_) {
    if (!taken_.contains(fmt::format("C{}", next_))) ++k;
  }
}

IntegralResult Context::integrated(const Expr& f, const Symbol& x, bool exceptions) const {
  IntegralOptions o;
  o.conditions = signs_.conditions();
  o.exceptions = exceptions;
  o.points = 3;
  return integrate(f, x, o);
}

std::optional<Expr> Context::closed_integral(const Expr& f, const Symbol& x) {
  if (f.is_integer(0)) return Expr(0);
  const IntegralResult r = integrated(f, x, false);
  if (r.status != IntegralStatus::exact) return std::nullopt;
  return without_steps(r.value, x);
}

std::vector<Context::Case> Context::closed_integrals(const Expr& f, const Symbol& x) {
  if (f.is_integer(0)) return {{0}};
  IntegralResult r = integrated(f, x, false);
  if (r.status != IntegralStatus::exact) return {};
  std::vector<Case> out;
  const auto of_x = [&](const Expr& c) { return depends_on(c, x); };
  if (!r.conditions.empty() && std::none_of(r.conditions.begin(), r.conditions.end(), of_x)) r = integrated(f, x, true);
  out.push_back({without_steps(r.value, x)});
  if (std::none_of(r.conditions.begin(), r.conditions.end(), of_x)) out[0].conditions = r.conditions;
  for (const IntegralException& e : r.exceptions) {
    const bool closed = !e.value.is_constant(ConstantCode::undefined) && !e.value.is(Kind::integral);
    if (!closed || of_x(e.when)) continue;
    // a constant of integration with one value leaves a solution of its own, without a condition; parameters are looked
    // at when all is done
    const bool equation = e.when.is(Kind::relation) && e.when.relation_op() == RelationOp::equal;
    const bool own = std::any_of(constants_.begin(), constants_.end(),
                                 [&](const Expr& c) { return depends_on(e.when, c) && !depends_on(e.value, c); });
    if (!equation) out.push_back({without_steps(e.value, x), {e.when}});
    if (equation && own) out.push_back({without_steps(e.value, x)});
  }
  return out;
}

Expr Context::integral(const Expr& f, const Symbol& x) {
  if (const auto closed = closed_integral(f, x)) return *closed;
  // an amount in a logarithm: on the side where it is none
  if (const Expr plain = plain_logarithms(f); !(plain == f)) {
    if (const auto closed = closed_integral(plain, x)) return *closed;
  }
  open_ = true;
  const Symbol u("u");
  return unevaluated_integral(substitute(f, {{x, u}}, Unused::allowed), u, start_, x);
}

Expr Context::exponential_of(const Expr& integral) const {
  Expr out = 1;
  for (const Expr& term : terms_of(expand(plain_logarithms(integral)))) {
    Expr factor_of_log = leading_number(term);
    std::optional<Expr> argument;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (!argument && is_call_of(base, "log") && exponent.is_integer(1)) {
        argument = base.operands()[0];
      } else {
        factor_of_log *= power(base, exponent);
      }
    });
    out *= argument ? power(*argument, factor_of_log) : exp(term);
  }
  return out;
}

std::vector<Family> Context::explicit_if_short(const Expr& relation, const Symbol& y, const Symbol& t,
                                               std::span<const Expr> conditions) {
  const std::vector<Expr> given(conditions.begin(), conditions.end());
  const std::vector<Family> implicit{{std::nullopt, relation, given}};
  try {
    std::vector<Expr> known = signs_.conditions();
    known.insert(known.end(), given.begin(), given.end());
    equations::SingleSolver solver(known);
    const auto roots = solver(relation, y);
    if (!roots || roots->empty() || roots->size() > most_branches || !solver.left_out().empty()) return implicit;
    std::vector<Family> out;
    for (const equations::Root& r : *roots) {
      Expr v = r.value;
      // one branch of a periodic family: others are met by other constants, or do not depend on t smoothly
      for (const Expr& n : solver.integers()) v = substitute(v, {{n, 0}}, Unused::allowed);
      if (!depends_on(v, t) && depends_on(relation, t)) continue;
      v = tidy(v);
      if (to_text(v, {longest_explicit + 10, {}}).size() > longest_explicit) return implicit;
      bool numbered = false;
      postorder(v, [&](const Expr& n) { numbered = numbered || n.is(Kind::piecewise); });
      if (numbered) return implicit;
      out.push_back({v, std::nullopt, given});
      out.back().conditions.insert(out.back().conditions.end(), r.conditions.begin(), r.conditions.end());
    }
    return out.empty() ? implicit : out;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return implicit;
  }
}

void Context::step(std::string text) {
  if (std::find(steps_.begin(), steps_.end(), text) == steps_.end()) steps_.push_back(std::move(text));
}

void Context::require_nonzero(const Expr& e) {
  if (e.is_number() || is_nonzero(e)) return;
  const auto sign = signs_.known(e);
  if (sign && *sign != 0) return;
  if (std::find(nonzero_.begin(), nonzero_.end(), e) == nonzero_.end()) nonzero_.push_back(e);
}

Expr Context::tidy(const Expr& e) const {
  SimplifyOptions o;
  o.work = 300;
  o.points = 2;
  o.conditions = signs_.conditions();
  try {
    if (operation_count(e) > 120) return e;
    // one fraction is often what is read best, and what the search does not pass through
    const Expr simple = simplify(e, o);
    const Expr fraction = factor(e);
    return written_cost(fraction) < written_cost(simple) ? fraction : simple;
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::limit || error.kind() == ErrorKind::interrupted) throw;
    return e;
  }
}

}  // namespace boreon::odes
