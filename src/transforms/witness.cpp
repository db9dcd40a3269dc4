// SPDX-License-Identifier: MIT
#include "transforms/witness.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/parameter_points.hpp"
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

void compare(Evidence& out, double derived, double reference, double scale, const Bindings& at) {
  const double size = std::max({std::abs(derived), std::abs(reference), scale});
  const double error = std::abs(derived - reference);
  const double digits = error == 0 ? 15 : std::clamp(-std::log10(error / size), 0.0, 15.0);
  ++out.points;
  if (out.points == 1 || digits < out.digits) {
    out.digits = digits;
    out.worst_derived = derived;
    out.worst_reference = reference;
    out.worst_point.clear();
    for (const auto& e : at.entries()) out.worst_point.emplace_back(to_text(e.target), evaluate(e.value));
  }
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
      const double step = bounds.empty() ? uniform.uniform(0.4, 2.2) : k == 0 ? 0.25 : uniform.uniform(0.3, 2.2);
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

Evidence check_by_inversion(const Expr& F, const Symbol& s, const Expr& f, const Symbol& t,
                            std::span<const Expr> conditions, const TransformOptions& options) {
  Evidence out;
  out.method = "numeric inversion (Talbot)";
  out.entries = 1;
  if (has_impulse(f)) return out;
  const std::vector<Expr> both{substitute(F, {{s, t}}, Unused::allowed), f};
  ParameterPoints points(both, t, conditions, options.seed + 3);
  Sampler uniform({}, {}, options.seed + 11);
  const BriefFaults brief;
  const auto inverted = [&](const Bindings& at, double time, int M) {
    // fixed Talbot contour, s = r*theta*(cot(theta) + i)
    const double r = 2.0 * M / (5 * time);
    const auto value = [&](std::complex<double> z) {
      Bindings b = at;
      b.set(s, Expr(Number::exact(z.real())) + imaginary_unit() * Expr(Number::exact(z.imag())));
      return evaluate_complex(F, b, Unused::allowed);
    };
    double sum = 0.5 * (value(r) * std::exp(r * time)).real();
    for (int k = 1; k < M; ++k) {
      const double theta = k * std::numbers::pi / M;
      const double cot = std::cos(theta) / std::sin(theta);
      const std::complex<double> z(r * theta * cot, r * theta);
      const double sigma = theta + (theta * cot - 1) * cot;
      sum += (std::exp(time * z) * value(z) * std::complex<double>(1, sigma)).real();
    }
    return sum * r / M;
  };
  for (std::size_t k = 0; k < options.points && points.next(); ++k) {
    Bindings at = points.bindings();
    const double time = uniform.uniform(0.3, 2.5);
    try {
      const double first = inverted(at, time, 16);
      const double second = inverted(at, time, 19);
      const double noise = std::abs(first - second);
      at.set(t, Expr(Number::exact(time)));
      const double derived = evaluate(f, at, Unused::allowed);
      if (!std::isfinite(first) || !std::isfinite(derived)) continue;
      // only what the inversion itself is sure of counts
      if (noise > 1e-7 * std::max(std::abs(first), 1e-3)) continue;
      compare(out, derived, second, 1e-2, at);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    }
  }
  if (out.points > 0) out.verdict = out.digits >= 6 ? Verdict::agrees : Verdict::disagrees;
  return out;
}

}  // namespace boreon::transforms
