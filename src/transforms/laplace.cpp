// SPDX-License-Identifier: MIT
// Laplace transforms and inverse: rules, then numbers.
#include <fmt/format.h>

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/sums.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/inverse_rules.hpp"
#include "transforms/laplace_rules.hpp"
#include "transforms/witness.hpp"

namespace boreon {
namespace {

using transforms::InverseRules;
using transforms::LaplaceRules;

void require_two_symbols(const Expr& f, const Expr& from, const Expr& to, const char* what) {
  if (!from.is(Kind::symbol) || !to.is(Kind::symbol) || from.name() == to.name())
    throw Error(ErrorKind::usage, fmt::format("{} goes from one symbol to another, such as {}", what,
                                              from.is(Kind::symbol) && from.name() == "s" ? "s to t" : "t to s"));
  if (depends_on(f, to))
    throw Error(ErrorKind::usage,
                fmt::format("{} is the symbol of the transform, but it occurs in the function too", to.name()));
  if (is_condition(f))
    throw Error(ErrorKind::shape, "a condition has no transform; write piecewise(1 if ..., 0 otherwise)");
}

// 1/(-a - b) as -1/(a + b)
Expr upright(const Expr& e) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [](const Expr& n) -> Expr {
                 if (!n.is(Kind::product)) return n;
                 Expr out = n.operands()[0];
                 for (const auto [base, exponent] : Parts(n)) {
                   const auto k = exponent.word();
                   bool negative = base.is(Kind::sum) && k && *k < 0;
                   if (negative) {
                     for (const Expr& term : terms_of(base)) {
                       const Expr c = term.is_number() ? term : leading_number(term);
                       negative = negative && c.is_number() && c.number().sign() < 0;
                     }
                   }
                   out *=
                       negative ? (*k % 2 != 0 ? Expr(-1) : Expr(1)) * power(-base, exponent) : power(base, exponent);
                 }
                 return out;
               });
  return pass(e);
}

Expr cheapest(const Expr& e, const std::vector<Expr>& conditions) {
  SimplifyOptions o;
  o.work = 400;
  o.points = 3;
  o.conditions = conditions;
  try {
    return upright(operation_count(e) > 150 ? e : simplify(e, o));
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::limit || error.kind() == ErrorKind::interrupted) throw;
    return e;
  }
}

// Where t > 0 is known; impulses keep their time, or one at 0 would vanish.
Expr for_later_times(const Expr& f, const Expr& t, const Symbol& later) {
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (is_call_of(n, "dirac_delta")) {
      result = n;
      return true;
    }
    if (!(n == t)) return false;
    result = later;
    return true;
  });
  return has_impulse(f) ? pass(f) : substitute(f, {{t, later}}, Unused::allowed);
}

template <class F>
auto guarded(const F& f) -> decltype(f()) {
  try {
    return f();
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return std::nullopt;
  }
}

bool contains_unknown(const Expr& e) { return !unknown_calls({&e, 1}).empty(); }

// Where the answer has a pole in a parameter that the question does not have, it is looked for again.
template <class Again>
void add_exceptions(TransformResult& out, const Expr& question, const Symbol& from, const Symbol& to,
                    const TransformOptions& options, const Again& again) {
  for (const Exceptional& e : exceptional_parameters(out.value, question, from, options.conditions)) {
    const Expr when = equal(e.parameter, e.value);
    if (depends_on(e.value, from) || depends_on(e.value, to) || e.parameter == from || e.parameter == to) continue;
    const bool known = std::any_of(out.exceptions.begin(), out.exceptions.end(),
                                   [&](const TransformException& x) { return x.when == when; });
    if (known) continue;
    TransformOptions o = options;
    for (Expr& c : o.conditions) c = substitute(c, {{e.parameter, e.value}}, Unused::allowed);
    const auto r = guarded([&]() -> std::optional<TransformResult> {
      return again(substitute(question, {{e.parameter, e.value}}, Unused::allowed), o);
    });
    out.exceptions.push_back({when, r && r->status == TransformStatus::exact ? r->value : undefined()});
    // b^2 < k says that k is not b^2
    const bool implied = std::any_of(out.conditions.begin(), out.conditions.end(), [&](const Expr& c) {
      return substitute(c, {{e.parameter, e.value}}, Unused::allowed).is_constant(ConstantCode::false_value);
    });
    if (!implied) out.conditions.push_back(not_equal(e.parameter, e.value));
  }
}

bool has_delay(const Expr& F, const Symbol& s) {
  bool found = false;
  postorder(F, [&](const Expr& n) {
    if (!n.is(Kind::call) || n.function().name != "exp" || !depends_on(n, s)) return;
    for (const Expr& part : terms_of(expand(n.operands()[0]))) {
      const auto l = linear_in(part, s);
      found = found || (l && !l->slope.is_integer(0));
    }
  });
  return found;
}

TransformResult forward(const Expr& f, const Expr& t, const Expr& s, const TransformOptions& options,
                        bool with_exceptions) {
  require_two_symbols(f, t, s, "a Laplace transform");
  const Symbol time("_t", {Assumption::positive});
  const Expr closed = contains_unknown(f) ? f : evaluate_operators(f, options.conditions);
  const Expr g = for_later_times(closed, t, time);
  std::vector<Expr> conditions;
  for (const Expr& c : options.conditions) conditions.push_back(substitute(c, {{t, time}}, Unused::allowed));
  const Symbol image = Symbol::from(s);
  LaplaceRules rules(time, Symbol::from(t), image, conditions);
  TransformResult out;
  out.value = unevaluated_integral(f * exp(-s * t), t, 0, infinity());
  const auto found = guarded([&] { return rules(g); });
  if (!found) {
    out.reason = "no rule leads to a closed form, or the integral diverges for every s";
    return out;
  }
  const std::vector<Expr> assumed = rules.assumed();
  std::vector<Expr> all = conditions;
  all.insert(all.end(), assumed.begin(), assumed.end());
  std::vector<Expr> bounds = found->bounds;
  for (const Expr& b : bounds) {
    if (depends_on(b, time)) return out;
  }
  std::vector<Expr> under = all;
  for (const Expr& b : bounds) under.push_back(greater(s, b));
  const Expr value = cheapest(found->value, under);
  if (contains_unknown(value)) {
    out.check.method = "the rules for derivatives of an unknown function";
  } else {
    out.check = transforms::check_pair(closed, Symbol::from(t), value, image, bounds, under, options);
    if (out.check.verdict != Verdict::agrees) {
      out.reason = out.check.verdict == Verdict::disagrees ? "the closed form found does not agree with quadrature"
                                                           : "the closed form found could not be compared with numbers";
      return out;
    }
  }
  out.value = substitute(value, {{time, t}}, Unused::allowed);
  out.status = TransformStatus::exact;
  out.steps = rules.steps();
  out.conditions = assumed;
  for (const Expr& b : bounds) out.conditions.push_back(greater(s, b));
  if (with_exceptions && !contains_unknown(out.value)) {
    add_exceptions(out, closed, Symbol::from(t), image, options,
                   [&](const Expr& there, const TransformOptions& o) { return forward(there, t, s, o, false); });
  }
  return out;
}

TransformResult back(const Expr& F, const Expr& s, const Expr& t, const TransformOptions& options,
                     bool with_exceptions) {
  require_two_symbols(F, s, t, "an inverse Laplace transform");
  const Symbol time("_t", {Assumption::positive});
  const Symbol image = Symbol::from(s);
  InverseRules rules(image, time, Symbol::from(t), options.conditions);
  TransformResult out;
  out.value = UnknownFunction("inverse_laplace")(F, s, t);
  const auto found = guarded([&] { return rules(F); });
  if (!found) {
    out.reason = "no rule leads to a closed form, or no function has this transform";
    return out;
  }
  const std::vector<Expr> assumed = rules.assumed();
  std::vector<Expr> all = options.conditions;
  all.insert(all.end(), assumed.begin(), assumed.end());
  const Expr value = cheapest(*found, all);
  const auto in_given_time = [&](const Expr& e) { return substitute(e, {{time, t}}, Unused::allowed); };
  bool sums = false;
  postorder(value, [&](const Expr& n) { sums = sums || n.is(Kind::reduction) || n.is(Kind::integral); });
  Evidence by_inversion;
  if (!has_delay(F, image)) by_inversion = transforms::check_by_inversion(F, image, value, time, all, options);
  Evidence pair;
  if (!sums) pair = transforms::check_pair(in_given_time(value), Symbol::from(t), F, image, {}, all, options);
  if (pair.verdict == Verdict::disagrees || by_inversion.verdict == Verdict::disagrees) {
    out.check = pair.verdict == Verdict::disagrees ? pair : by_inversion;
    out.reason = "the closed form found does not agree with numbers";
    out.check.verdict = Verdict::untested;
    return out;
  }
  out.check = pair.verdict == Verdict::agrees ? pair : by_inversion;
  if (pair.verdict == Verdict::agrees && by_inversion.verdict == Verdict::agrees)
    out.check.method += " and " + by_inversion.method;
  if (out.check.verdict != Verdict::agrees) {
    out.reason = "the closed form found could not be compared with numbers";
    return out;
  }
  out.value = in_given_time(value);
  out.status = rules.open() ? TransformStatus::unevaluated : TransformStatus::exact;
  if (rules.open()) out.reason = "a convolution without closed form";
  out.steps = rules.steps();
  out.conditions = assumed;
  if (!with_exceptions) return out;
  add_exceptions(out, F, image, Symbol::from(t), options,
                 [&](const Expr& there, const TransformOptions& o) { return back(there, s, t, o, false); });
  return out;
}

}  // namespace

const char* to_string(TransformStatus s) noexcept { return s == TransformStatus::exact ? "exact" : "unevaluated"; }

TransformResult laplace_transform(const Expr& f, const Expr& t, const Expr& s, const TransformOptions& options) {
  return forward(f, t, s, options, true);
}

TransformResult inverse_laplace_transform(const Expr& F, const Expr& s, const Expr& t,
                                          const TransformOptions& options) {
  return back(F, s, t, options, true);
}

}  // namespace boreon
