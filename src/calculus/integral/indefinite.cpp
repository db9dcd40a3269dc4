// SPDX-License-Identifier: MIT
// Antiderivatives: the search, its verification, and what holds for exceptional parameters.
#include <fmt/format.h>

#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/forms.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/liouville.hpp"
#include "calculus/integral/tidy_result.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon {
namespace {

constexpr std::uint64_t work_of_antiderivative = 200000000U;

struct Found {
  Expr value;
  Evidence check;
  std::vector<Expr> conditions;
  std::vector<Decision> decisions;
  std::vector<std::string> steps;
};

// The shortest form of F that still has the right derivative.
Expr shortened(const Expr& F, const Expr& f, const Symbol& x, const std::vector<Expr>& conditions,
               const IntegralOptions& options) {
  // constants that crept in are dropped
  std::vector<Expr> terms;
  for (const LinearTerm& t : linear_terms(F)) {
    if (depends_on(t.term, x)) terms.push_back(Expr(t.coefficient) * t.term);
  }
  const Expr clean = terms.empty() ? F : add(terms);
  if (operation_count(clean) > 160) return clean;
  SimplifyOptions o;
  o.conditions = conditions;
  o.work = 700;
  o.points = 2;
  try {
    const Expr s = simplify(clean, o);
    if (s == clean || written_cost(s) >= written_cost(clean)) return clean;
    const Evidence e = check_antiderivative(f, s, x, conditions, options.points, options.seed + 1);
    return e.verdict == Verdict::agrees ? s : clean;
  } catch (const Error&) {
    return clean;
  }
}

std::optional<Found> search(const Expr& f, const Symbol& x, const IntegralOptions& options, std::vector<int> script) {
  Signs signs(options.conditions, options.assume, std::move(script));
  Integrator in(signs);
  std::optional<Expr> F;
  try {
    const poly::WorkLimit limit(work_of_antiderivative);
    F = in(f, x);
    if (!F) {
      SimplifyOptions o;
      o.conditions = options.conditions;
      o.work = 1000;
      const Expr g = simplify(f, o);
      if (!(g == f)) F = in(g, x);
    }
  } catch (const UnknownSign&) {
    return std::nullopt;
  } catch (const NoExpansion&) {
    return std::nullopt;
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit && e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
    return std::nullopt;
  }
  if (!F) return std::nullopt;
  F = exponential_integrals_paired(*F);
  Found out;
  out.conditions = signs.conditions();
  out.check = check_antiderivative(f, *F, x, out.conditions, options.points, options.seed);
  if (out.check.verdict != Verdict::agrees) return std::nullopt;
  out.value = shortened(*F, f, x, out.conditions, options);
  out.decisions = signs.decisions();
  out.steps = in.route();
  return out;
}

bool has_special_function(const Expr& e) {
  static constexpr std::string_view elementary[] = {
      "exp",  "log",   "sin",   "cos",   "tan",       "asin", "acos", "atan",           "sinh",  "cosh",
      "tanh", "asinh", "acosh", "atanh", "sqrt",      "cbrt", "abs",  "sign",           "floor", "log10",
      "log2", "log1p", "expm1", "exp2",  "heaviside", "min",  "max",  "polynomial_root"};
  bool found = false;
  postorder(e, [&](const Expr& n) {
    found = found || (n.is(Kind::call) && std::find(std::begin(elementary), std::end(elementary), n.function().name) ==
                                              std::end(elementary));
  });
  return found;
}

// Parameters at whose zero the answer fails although the integrand does not: 1/(a*x^2 + b*x + c) at a = 0.
std::vector<Exceptional> vanishing_parameters(const Expr& F, const Expr& f, const Symbol& x,
                                              const IntegralOptions& options) {
  std::vector<Exceptional> out;
  for (const Symbol& p : free_symbols(f)) {
    if (p == x || is_nonzero(p) || zeros_of_parameters(p, x, options.conditions).empty()) continue;
    const Bindings zero{{p, 0}};
    try {
      const Expr g = substitute(f, zero, Unused::allowed);
      if (has_undefined(g)) continue;
      const Expr G = substitute(F, zero, Unused::allowed);
      if (!has_undefined(G) &&
          check_antiderivative(g, G, x, options.conditions, 3, options.seed + 2).verdict == Verdict::agrees)
        continue;
    } catch (const Error&) {
    }
    out.push_back({p, 0});
  }
  return out;
}

// The alternatives of the signs that were assumed, and the places where the answer divides by zero.
void add_exceptions(const Expr& f, const Symbol& x, const IntegralOptions& options, const Found& found,
                    IntegralResult& result) {
  IntegralOptions inner = options;
  inner.exceptions = false;
  const auto add = [&](const Expr& when, const Expr& value) {
    const bool known = std::any_of(result.exceptions.begin(), result.exceptions.end(),
                                   [&](const IntegralException& e) { return e.when == when; });
    if (!known) result.exceptions.push_back({when, value});
  };
  for (std::size_t i = 0; i < found.decisions.size() && i < 2; ++i) {
    std::vector<int> script;
    for (std::size_t k = 0; k < i; ++k) script.push_back(found.decisions[k].sign);
    script.push_back(-found.decisions[i].sign);
    const auto other = found.decisions[i].sign == 2 ? std::nullopt : search(f, x, inner, script);
    if (other && other->decisions.size() > i && other->decisions[i].of == found.decisions[i].of) {
      if (other->value == found.value && found.decisions.size() == 1) {
        result.conditions = {condition_of({found.decisions[i].of, 2})};
      } else {
        add(condition_of(other->decisions[i]), other->value);
      }
    }
    for (const Exceptional& e : zeros_of_parameters(found.decisions[i].of, x)) {
      const Expr at = substitute(f, {{e.parameter, e.value}}, Unused::allowed);
      if (has_undefined(at)) continue;  // there is no integrand there: the conditions say it already
      const IntegralResult there = integrate(at, x, inner);
      if (there.status == IntegralStatus::exact) add(equal(e.parameter, e.value), there.value);
    }
  }
  std::vector<Exceptional> places = exceptional_parameters(found.value, f, x, options.conditions);
  for (const Exceptional& e : vanishing_parameters(found.value, f, x, options)) {
    const bool known = std::any_of(places.begin(), places.end(), [&](const Exceptional& p) {
      return p.parameter == e.parameter && p.value == e.value;
    });
    if (!known) places.push_back(e);
  }
  for (const Exceptional& e : places) {
    IntegralResult there;
    try {
      there = integrate(substitute(f, {{e.parameter, e.value}}, Unused::allowed), x, inner);
    } catch (const Error&) {
      continue;  // the integrand itself is undefined there
    }
    if (there.status == IntegralStatus::exact) {
      add(equal(e.parameter, e.value), there.value);
    } else {
      result.conditions.push_back(not_equal(e.parameter, e.value));
    }
  }
}

}  // namespace

const char* to_string(IntegralStatus s) noexcept {
  switch (s) {
    case IntegralStatus::exact: return "exact";
    case IntegralStatus::approximate: return "approximate";
    case IntegralStatus::unevaluated: return "unevaluated";
    case IntegralStatus::divergent: return "divergent";
  }
  return "";
}

IntegralResult integrate(const Expr& f, const Expr& variable, const IntegralOptions& options) {
  if (!variable.is(Kind::symbol)) throw Error(ErrorKind::usage, "an integral is taken over a symbol");
  if (is_condition(f)) throw Error(ErrorKind::shape, "a condition (true or false) has no integral");
  const Symbol x = Symbol::from(variable);
  const Expr e = evaluate_derivatives(f);
  IntegralResult result;
  result.value = unevaluated_integral(f, variable);
  if (has_undefined(e)) throw Error(ErrorKind::domain, "the integrand is undefined");
  const auto found = search(e, x, options, {});
  if (!found) {
    result.reason = no_elementary_form(e, x).value_or("no closed form was found");
    result.check.method = "none";
    return result;
  }
  result.status = IntegralStatus::exact;
  result.value = found->value;
  result.check = found->check;
  result.steps = found->steps;
  if (has_special_function(found->value) && !has_special_function(e))
    result.reason = no_elementary_form(e, x).value_or("");
  for (const Decision& d : found->decisions) result.conditions.push_back(condition_of(d));
  if (options.exceptions) add_exceptions(e, x, options, *found, result);
  tidy(result, options.conditions);
  return result;
}

Expr integral(const Expr& f, const Expr& x, const IntegralOptions& options) { return integrate(f, x, options).value; }

}  // namespace boreon
