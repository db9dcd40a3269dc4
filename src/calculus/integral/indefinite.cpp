// SPDX-License-Identifier: MIT
// Antiderivatives: the search, its verification, and what holds for exceptional parameters.
#include <fmt/format.h>

#include <algorithm>
#include <iterator>

#include "algebra/linear_terms.hpp"
#include "algebra/polynomial/work.hpp"
#include "algebra/reasoner.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/counted.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/forms.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/joints.hpp"
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
  LineFault fault;  ///< what is wrong with the best that was found
};

// The shortest form of F that still has the right derivative, and on the line no worse fault than allowed.
Expr shortened(const Expr& F, const Expr& f, const Symbol& x, const std::vector<Expr>& conditions,
               const IntegralOptions& options, LineFault::Kind allowed) {
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
    const bool right =
        e.verdict == Verdict::agrees && fault_on_the_line(f, s, x, conditions, options.seed + 1).kind <= allowed;
    return right ? s : clean;
  } catch (const Error&) {
    return clean;
  }
}

// Whether F is an antiderivative without jumps, by two independent looks; what they saw goes into `out`.
bool sound(Integrator& in, const Expr& f, const Expr& F, const Symbol& x, const IntegralOptions& options, Found& out) {
  out.conditions = in.signs().conditions();
  out.check = check_antiderivative(f, F, x, out.conditions, options.points, options.seed);
  if (out.check.verdict != Verdict::agrees) return false;
  out.fault = fault_on_the_line(f, F, x, out.conditions, options.seed);
  return out.fault.kind == LineFault::Kind::none;
}

// An antiderivative instead of one that jumps or is complex, and its route.
std::optional<Expr> mended(Integrator& in, const Expr& f, const Expr& F, const Symbol& x,
                           const IntegralOptions& options, Found& out) {
  const Found first = out;
  const auto attempt = [&](Integrator& by, const auto& method) -> std::optional<Expr> {
    try {
      std::optional<Expr> G = method();
      if (G && sound(by, f, *G, x, options, out)) {
        out.steps = by.route();
        return G;
      }
    } catch (const UnknownSign&) {
    } catch (const NoExpansion&) {
    } catch (const NoLimit&) {
    } catch (const Error&) {
    }
    return std::nullopt;
  };
  if (auto G = attempt(in, [&] { return std::optional(with_real_parts(F, x)); })) return G;
  if (auto G = attempt(in, [&] { return tangents_joined(in, F, x); })) return G;
  Integrator anew(in.signs());
  if (auto G = attempt(anew, [&]() -> std::optional<Expr> {
        const auto g = half_angles(anew, f, x);
        return g ? anew(*g, x) : std::nullopt;
      }))
    return G;
  if (auto G = attempt(anew, [&] { return by_counted_pieces(anew, f, x); })) return G;
  if (has_imaginary_unit(F)) {
    Integrator real(in.signs(), Integrator::Values::real);
    std::optional<Expr> H;
    if (auto G = attempt(real, [&] { return H = real(f, x); })) return G;
    if (H) {
      if (auto G = attempt(real, [&] { return tangents_joined(real, *H, x); })) return G;
    }
  }
  if (auto G = attempt(in, [&] { return steps_taken_back(in, F, x); })) return G;
  out = first;
  if (first.fault.kind == LineFault::Kind::jump) return std::nullopt;
  // Complex values whose differences are the integral: better than nothing, where no real form is known.
  return F;
}

std::optional<Found> search(const Expr& f, const Symbol& x, const IntegralOptions& options, std::vector<int> script,
                            std::string* fault = nullptr) {
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
  out.steps = in.route();
  if (!sound(in, f, *F, x, options, out)) {
    if (out.check.verdict != Verdict::agrees) return std::nullopt;
    F = mended(in, f, *F, x, options, out);
    if (!F) {
      if (fault != nullptr) *fault = out.fault.text;
      return std::nullopt;
    }
  }
  out.value = shortened(*F, f, x, out.conditions, options, out.fault.kind);
  out.decisions = signs.decisions();
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

// The other regions of the signs that were assumed, each with all of its own signs, and the places where the answer
// divides by zero.
void add_exceptions(const Expr& f, const Symbol& x, const IntegralOptions& options, const Found& found,
                    IntegralResult& result) {
  IntegralOptions inner = options;
  inner.exceptions = false;
  const auto add = [&](const Expr& when, const Expr& value) {
    const bool known = std::any_of(result.exceptions.begin(), result.exceptions.end(),
                                   [&](const IntegralException& e) { return e.when == when; });
    if (!known) result.exceptions.push_back({when, value});
  };
  constexpr std::size_t most_regions = 5;
  std::vector<std::vector<int>> scripts;
  const auto turn = [&](const std::vector<Decision>& decisions, std::size_t first) {
    std::vector<int> script;
    for (std::size_t i = 0; i < decisions.size(); ++i) {
      script.push_back(-decisions[i].sign);
      if (i >= first && decisions[i].sign != 2 && scripts.size() < most_regions) scripts.push_back(script);
      script.back() = decisions[i].sign;
    }
  };
  turn(found.decisions, 0);
  for (std::size_t k = 0; k < scripts.size(); ++k) {
    const auto other = search(f, x, inner, scripts[k]);
    if (!other || other->decisions.size() < scripts[k].size()) continue;
    turn(other->decisions, scripts[k].size());
    const Decision& turned = other->decisions[scripts[k].size() - 1];
    if (other->value == found.value && found.decisions.size() == 1 && other->decisions.size() == 1) {
      result.conditions = {condition_of({turned.of, 2})};
      continue;
    }
    std::vector<Expr> all;
    for (const Decision& d : other->decisions) all.push_back(condition_of(d));
    const bool impossible = std::any_of(all.begin(), all.end(), [&](const Expr& c) {
      std::vector<Expr> rest = options.conditions;
      std::copy_if(all.begin(), all.end(), std::back_inserter(rest), [&](const Expr& r) { return !(r == c); });
      return Reasoner(rest).decide(c) == Reasoner::Truth::no;
    });
    if (!impossible) add(conjunction(all), other->value);
  }
  for (const Decision& d : found.decisions) {
    for (const Exceptional& e : zeros_of_parameters(d.of, x)) {
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
  std::string fault;
  const auto found = search(e, x, options, {}, &fault);
  if (!found) {
    result.reason =
        no_elementary_form(e, x).value_or(fault.empty() ? "no closed form was found"
                                                        : "the only closed form that was found " + fault +
                                                              "; give the ends of a range without such a place");
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
