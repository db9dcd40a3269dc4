// SPDX-License-Identifier: MIT
// Definite integrals: families, residues, and limits of a continuous antiderivative between all places where something
// happens; signs that are not known are tried both ways. Every value is compared with quadrature.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <functional>

#include "algebra/polynomial/work.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/breaks.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/exceptional.hpp"
#include "calculus/integral/families.hpp"
#include "calculus/integral/forms.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/tidy_result.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

constexpr std::uint64_t work_of_search = 200000000U;
constexpr std::size_t most_cases = 8;

bool has_imaginary_unit(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) { found = found || n.is_constant(ConstantCode::imaginary); });
  return found;
}

bool has_infinity(const Expr& e) {
  bool found = false;
  postorder(e, [&](const Expr& n) {
    found = found || n.is_constant(ConstantCode::infinity) || n.is_constant(ConstantCode::undefined);
  });
  return found;
}

struct Divergent {
  std::string why;
};

struct Outcome {
  enum class Kind { none, value, divergent } kind = Kind::none;
  Expr value;
  std::string why;
  std::vector<Decision> decisions;
  std::vector<std::string> steps;
  std::optional<Expr> antiderivative;
  std::optional<Symbol> variable;  // of the antiderivative
  std::vector<Expr> ends;          // between which it was taken
  bool only_antiderivatives = false;
  bool places_known = true;  // where the integrand is singular
};

std::string shown(const Expr& e) { return to_text(e, {80, {}}); }

// The problem with the variable's range known to its symbol: x > 0 on a range of positive numbers.
DefiniteProblem with_sign_of_range(const DefiniteProblem& p, Signs& signs) {
  const Assumptions old = p.x.assumptions();
  Assumptions a = old;
  const auto low = p.from == -infinity() ? std::optional<int>(-1) : signs.known(p.from);
  const auto high = is_infinite(p.to) ? std::optional<int>(1) : signs.known(p.to);
  try {
    if (low && *low >= 0) a.add(Assumption::positive);
    if (high && *high <= 0) a.add(Assumption::negative);
  } catch (const Error&) {
    return p;
  }
  if (a == old) return p;
  const Symbol y(p.x.name(), a);
  return {substitute(p.integrand, {{p.x, y}}, Unused::allowed), y, p.from, p.to};
}

Expr limit_of(const Expr& F, const Symbol& x, const Expr& place, bool above, Signs& signs, const std::string& where) {
  try {
    return one_sided_limit(F, x, place, above, signs);
  } catch (const NoLimit& n) {
    throw Divergent{fmt::format("the antiderivative has no limit {} ({})", where, n.why)};
  }
}

// F at the ends and at every place in between where F or f may jump or be singular.
std::optional<DefiniteValue> by_antiderivative(const DefiniteProblem& p, Signs& signs, Outcome& out,
                                               bool principal_value) {
  Integrator in(signs);
  auto F = in(p.integrand, p.x);
  if (!F) return std::nullopt;
  F = exponential_integrals_paired(*F);
  if (check_antiderivative(p.integrand, *F, p.x, signs.conditions(), 4, 20260102).verdict == Verdict::disagrees)
    return std::nullopt;
  out.antiderivative = *F;
  out.variable = p.x;
  out.steps = in.route();
  out.steps.push_back(fmt::format("antiderivative {}", to_text(*F, {200, {}})));
  std::vector<Expr> places;
  if (auto more = singular_places(*F, p.x, signs, p.from, p.to)) places = std::move(*more);
  const auto of_f = singular_places(p.integrand, p.x, signs, p.from, p.to);
  if (of_f) places.insert(places.end(), of_f->begin(), of_f->end());
  // with an end that is a parameter, poles that were not located could lie anywhere
  out.places_known = out.places_known && of_f.has_value();
  if (!of_f && (p.from.has_symbols() || p.to.has_symbols())) return std::nullopt;
  bool downwards = false;
  places = in_order(std::move(places), signs, p.from, p.to, &downwards);
  std::vector<Expr> ends{p.from};
  ends.insert(ends.end(), places.begin(), places.end());
  ends.push_back(p.to);
  out.ends = ends;
  Expr value = 0;
  for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
    for (const bool upper : {true, false}) {
      const Expr& place = upper ? ends[i + 1] : ends[i];
      const Expr v =
          limit_of(*F, p.x, place, upper == downwards, signs, fmt::format("at {} = {}", p.x.name(), shown(place)));
      if (has_infinity(v)) {
        const bool inside = upper ? i + 2 < ends.size() : i > 0;
        if (!(principal_value && inside)) throw Divergent{fmt::format("at {} = {}", p.x.name(), shown(place))};
        continue;
      }
      value += upper ? v : -v;
    }
  }
  if (principal_value) {
    // what the two sides of each pole leave when they shrink together
    const Symbol h("_h", {Assumption::positive});
    for (const Expr& place : places) {
      bool infinite = false;
      for (const bool above : {true, false})
        infinite = infinite || has_infinity(limit_of(*F, p.x, place, above, signs, ""));
      if (!infinite) continue;
      const Expr both =
          substitute(*F, {{p.x, place - h}}, Unused::allowed) - substitute(*F, {{p.x, place + h}}, Unused::allowed);
      const Expr v = limit_of(both, h, 0, true, signs, fmt::format("around {} = {}", p.x.name(), shown(place)));
      if (has_infinity(v))
        throw Divergent{fmt::format("even as a principal value, at {} = {}", p.x.name(), shown(place))};
      value += v;
    }
  }
  out.steps.push_back(places.empty()
                          ? "its one-sided values at the ends"
                          : fmt::format("its one-sided values at the ends and at {} places in between", places.size()));
  return DefiniteValue{value, "value by the antiderivative"};
}

// Odd integrands over symmetric ranges; and substitutions that map the range to itself: the mean of f and its image may
// be simpler.
std::optional<DefiniteValue> by_symmetry(const DefiniteProblem& p, Signs& signs, Outcome& out, int depth);

std::optional<DefiniteValue> by_pieces_of_range(const DefiniteProblem& p, Signs& signs, Outcome& out,
                                                bool principal_value, int depth);

// Over the line, with the inner exponential as the variable.
std::optional<DefiniteValue> in_inner_exponential(const DefiniteProblem& p, Signs& signs, Outcome& out,
                                                  bool principal_value, int depth);

std::optional<DefiniteValue> any_method(const DefiniteProblem& p, Signs& signs, Outcome& out, bool principal_value,
                                        int depth) {
  const bool only_antiderivatives = out.only_antiderivatives;
  const auto guarded = [&](const auto& method) -> std::optional<DefiniteValue> {
    try {
      auto r = method();
      if (r && has_infinity(r->value)) return std::nullopt;
      return r;
    } catch (const NoExpansion&) {
    } catch (const NoLimit&) {
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::limit && e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain &&
          e.kind() != ErrorKind::usage)
        throw;
    }
    return std::nullopt;
  };
  if (has_piece(p.integrand)) return guarded([&] { return by_pieces_of_range(p, signs, out, principal_value, depth); });
  const bool improper = is_infinite(p.from) || is_infinite(p.to);
  if (!only_antiderivatives) {
    if (auto r = guarded([&] { return by_family(p, signs); })) return r;
  }
  if (improper && !only_antiderivatives) {
    if (auto r = guarded([&] { return by_residues(p, signs); })) return r;
  }
  if (auto r = guarded([&] { return by_antiderivative(p, signs, out, principal_value); })) return r;
  if (depth < 2) {
    if (auto r = guarded([&] { return by_symmetry(p, signs, out, depth); })) return r;
    // exponentials of exponentials over the line: u = exp(s*x) from 0 to infinity
    if (p.from == -infinity() && is_infinite(p.to)) {
      if (auto r = guarded([&] { return in_inner_exponential(p, signs, out, principal_value, depth); })) return r;
    }
    // other forms of the integrand
    const auto again = [&](const Expr& g) -> std::optional<DefiniteValue> {
      if (g == p.integrand || has_infinity(g)) return std::nullopt;
      return any_method({g, p.x, p.from, p.to}, signs, out, principal_value, depth + 1);
    };
    if (auto r = guarded([&] { return again(expand(p.integrand)); })) return r;
    if (auto r = guarded([&] { return again(polynomials_written_out(p.integrand)); })) return r;
    // term by term
    const Expr g = expand(p.integrand);
    if (g.is(Kind::sum) && g.operands().size() < 16) {
      Expr value = g.operands()[0].is_integer(0) ? Expr(0) : g.operands()[0] * (p.to - p.from);
      bool all = !has_infinity(value);
      for (const auto [t, c] : Parts(g)) {
        if (!all) break;
        std::optional<DefiniteValue> part;
        try {
          part = any_method({t, p.x, p.from, p.to}, signs, out, principal_value, depth + 1);
        } catch (const Divergent&) {
        }
        all = part.has_value();
        if (all) value += c * part->value;
      }
      if (all) return DefiniteValue{value, "term by term"};
    }
  }
  return std::nullopt;
}

std::optional<DefiniteValue> in_inner_exponential(const DefiniteProblem& p, Signs& signs, Outcome& out,
                                                  bool principal_value, int depth) {
  std::optional<Linear> inner;
  postorder(p.integrand, [&](const Expr& n) {
    if (inner || !is_call_of(n, "exp") || !depends_on(n, p.x)) return;
    postorder(n.operands()[0], [&](const Expr& m) {
      if (inner || !is_call_of(m, "exp") || !depends_on(m, p.x)) return;
      inner = linear_in(m.operands()[0], p.x);
    });
  });
  if (!inner || inner->slope.is_integer(0) || signs.of(inner->slope) == 0) return std::nullopt;
  const Symbol u("_u", {Assumption::positive});
  const Expr x_of_u = (log(u) - inner->constant) / inner->slope;
  // dx = du/(slope*u); a negative slope reverses the range, which its sign makes good
  const Expr g = expand(simplify(substitute(p.integrand, {{p.x, x_of_u}}, Unused::allowed))) /
                 (signs.of(inner->slope) * inner->slope * u);
  out.steps.push_back(fmt::format("substitution u = exp({})", shown(inner->constant + inner->slope * p.x)));
  return any_method({g, u, 0, infinity()}, signs, out, principal_value, depth + 1);
}

std::optional<DefiniteValue> by_pieces_of_range(const DefiniteProblem& p, Signs& signs, Outcome& out,
                                                bool principal_value, int depth) {
  const auto places = breaks_of_pieces(p.integrand, p.x, signs, p.from, p.to);
  if (!places || places->size() > 64 || depth > 2) return std::nullopt;
  std::vector<Expr> ends{p.from};
  ends.insert(ends.end(), places->begin(), places->end());
  ends.push_back(p.to);
  Expr value = 0;
  for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
    const auto piece = piece_between(p.integrand, p.x, ends[i], ends[i + 1], signs);
    if (!piece) return std::nullopt;
    if (piece->is_integer(0)) continue;
    const DefiniteProblem part{*piece, p.x, ends[i], ends[i + 1]};
    if (!depends_on(*piece, p.x)) {
      if (is_infinite(ends[i]) || is_infinite(ends[i + 1])) throw Divergent{"at infinity"};
      value += *piece * (ends[i + 1] - ends[i]);
      continue;
    }
    const auto v = any_method(with_sign_of_range(part, signs), signs, out, principal_value, depth + 1);
    if (!v) return std::nullopt;
    value += v->value;
  }
  out.steps.push_back(fmt::format("in {} pieces", ends.size() - 1));
  return DefiniteValue{value, "in pieces"};
}

std::optional<DefiniteValue> by_symmetry(const DefiniteProblem& p, Signs& signs, Outcome& out, int depth) {
  const bool from_infinite = is_infinite(p.from);
  const bool to_infinite = is_infinite(p.to);
  SimplifyOptions o;
  o.conditions = signs.conditions();
  o.work = 1500;
  o.points = 2;
  std::vector<std::pair<Expr, std::string>> maps;
  if (!from_infinite && !to_infinite) maps.emplace_back(p.from + p.to - p.x, "reflection");
  if (p.from == -infinity() && to_infinite) maps.emplace_back(-p.x, "reflection");
  if (p.from.is_integer(0) && p.to.is_integer(1)) maps.emplace_back((1 - p.x) / (1 + p.x), "x -> (1 - x)/(1 + x)");
  if (p.from.is_integer(0) && to_infinite) maps.emplace_back(1 / p.x, "x -> 1/x");
  for (const auto& [image, name] : maps) {
    // all of them reverse the range
    const Expr g = -substitute(p.integrand, {{p.x, image}}, Unused::allowed) * derivative(image, p.x);
    const Expr sum = expand_logarithms(transforms::everywhere(
        p.integrand + g, [](const Expr& n) { return is_call_of(n, "log") ? log(factor(n.operands()[0])) : n; }));
    const Expr mean = simplify(sum, o) / 2;
    if (3 * functions_of(mean, p.x) + varying_operations(mean, p.x) >=
        3 * functions_of(p.integrand, p.x) + varying_operations(p.integrand, p.x))
      continue;
    out.steps.push_back(fmt::format("the mean of the integrand and its image under {}", name));
    if (mean.is_integer(0)) return DefiniteValue{0, "symmetry"};
    if (!depends_on(mean, p.x)) {
      if (from_infinite || to_infinite) return std::nullopt;
      return DefiniteValue{mean * (p.to - p.from), "symmetry"};
    }
    if (auto r = any_method({mean, p.x, p.from, p.to}, signs, out, false, depth + 1))
      return DefiniteValue{r->value, "symmetry"};
  }
  return std::nullopt;
}

// --- one case of signs, all cases ------------------------------------------------------------------------------------

// In this order: methods of the caller, all of the library, antiderivatives alone.
enum class Round { own_methods, all, antiderivatives };

Outcome one_case(const DefiniteProblem& p, const IntegralOptions& options, std::vector<int> script, Round round) {
  Outcome out;
  out.only_antiderivatives = round == Round::antiderivatives;
  if (round == Round::own_methods) {
    for (const IntegralMethod& method : options.methods) {
      if (const auto v = method(p.integrand, p.x, p.from, p.to)) {
        out.kind = Outcome::Kind::value;
        out.value = *v;
        out.steps.emplace_back("a method given by the caller");
        break;
      }
    }
    return out;
  }
  Signs signs(options.conditions, options.assume, std::move(script));
  try {
    const poly::WorkLimit limit(work_of_search);
    DefiniteProblem q = p;
    int sign = 1;
    if (!is_infinite(q.from) && !is_infinite(q.to)) {
      const Expr width = q.to - q.from;
      const auto s = signs.known(width);
      if (s && *s == 0) {
        out.kind = Outcome::Kind::value;
        out.value = 0;
        return out;
      }
      if (s && *s < 0) {
        std::swap(q.from, q.to);
        sign = -1;
      }
    } else if (q.from.is_constant(ConstantCode::infinity) || q.to == -infinity()) {
      std::swap(q.from, q.to);
      sign = -1;
    }
    q = with_sign_of_range(q, signs);
    const auto v = any_method(q, signs, out, options.principal_value, 0);
    if (v) {
      out.kind = Outcome::Kind::value;
      out.value = substitute(sign * v->value, {{q.x, p.x}}, Unused::allowed);
      out.steps.push_back(v->method);
    }
  } catch (const Divergent& d) {
    out.kind = Outcome::Kind::divergent;
    out.why = d.why;
  } catch (const UnknownSign&) {
  } catch (const NoLimit&) {
  } catch (const NoExpansion&) {
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit && e.kind() != ErrorKind::unsupported && e.kind() != ErrorKind::domain) throw;
  }
  out.decisions = signs.decisions();
  return out;
}

std::vector<Expr> conditions_of(const IntegralOptions& options, const Outcome& o) {
  std::vector<Expr> all = options.conditions;
  for (const Decision& d : o.decisions) all.push_back(condition_of(d));
  return all;
}

Expr shortened(const Expr& value, const std::vector<Expr>& conditions) {
  if (operation_count(value) > 200) return value;
  SimplifyOptions o;
  o.conditions = conditions;
  o.work = 900;
  o.points = 3;
  try {
    Expr best = simplify(value, o);
    if (best.is(Kind::product) && operation_count(best) < 40) {  // (-a - b)/(c - d) as (a + b)/(d - c)
      const Quotient q = quotient(best);
      const Expr turned = expand(-q.numerator) / expand(-q.denominator);
      const double gain = written_cost(best) - written_cost(turned);
      if (gain > 0 || (gain == 0 && to_text(turned).size() < to_text(best).size())) best = turned;
    }
    return best;
  } catch (const Error&) {
    return value;
  }
}

constexpr int deepest_exception = 2;

IntegralResult definite(const Expr& f, const Expr& variable, const Expr& from, const Expr& to,
                        const IntegralOptions& options, int depth);

IntegralResult with_impulses(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                             const IntegralOptions& options, int depth) {
  Signs signs(options.conditions, options.assume);
  const auto parts = split_impulses(f, x, from, to, signs);
  if (!parts) {
    IntegralResult unknown;
    unknown.value = unevaluated_integral(f, x, from, to);
    unknown.check.method = "none";
    unknown.reason = "an impulse at a place that is not known";
    return unknown;
  }
  IntegralResult result = definite(parts->rest, x, from, to, options, depth);
  if (result.status != IntegralStatus::exact) return result;
  result.value += parts->value;
  result.steps.emplace_back("impulses by their defining property");
  std::vector<Expr> conditions = options.conditions;
  conditions.insert(conditions.end(), result.conditions.begin(), result.conditions.end());
  for (const Decision& d : signs.decisions()) conditions.push_back(condition_of(d));
  result.check = check_impulses(f, x, from, to, result.value, conditions);
  if (result.check.verdict == Verdict::disagrees) {
    IntegralResult unknown;
    unknown.value = unevaluated_integral(f, x, from, to);
    unknown.check.method = "none";
    unknown.reason = "the impulses could not be verified";
    return unknown;
  }
  for (const Decision& d : signs.decisions()) result.conditions.push_back(condition_of(d));
  return result;
}

// The decisions as conditions, without those that follow from the others.
std::vector<Expr> needed(const std::vector<Decision>& decisions) {
  std::vector<Expr> list;
  for (const Decision& d : decisions) list.push_back(condition_of(d));
  for (std::size_t i = list.size(); i-- > 0;) {
    std::vector<Expr> others = list;
    others.erase(others.begin() + static_cast<std::ptrdiff_t>(i));
    if (!others.empty() && Reasoner(others).decide(list[i]) == Reasoner::Truth::yes) list = std::move(others);
  }
  return list;
}

Expr joined(const std::vector<Decision>& decisions) {
  const std::vector<Expr> list = needed(decisions);
  return list.empty() ? truth(true) : list.size() == 1 ? list[0] : conjunction(list);
}

IntegralResult definite(const Expr& f, const Expr& variable, const Expr& from, const Expr& to,
                        const IntegralOptions& options, int depth) {
  if (!variable.is(Kind::symbol)) throw Error(ErrorKind::usage, "an integral is taken over a symbol");
  if (is_condition(f)) throw Error(ErrorKind::shape, "a condition (true or false) has no integral");
  const Symbol x = Symbol::from(variable);
  if (depends_on(from, x) || depends_on(to, x))
    throw Error(ErrorKind::usage,
                fmt::format("the limits of an integral over {} must not contain {}", x.name(), x.name()));
  const Expr e = evaluate_derivatives(f);
  if (has_undefined(e)) throw Error(ErrorKind::domain, "the integrand is undefined");
  IntegralResult result;
  result.value = unevaluated_integral(f, x, from, to);
  result.check.method = "none";
  result.reason = "no closed form was found";
  if (e.is_integer(0) || from == to) {
    result.value = 0;
    result.status = IntegralStatus::exact;
    result.check = {"the integrand is zero", 1, 1, 0, 15, {}, 0, 0, {}, Verdict::agrees};
    result.reason.clear();
    return result;
  }
  if (has_impulse(e)) return with_impulses(e, x, from, to, options, depth);
  const DefiniteProblem problem{e, x, from, to};

  // all cases of the signs that matter, the positive ones first
  struct Case {
    Outcome outcome;
    Evidence check;
  };
  const std::vector<Symbol> parameters = free_symbols(unevaluated_integral(e, x, from, to));
  const bool real_integrand =
      !parameters.empty() && !has_imaginary_unit(e) &&
      std::all_of(parameters.begin(), parameters.end(), [](const Symbol& s) { return is_real(s); });
  std::vector<Case> cases;
  std::vector<std::vector<int>> open{{}};
  while (!open.empty() && cases.size() < most_cases) {
    const std::vector<int> script = open.back();
    open.pop_back();
    Case c;
    for (const Round round :
         {Round::own_methods, Round::all, Round::antiderivatives}) {  // what numbers cannot confirm gives way
      if (round == Round::own_methods && options.methods.empty()) continue;
      c.outcome = one_case(problem, options, script, round);
      c.check = {};
      bool not_real = false;
      const std::vector<Expr> conditions = conditions_of(options, c.outcome);
      if (c.outcome.kind == Outcome::Kind::divergent && contradicts(e, x, from, to, conditions))
        c.outcome.kind = Outcome::Kind::none;
      if (c.outcome.kind != Outcome::Kind::value) {
        if (round == Round::own_methods) continue;
        break;
      }
      c.outcome.value = exponential_integrals_paired(shortened(c.outcome.value, conditions));
      if (!options.principal_value)
        c.check = check_definite(e, x, from, to, c.outcome.value, conditions,
                                 {std::min<std::size_t>(options.points, 5), options.seed, &not_real});
      // a formula for an integrand that leaves the real numbers is no value of a real integral: its case is left out
      if (not_real && c.check.verdict == Verdict::untested && real_integrand) {
        c.outcome.kind = Outcome::Kind::none;
        break;
      }
      if (c.check.verdict == Verdict::untested && c.outcome.antiderivative && !c.outcome.ends.empty() &&
          !options.principal_value) {
        // where quadrature fails, on slow or oscillating tails: the antiderivative close to its limits
        const Expr F = substitute(*c.outcome.antiderivative, {{*c.outcome.variable, x}}, Unused::allowed);
        c.check = check_limits(F, x, c.outcome.ends, c.outcome.value, conditions,
                               {std::min<std::size_t>(options.points, 5), options.seed});
      }
      // poles that move with a parameter and were not located: one failure of quadrature is one too many
      if (!c.outcome.places_known && (c.check.skipped > 0 || c.check.verdict != Verdict::agrees))
        c.check.verdict = Verdict::untested;
      if (c.check.verdict == Verdict::agrees || (options.principal_value && c.outcome.antiderivative)) break;
      c.outcome.kind = Outcome::Kind::none;
    }
    const Outcome& o = c.outcome;
    for (std::size_t i = o.decisions.size(); i-- > script.size();) {
      if (o.decisions[i].sign == 2) continue;
      std::vector<int> other;
      for (std::size_t k = 0; k < i; ++k) other.push_back(o.decisions[k].sign);
      other.push_back(-o.decisions[i].sign);
      open.push_back(std::move(other));
    }
    cases.push_back(std::move(c));
  }
  const auto best = [&](Outcome::Kind kind) {
    auto at = cases.end();
    for (auto it = cases.begin(); it != cases.end(); ++it) {
      if (it->outcome.kind == kind &&
          (at == cases.end() || it->outcome.decisions.size() < at->outcome.decisions.size()))
        at = it;
    }
    return at;
  };
  const auto found = best(Outcome::Kind::value);
  if (found == cases.end()) {
    const auto divergent = best(Outcome::Kind::divergent);
    const bool all = std::all_of(cases.begin(), cases.end(),
                                 [](const Case& c) { return c.outcome.kind == Outcome::Kind::divergent; });
    if (divergent == cases.end() || !all) return result;
    result.status = IntegralStatus::divergent;
    result.value = undefined();
    result.reason = divergent->outcome.why;
    result.steps = divergent->outcome.steps;
    return result;
  }
  result.status = IntegralStatus::exact;
  result.reason.clear();
  result.value = found->outcome.value;
  result.check = found->check;
  result.steps = found->outcome.steps;
  if (!result.value.has_symbols() && !has_imaginary_unit(e)) {
    const auto v = value_at(result.value, {}, {});
    if (v && std::abs(v->imag()) > 1e-9 * std::abs(*v))
      result.reason = "complex, since the integrand is not real on all of the range (principal values)";
  }
  // cases with the same value are one
  std::vector<Expr> ways{joined(found->outcome.decisions)};
  for (const Case& c : cases) {
    if (&c != &*found && c.outcome.kind == Outcome::Kind::value && c.outcome.value == found->outcome.value)
      ways.push_back(joined(c.outcome.decisions));
  }
  if (ways.size() > 1) {
    result.conditions.push_back(disjunction(ways));
  } else {
    for (const Expr& c : needed(found->outcome.decisions)) result.conditions.push_back(c);
  }
  if (!options.exceptions || depth >= deepest_exception) return result;
  // zeros first: they are special cases of what follows
  IntegralOptions inner = options;
  std::vector<IntegralException> exceptions;
  std::vector<Exceptional> covered;  // places at which the value holds as well
  const auto at_value = [&](const Exceptional& x0) {
    for (const IntegralException& known : exceptions) {
      if (known.when == equal(x0.parameter, x0.value)) return;
    }
    const Bindings there{{x0.parameter, x0.value}};
    IntegralResult r;
    try {
      inner.conditions.clear();
      for (const Expr& c : options.conditions) {
        const Expr bound = substitute(c, there, Unused::allowed);
        if (bound.is_constant(ConstantCode::false_value)) return;
        if (!bound.is_constant(ConstantCode::true_value)) inner.conditions.push_back(bound);
      }
      r = definite(substitute(e, there, Unused::allowed), x, substitute(from, there, Unused::allowed),
                   substitute(to, there, Unused::allowed), inner, depth + 1);
    } catch (const Error&) {
      return;
    }
    const Expr when = equal(x0.parameter, x0.value);
    if (r.status == IntegralStatus::unevaluated) {
      result.conditions.push_back(not_equal(x0.parameter, x0.value));
      return;
    }
    // exceptions of the exception come first, being narrower
    for (const IntegralException& n : r.exceptions) {
      const Expr both[] = {n.when, when};
      exceptions.push_back({conjunction(both), n.value});
    }
    // what holds there anyway needs no mention
    bool same = false;
    try {
      const Expr v = substitute(result.value, there, Unused::allowed);
      same = r.status == IntegralStatus::exact && !has_infinity(v) && vanishes(v - r.value);
    } catch (const Error&) {
    }
    if (same && r.conditions.empty()) covered.push_back(x0);
    if (!same) exceptions.push_back({when, r.status == IntegralStatus::divergent ? undefined() : r.value});
  };
  for (const Exceptional& x0 : exceptional_parameters(result.value, e, x, options.conditions)) at_value(x0);
  if (found->outcome.antiderivative) {
    for (const Exceptional& x0 : exceptional_parameters(
             substitute(*found->outcome.antiderivative, {{*found->outcome.variable, x}}, Unused::allowed), e, x,
             options.conditions))
      at_value(x0);
  }
  for (const Decision& d : found->outcome.decisions) {
    for (const Exceptional& x0 : zeros_of_parameters(d.of, x, options.conditions)) at_value(x0);
  }
  extend(result.conditions, covered, options.conditions);
  result.exceptions = std::move(exceptions);
  for (const Case& c : cases) {
    if (&c == &*found || c.outcome.decisions.empty() || c.outcome.kind == Outcome::Kind::none) continue;
    if (c.outcome.kind == Outcome::Kind::value && c.outcome.value == found->outcome.value) continue;
    result.exceptions.push_back(
        {joined(c.outcome.decisions), c.outcome.kind == Outcome::Kind::divergent ? undefined() : c.outcome.value});
  }
  return result;
}

}  // namespace

IntegralResult integrate(const Expr& f, const Expr& variable, const Expr& from, const Expr& to,
                         const IntegralOptions& options) {
  IntegralResult result = definite(f, variable, from, to, options, 0);
  tidy(result, options.conditions);
  return result;
}

Expr integral(const Expr& f, const Expr& x, const Expr& from, const Expr& to, const IntegralOptions& options) {
  return integrate(f, x, from, to, options).value;
}

}  // namespace boreon
