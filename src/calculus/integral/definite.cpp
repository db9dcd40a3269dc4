// SPDX-License-Identifier: MIT
// Definite integrals: the best of all cases of the signs that are not known, with what holds in the others.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/integral.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/definite_cases.hpp"
#include "calculus/integral/definite_exceptions.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/families.hpp"
#include "calculus/integral/forms.hpp"
#include "calculus/integral/tidy_result.hpp"
#include "calculus/series/limit_engine.hpp"
#include "calculus/series/waves.hpp"

namespace boreon {
namespace {

constexpr int deepest_exception = 2;

IntegralResult definite(const DefiniteProblem& p, const IntegralOptions& options, int depth);

IntegralResult unevaluated(const DefiniteProblem& p, const char* reason) {
  IntegralResult result;
  result.value = unevaluated_integral(p.integrand, p.x, p.from, p.to);
  result.check.method = "none";
  result.reason = reason;
  return result;
}

IntegralResult with_impulses(const DefiniteProblem& p, const IntegralOptions& options, int depth) {
  Signs signs(options.conditions, options.assume);
  const auto parts = split_impulses(p.integrand, p.x, p.from, p.to, signs);
  if (!parts) return unevaluated(p, "an impulse at a place that is not known");
  IntegralResult result = definite({parts->rest, p.x, p.from, p.to}, options, depth);
  if (result.status != IntegralStatus::exact) return result;
  result.value += parts->value;
  result.steps.emplace_back("impulses by their defining property");
  std::vector<Expr> conditions = options.conditions;
  conditions.insert(conditions.end(), result.conditions.begin(), result.conditions.end());
  for (const Decision& d : signs.decisions()) conditions.push_back(condition_of(d));
  result.check = check_impulses(p.integrand, p.x, p.from, p.to, result.value, conditions);
  if (result.check.verdict == Verdict::disagrees) return unevaluated(p, "the impulses could not be verified");
  for (const Decision& d : signs.decisions()) result.conditions.push_back(condition_of(d));
  return result;
}

// The case of this kind with the fewest conditions.
const DefiniteCase* best_of(const std::vector<DefiniteCase>& cases, Attempt::Kind kind) {
  const DefiniteCase* best = nullptr;
  for (const DefiniteCase& c : cases) {
    if (c.attempt.kind == kind && (best == nullptr || c.conditions() < best->conditions())) best = &c;
  }
  return best;
}

IntegralResult without_value(const DefiniteProblem& p, const std::vector<DefiniteCase>& cases) {
  IntegralResult result = unevaluated(p, "no closed form was found");
  const bool all = std::all_of(cases.begin(), cases.end(),
                               [](const DefiniteCase& c) { return c.attempt.kind == Attempt::Kind::divergent; });
  const DefiniteCase* const divergent = best_of(cases, Attempt::Kind::divergent);
  if (divergent == nullptr || !all) return result;
  result.status = IntegralStatus::divergent;
  result.value = undefined();
  result.reason = divergent->attempt.why;
  result.steps = divergent->attempt.steps;
  if (!is_infinite(p.from) && !is_infinite(p.to)) {  // a range of no width has the value zero
    for (const Exceptional& e : zeros_of_parameters(p.to - p.from, p.x))
      result.exceptions.push_back({equal(e.parameter, e.value), 0});
  }
  return result;
}

IntegralResult with_value(const DefiniteProblem& p, const std::vector<DefiniteCase>& cases, const DefiniteCase& found) {
  IntegralResult result;
  result.status = IntegralStatus::exact;
  result.value = found.attempt.value;
  result.check = found.check;
  result.steps = found.attempt.steps;
  if (!result.value.has_symbols() && !has_imaginary_unit(p.integrand)) {
    const auto v = value_at(result.value, {}, {});
    if (v && std::abs(v->imag()) > 1e-9 * std::abs(*v)) {
      result.reason = "complex, since the integrand is not real on all of the range (principal values)";
    }
  }
  // cases with the same value are one
  std::vector<Expr> ways{joined_conditions(found.decisions)};
  for (const DefiniteCase& c : cases) {
    if (&c != &found && c.attempt.kind == Attempt::Kind::value && c.attempt.value == found.attempt.value) {
      ways.push_back(joined_conditions(c.decisions));
    }
  }
  if (ways.size() > 1) {
    result.conditions.push_back(disjunction(ways));
  } else {
    result.conditions = needed_conditions(found.decisions);
  }
  return result;
}

IntegralResult definite(const DefiniteProblem& p, const IntegralOptions& options, int depth);

// A complex integrand of real variables: its two parts, each for itself.
std::optional<IntegralResult> by_real_and_imaginary_part(const DefiniteProblem& p, const IntegralOptions& options) {
  const Quotient q = quotient(with_waves(p.integrand, p.x));
  const ComplexParts n = complex_parts(expand(q.numerator));
  const ComplexParts d = complex_parts(expand(q.denominator));
  const Expr size = expand(d.re * d.re + d.im * d.im);
  const Expr parts[] = {expand(n.re * d.re + n.im * d.im) / size, expand(n.im * d.re - n.re * d.im) / size};
  IntegralResult all;
  all.value = 0;
  for (const int k : {0, 1}) {
    if (has_imaginary_unit(parts[k])) return std::nullopt;
    IntegralResult one = definite({parts[k], p.x, p.from, p.to}, options, 1);
    if (one.status != IntegralStatus::exact) return std::nullopt;
    all.value += (k == 0 ? Expr(1) : imaginary_unit()) * one.value;
    all.conditions.insert(all.conditions.end(), one.conditions.begin(), one.conditions.end());
    all.steps.insert(all.steps.end(), one.steps.begin(), one.steps.end());
    if (k == 0 || one.check.digits < all.check.digits) all.check = one.check;
    if (one.check.verdict != Verdict::agrees) all.check.verdict = one.check.verdict;
  }
  all.status = IntegralStatus::exact;
  all.steps.emplace_back("real and imaginary part, each for itself");
  return all;
}

IntegralResult definite(const DefiniteProblem& p, const IntegralOptions& options, int depth) {
  if (p.integrand.is_integer(0) || p.from == p.to) {
    IntegralResult result;
    result.value = 0;
    result.status = IntegralStatus::exact;
    result.check = {"the integrand is zero", 1, 1, 0, 15, {}, 0, 0, {}, Verdict::agrees};
    return result;
  }
  if (has_impulse(p.integrand)) return with_impulses(p, options, depth);
  const std::vector<DefiniteCase> cases = definite_cases(p, options);
  const DefiniteCase* const found = best_of(cases, Attempt::Kind::value);
  if (found == nullptr && depth == 0 && has_imaginary_unit(p.integrand)) {
    if (auto parts = by_real_and_imaginary_part(p, options)) return *parts;
  }
  if (found == nullptr) return without_value(p, cases);
  IntegralResult result = with_value(p, cases, *found);
  if (!options.exceptions || depth >= deepest_exception) return result;
  add_exceptions(result, p, *found, options, [&](const DefiniteProblem& q, const IntegralOptions& o) {
    if (has_undefined(q.integrand)) throw Error(ErrorKind::domain, "the integrand is undefined");
    return definite(q, o, depth + 1);
  });
  for (const DefiniteCase& c : cases) {
    if (&c == found || c.decisions.empty() || c.attempt.kind == Attempt::Kind::none) continue;
    const bool divergent = c.attempt.kind == Attempt::Kind::divergent;
    if (!divergent && c.attempt.value == found->attempt.value) continue;
    result.exceptions.push_back({joined_conditions(c.decisions), divergent ? undefined() : c.attempt.value});
  }
  return result;
}

}  // namespace

IntegralResult integrate(const Expr& f, const Expr& variable, const Expr& from, const Expr& to,
                         const IntegralOptions& options) {
  if (!variable.is(Kind::symbol)) throw Error(ErrorKind::usage, "an integral is taken over a symbol");
  if (is_condition(f)) throw Error(ErrorKind::shape, "a condition (true or false) has no integral");
  const Symbol x = Symbol::from(variable);
  if (depends_on(from, x) || depends_on(to, x)) {
    throw Error(ErrorKind::usage,
                fmt::format("the limits of an integral over {} must not contain {}", x.name(), x.name()));
  }
  const Expr e = evaluate_derivatives(f);
  if (has_undefined(e)) throw Error(ErrorKind::domain, "the integrand is undefined");
  IntegralResult result = definite({e, x, from, to}, options, 0);
  tidy(result, options.conditions);
  return result;
}

Expr integral(const Expr& f, const Expr& x, const Expr& from, const Expr& to, const IntegralOptions& options) {
  return integrate(f, x, from, to, options).value;
}

}  // namespace boreon
