// SPDX-License-Identifier: MIT
#include "transforms/witness.hpp"

#include <algorithm>
#include <cmath>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/evidence.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/parameter_points.hpp"
#include "transforms/contour_inverse.hpp"
#include "transforms/exponential_terms.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon::transforms {
namespace {

constexpr double needed_digits = 7;

// The exact transform of weight(t)*delta^(k)(t - a) at a number s; nothing for other terms.
std::optional<double> of_impulse(const Expr& term, const Symbol& t, const Symbol& s, const Bindings& at) {
  Expr weight = leading_number(term);
  std::optional<Expr> argument;
  int order = 0;
  bool known = true;
  for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
    const bool derived = base.is(Kind::derivative);
    const Expr& call = derived ? base.operands()[0] : base;
    if (is_call_of(call, "dirac_delta") && exponent.is_integer(1) && !argument) {
      argument = call.operands()[0];
      if (derived) order = static_cast<int>(base.operands()[2].word().value_or(-1));
    } else {
      weight *= boreon::power(base, exponent);
      known = known && !has_impulse(base);
    }
  });
  const auto l = argument && known && order >= 0 ? linear_in(*argument, t) : std::nullopt;
  if (!l) return std::nullopt;
  const Expr place = -l->constant / l->slope;
  if (evaluate(place, at, Unused::allowed) < 0) return 0;
  // the derivative of an impulse takes minus the derivative of what stands with it
  Expr value = weight * exp(-s * t);
  if (order > 0) value = derivative(value, t, order);
  if (order % 2 != 0) value = -value;
  value = substitute(value, {{t, place}}, Unused::allowed) / boreon::power(abs(l->slope), Expr(order + 1));
  return evaluate(value, at, Unused::allowed);
}

// What is made of numbered roots as numbers: its parts may be complex, and it is taken at thousands of points.
Expr with_numbers_for_roots(const Expr& e) {
  if (!contains_call(e, {"polynomial_root"})) return e;
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (n.has_symbols() || n.is_number() || is_condition(n)) return false;
    result = Expr(Number::exact(evaluate(n)));
    return true;
  });
  return pass(e);
}

struct Sum {
  double value = 0;
  double scale = 0;  // of the parts that may cancel
};

// From 0 to the end, beside what impulses give.
std::optional<Sum> whole_range(const Sum& impulses, const Expr& integrand, const Symbol& t, const Expr& end) {
  QuadratureOptions options;
  options.breaks = places_to_split(integrand, t, 0, end);
  const QuadratureResult q = quadrature(integrand, t, 0, end, {}, options);
  if (!q.converged) return std::nullopt;
  if (!end.is_constant(ConstantCode::infinity)) {
    // what grows is not cut off: the last part of the range must not count
    for (const Expr& late : {end, end * 15 / 16}) {
      const double left = std::abs(evaluate(integrand, {{t, late}}, Unused::allowed)) * evaluate(end);
      if (!(left <= 1e-11 * std::abs(q.value) + 1e-300)) return std::nullopt;
    }
  }
  return Sum{impulses.value + q.value, std::max(impulses.scale, std::abs(q.value))};
}

std::optional<Sum> transform_at(const Expr& smooth, const std::vector<Expr>& impulses, const Symbol& t, const Symbol& s,
                                const Bindings& at, double fall) {
  Sum out;
  for (const Expr& impulse : impulses) {
    const auto value = of_impulse(impulse, t, s, at);
    if (!value) return std::nullopt;
    out.value += *value;
    out.scale = std::max(out.scale, std::abs(*value));
  }
  if (smooth.is_integer(0)) return out;
  Expr integrand = with_numbers_for_roots(substitute(smooth * exp(-s * t), at, Unused::allowed));
  // growth and decay in one exponential, so that neither leaves the range of doubles
  if (auto terms = exponential_terms(substitute(smooth, at, Unused::allowed), t)) {
    for (ExponentialTerm& e : *terms) e.rate -= substitute(s, at, Unused::allowed);
    integrand = sum_of(*terms, t);
  }
  if (!has_piece(smooth)) return whole_range(out, integrand, t, infinity());
  // steps without end are followed until the exponential has fallen below all digits; what grows needs a longer way
  double last = 0;
  for (const Expr& place : places_to_split(integrand, t, 0, infinity())) last = std::max(last, evaluate(place));
  for (const double exponent : {38.0, 48.0}) {
    if (auto sum = whole_range(out, integrand, t, Number::exact(std::ceil(last + exponent / fall)))) return sum;
  }
  return std::nullopt;
}

void conclude(Evidence& out) {
  out.verdict = out.points == 0               ? Verdict::untested
                : out.digits >= needed_digits ? Verdict::agrees
                                              : Verdict::disagrees;
}

}  // namespace

void compare(Evidence& out, double derived, double reference, double scale, const Bindings& at) {
  const double size = std::max({std::abs(derived), std::abs(reference), scale});
  const double error = std::abs(derived - reference);
  const double digits = agreeing_digits(error, size);
  ++out.points;
  if (out.points == 1 || digits < out.digits) {
    out.digits = digits;
    out.worst_derived = derived;
    out.worst_reference = reference;
    out.worst_point.clear();
    for (const auto& e : at.entries()) out.worst_point.emplace_back(to_text(e.target), evaluate(e.value));
  }
}

Evidence check_pair(const Expr& f, const Symbol& t, const Expr& F, const Symbol& s, std::span<const Expr> bounds,
                    std::span<const Expr> conditions, const TransformOptions& options) {
  Evidence out;
  out.method = "quadrature of the Laplace integral";
  out.entries = 1;
  std::vector<Expr> smooth;
  std::vector<Expr> impulses;
  for (const Expr& term : terms_of(has_impulse(f) ? expand(f) : f))
    (has_impulse(term) ? impulses : smooth).push_back(term);
  const Expr g = boreon::add(smooth);
  // s is drawn apart
  std::vector<Expr> parameters_only{f, substitute(F, {{s, t}}, Unused::allowed)};
  parameters_only.insert(parameters_only.end(), bounds.begin(), bounds.end());
  ParameterPoints points(parameters_only, t, conditions, options.seed);
  Sampler uniform({}, {}, options.seed + 7);
  const BriefFaults brief;
  for (std::size_t k = 0; k < options.points && points.next(); ++k) {
    Bindings at = points.bindings();
    try {
      double low = 0;
      for (const Expr& b : bounds) low = std::max(low, evaluate(b, at, Unused::allowed));
      // near a bound that is claimed; where none is known, further out until the integral converges
      // what has pieces without end is cut off earlier, so that there are fewer of them
      const double step = (bounds.empty() ? uniform.uniform(0.4, 2.2)
                           : k == 0       ? 0.25
                                          : uniform.uniform(0.3, 2.2)) +
                          (has_piece(g) && (bounds.empty() || k > 0) ? 1.5 : 0);
      for (double far = 1; far < (bounds.empty() ? 100 : 2); far *= 4) {
        const double fall = far * step * (1 + std::abs(low) / 4);
        at.set(s, Expr(Number::exact(low + fall)));
        const auto reference = transform_at(g, impulses, t, s, at, fall);
        if (!reference) continue;
        // nothing is left of what is delayed far beyond 1/s
        if (reference->scale < 1e-200 && !g.is_integer(0)) continue;
        const double derived = evaluate(F, at, Unused::allowed);
        if (!std::isfinite(derived) || !std::isfinite(reference->value)) continue;
        compare(out, derived, reference->value, reference->scale, at);
        break;
      }
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }
  conclude(out);
  return out;
}

namespace {

// The rate at which f grows exponentially at last, as its values tell; not less than 0.
double growth_of(const Expr& f, const Symbol& t, const Bindings& parameters) {
  for (const double far : {40.0, 10.0, 2.5, 0.6}) {
    Bindings at = parameters;
    at.set(t, Expr(Number::exact(far)));
    double size = 0;
    try {
      size = std::abs(evaluate(f, at, Unused::allowed));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
    if (std::isfinite(size) && size > 0) return std::max(0.0, 1.1 * std::log(size) / far);
  }
  return 0;
}

// One value of f beside two of the contours: only what those are sure of counts.
void compare_at(Evidence& out, const Expr& f, const Symbol& t, const Bindings& parameters, double time, double first,
                double second) {
  const double noise = std::abs(first - second);
  if (!std::isfinite(first) || !(noise <= 1e-7 * std::max(std::abs(first), 1e-3))) return;
  Bindings at = parameters;
  at.set(t, Expr(Number::exact(time)));
  const double derived = evaluate(f, at, Unused::allowed);
  if (std::isfinite(derived)) compare(out, derived, second, 1e-2, at);
}

}  // namespace

Evidence check_by_inversion(const Expr& F, const Symbol& s, const Expr& f, const Symbol& t,
                            std::span<const Expr> conditions, const TransformOptions& options) {
  Evidence out;
  out.method = "numeric inversion";
  out.entries = 1;
  if (has_impulse(f)) return out;
  const std::vector<Expr> both{substitute(F, {{s, t}}, Unused::allowed), f};
  ParameterPoints points(both, t, conditions, options.seed + 3);
  Sampler uniform({}, {}, options.seed + 11);
  const BriefFaults brief;
  for (std::size_t k = 0; k < options.points && points.next(); ++k) {
    const Bindings at = points.bindings();
    const double time = uniform.uniform(0.3, 2.5);
    try {
      const ContourInverse image(F, s, at);
      const double reach = image.reach();
      const double early = time * std::min(1.0, 2 / reach);
      compare_at(out, f, t, at, early, image.talbot(early, 16), image.talbot(early, 19));
      if (early == time) continue;
      const double shift = growth_of(f, t, at);
      compare_at(out, f, t, at, time, image.euler(time, 12, reach, shift), image.euler(time, 15, reach, shift));
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }
  if (out.points > 0) out.verdict = out.digits >= 6 ? Verdict::agrees : Verdict::disagrees;
  return out;
}

}  // namespace boreon::transforms
