// SPDX-License-Identifier: MIT
// One linear equation: constant coefficients, Euler's equation, equations without y; particular solutions by
// undetermined coefficients, on the Laplace side, or by variation of parameters (E. L. Ince, Ordinary Differential
// Equations, 1926, chapters V and VI).
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/transform.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "odes/context.hpp"
#include "transforms/exponential_terms.hpp"
#include "transforms/modes.hpp"

namespace boreon::odes {
namespace {

using transforms::ComplexPair;
using transforms::ExponentialTerm;

bool free_of(const std::vector<Expr>& list, const Symbol& t) {
  return std::none_of(list.begin(), list.end(), [&](const Expr& e) { return depends_on(e, t); });
}

ComplexPair quotient(const ComplexPair& a, const ComplexPair& b) {
  if (b.im.is_integer(0)) return {factor(a.re / b.re), factor(a.im / b.re)};
  const Expr size = b.re * b.re + b.im * b.im;
  const ComplexPair top = a * ComplexPair{b.re, -b.im};
  return {factor(top.re / size), factor(top.im / size)};
}

bool is_zero(const ComplexPair& z) { return vanishes(z.re) && vanishes(z.im); }

// P(D)u = forcing: P(D)(v*exp(alpha*t)) = exp(alpha*t)*P(D + alpha)v, and 1/P(D + alpha) as a series in D.
std::optional<std::vector<ExponentialTerm>> undetermined(Context& c, const std::vector<Expr>& a,
                                                         const std::vector<ExponentialTerm>& forcing) {
  std::vector<ExponentialTerm> out;
  for (const ExponentialTerm& f : forcing) {
    const auto k = f.power.word();
    if (!k || *k < 0 || *k > 60) return std::nullopt;
    const auto degree = static_cast<std::size_t>(*k);
    const ComplexPair alpha{f.rate, f.frequency};
    // Taylor coefficients of P at alpha
    std::vector<ComplexPair> p(a.size());
    for (std::size_t i = 0; i < a.size(); ++i) {
      for (std::size_t j = 0; j <= i; ++j) {
        const ComplexPair z = power(alpha, i - j);
        const Expr b = binomial(Expr(i), Expr(j)) * a[i];
        p[j] = p[j] + ComplexPair{b * z.re, b * z.im};
      }
    }
    std::size_t m = 0;
    while (m < p.size() && is_zero(p[m])) ++m;
    if (m == p.size()) return std::nullopt;
    if (m > 0) c.step("resonance: a factor t for each time the forcing solves the equation without it");
    c.require_nonzero(p[m].im.is_integer(0)   ? factor(p[m].re)
                      : p[m].re.is_integer(0) ? factor(p[m].im)
                                              : factor(expand(p[m].re * p[m].re + p[m].im * p[m].im)));
    std::vector<ComplexPair> inverse{quotient({1, 0}, p[m])};
    for (std::size_t i = 1; i <= degree; ++i) {
      ComplexPair sum;
      for (std::size_t j = 1; j <= i; ++j) {
        if (m + j < p.size()) sum = sum + p[m + j] * inverse[i - j];
      }
      inverse.push_back(quotient({-sum.re, -sum.im}, p[m]));
    }
    for (std::size_t i = 0; i <= degree; ++i) {
      // D^i t^k, integrated m times
      const Expr number = f.coefficient * factorial(Expr(degree)) / factorial(Expr(degree - i + m));
      ExponentialTerm term{1, Expr(degree - i + m), f.rate, f.frequency, false};
      const ComplexPair& z = inverse[i];
      const auto put = [&](const Expr& factor, bool sine) {
        if (factor.is_integer(0)) return;
        term.coefficient = number * factor;
        term.sine = sine;
        out.push_back(term);
      };
      if (f.frequency.is_integer(0)) {
        put(z.re, false);
      } else if (f.sine) {  // the imaginary part of z*exp(i*w*t)
        put(z.re, true);
        put(z.im, false);
      } else {
        put(z.re, false);
        put(-z.im, true);
      }
    }
  }
  return gathered(std::move(out));
}

// t0 and c with a[k]/a[n] = c[k]/(t - t0)^(n - k).
struct Euler {
  Expr place;
  std::vector<Expr> c;
};
std::optional<Euler> euler_form(const std::vector<Expr>& a, const Symbol& t) {
  const std::size_t n = a.size() - 1;
  std::vector<Expr> places;
  std::vector<Expr> with_places{a[n]};
  for (std::size_t k = 0; k < n; ++k) with_places.push_back(combine_fractions(a[k] / a[n]));
  for (const Expr& e : with_places) {
    for_each_factor(factor(e), [&](const Expr& base, const Expr&) {
      const auto l = linear_in(base, t);
      if (l && !l->slope.is_integer(0)) places.push_back(factor(-l->constant / l->slope));
    });
  }
  for (const Expr& place : places) {
    std::vector<Expr> c;
    for (std::size_t k = 0; k <= n; ++k) c.push_back(combine_fractions(a[k] / a[n] * power(t - place, Expr(n - k))));
    if (free_of(c, t)) return Euler{place, c};
  }
  return std::nullopt;
}

// The polynomial in r that (t - t0)^r leads to, ascending.
std::vector<Expr> euler_polynomial(const std::vector<Expr>& c) {
  std::vector<Expr> out(c.size(), 0);
  std::vector<Expr> falling{1};  // r*(r - 1)*...
  for (std::size_t k = 0; k < c.size(); ++k) {
    for (std::size_t i = 0; i < falling.size(); ++i) out[i] += c[k] * falling[i];
    std::vector<Expr> next(falling.size() + 1, 0);
    for (std::size_t i = 0; i < falling.size(); ++i) {
      next[i + 1] += falling[i];
      next[i] -= Expr(k) * falling[i];
    }
    falling = std::move(next);
  }
  return out;
}

std::optional<Expr> by_variation(Context& c, const std::vector<Expr>& a, const std::vector<Expr>& basis,
                                 const Expr& forcing, const Symbol& t) {
  const auto n = static_cast<Eigen::Index>(basis.size());
  Matrix w(n, n);
  Vector right(n);
  for (Eigen::Index j = 0; j < n; ++j) {
    Expr f = basis[static_cast<std::size_t>(j)];
    for (Eigen::Index i = 0; i < n; ++i) {
      w(i, j) = f;
      f = derivative(f, t);
    }
    right(j) = 0;
  }
  right(n - 1) = forcing / a.back();
  Vector rates;
  try {
    rates = solve_linear(w, right, AnswerForm::written_out);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::domain) throw;
    return std::nullopt;
  }
  c.step("variation of parameters");
  std::vector<Expr> parts;
  for (Eigen::Index j = 0; j < n; ++j)
    parts.push_back(basis[static_cast<std::size_t>(j)] * c.integral(c.tidy(rates(j)), t));
  return boreon::add(parts);
}

// Zero-state response on the Laplace side, for t > 0.
std::optional<Expr> by_laplace(Context& c, const std::vector<Expr>& a, const Expr& forcing, const Symbol& t) {
  const Symbol s("_s");
  TransformOptions o;
  o.conditions = c.signs().conditions();
  const TransformResult g = laplace_transform(forcing, t, s, o);
  if (g.status != TransformStatus::exact || !unknown_calls({&g.value, 1}).empty()) return std::nullopt;
  std::vector<Expr> terms;
  for (std::size_t k = 0; k < a.size(); ++k) terms.push_back(a[k] * power(s, Expr(k)));
  const TransformResult y = inverse_laplace_transform(g.value / boreon::add(terms), s, t, o);
  if (y.status != TransformStatus::exact) return std::nullopt;
  c.step("the forcing on the Laplace side: a solution for t > 0 that is at rest at t = 0");
  return y.value;
}

// A polynomial of low degree that solves the equation with this forcing; coefficients are functions rational in t.
std::optional<Expr> polynomial_particular(const std::vector<Expr>& a, const Expr& forcing, const Symbol& t) {
  constexpr int highest = 5;
  std::vector<Expr> unknowns;
  Expr u = 0;
  for (int k = 0; k <= highest; ++k) {
    unknowns.push_back(Symbol("_u" + std::to_string(k)));
    u += unknowns.back() * power(t, k);
  }
  Expr left = -forcing;
  for (std::size_t i = 0; i < a.size(); ++i) left += a[i] * derivative(u, t, static_cast<unsigned>(i));
  const auto in_t = polynomial_in(quotient(left).numerator, t, 60);
  if (!in_t) return std::nullopt;
  std::vector<Expr> equations;
  for (const Expr& e : *in_t) {
    if (!vanishes(e)) equations.push_back(e);
  }
  try {
    std::vector<Expr> occurring;
    for (const Expr& v : unknowns) {
      if (std::any_of(equations.begin(), equations.end(), [&](const Expr& e) { return depends_on(e, v); }))
        occurring.push_back(v);
    }
    if (occurring.empty()) return std::nullopt;
    const SolutionSet s = solve(equations, occurring);
    if (s.status != SolveStatus::exact || s.solutions.size() != 1) return std::nullopt;
    u = substitute(u, s.solutions[0].values, Unused::allowed);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return std::nullopt;
  }
  Bindings rest;
  for (const Expr& v : unknowns) rest.set(v, 0);
  return substitute(u, rest, Unused::allowed);
}

std::optional<Expr> particular(Context& c, const std::vector<Expr>& a, const std::vector<Expr>& basis,
                               const Expr& forcing, const Symbol& t) {
  if (forcing.is_integer(0)) return Expr(0);
  if (free_of(a, t)) {
    if (const auto terms = transforms::exponential_terms(forcing, t)) {
      if (const auto u = undetermined(c, a, *terms)) {
        c.step("a particular solution by undetermined coefficients");
        return transforms::sum_of(*u, t);
      }
    }
    if (has_piece(forcing)) {
      if (auto u = by_laplace(c, a, forcing, t)) return u;
    }
  } else if (const auto e = euler_form(a, t)) {
    const Symbol x("_x");
    const Expr in_x = substitute(forcing / a.back() * power(t - e->place, Expr(a.size() - 1)), {{t, e->place + exp(x)}},
                                 Unused::allowed);
    if (const auto terms = transforms::exponential_terms(expand(in_x), x)) {
      if (const auto u = undetermined(c, euler_polynomial(e->c), *terms)) {
        c.step("a particular solution by undetermined coefficients");
        return back_from_logarithm(transforms::sum_of(*u, x), x, t - e->place);
      }
    }
  }
  if (auto u = polynomial_particular(a, forcing, t)) {
    c.step("a particular solution that is a polynomial");
    return u;
  }
  return by_variation(c, a, basis, forcing, t);
}

}  // namespace

std::optional<LinearOde> linear_form(const Expr& F, const std::vector<Symbol>& jets) {
  LinearOde out;
  Expr rest = F;
  for (const Symbol& y : jets) {
    const Expr a = combine_fractions(derivative(F, y));
    for (const Symbol& other : jets) {
      if (depends_on(a, other)) return std::nullopt;
    }
    out.a.push_back(a);
    rest = substitute(rest, {{y, 0}}, Unused::allowed);
  }
  out.forcing = -rest;
  while (out.a.size() > 1 && out.a.back().is_integer(0)) out.a.pop_back();
  return out;
}

std::optional<std::vector<Expr>> homogeneous_basis(Context& c, const std::vector<Expr>& given, const Symbol& t) {
  // a factor that all coefficients share does no harm to the solutions
  std::vector<Expr> a;
  for (const Expr& e : given) a.push_back(combine_fractions(e / given.back()));
  const std::size_t n = a.size() - 1;
  if (free_of(a, t)) {
    const auto modes = transforms::modes_of(a, c.signs());
    if (!modes) return std::nullopt;
    c.step("roots of the characteristic polynomial");
    return transforms::solutions_of(*modes, t);
  }
  if (n == 1) {
    const auto A = c.closed_integral(-a[0], t);
    c.step("an equation of first order without forcing: the exponential of an integral");
    if (A) return std::vector<Expr>{c.exponential_of(*A)};
    return std::vector<Expr>{exp(c.integral(-a[0], t))};
  }
  if (const auto e = euler_form(a, t)) {
    const Symbol x("_x");
    if (const auto modes = transforms::modes_of(euler_polynomial(e->c), c.signs())) {
      c.step("Euler's equation: powers of t, from a polynomial for the exponent");
      std::vector<Expr> out;
      for (const Expr& b : transforms::solutions_of(*modes, x)) out.push_back(back_from_logarithm(b, x, t - e->place));
      return out;
    }
  }
  if (a[0].is_integer(0)) {
    const auto lower = homogeneous_basis(c, {a.begin() + 1, a.end()}, t);
    if (!lower) return std::nullopt;
    c.step("y itself does not occur: an equation for y', integrated");
    std::vector<Expr> out{1};
    for (const Expr& b : *lower) out.push_back(c.integral(b, t));
    return out;
  }
  if (n == 2) return second_order_basis(c, a[1], a[0], t);
  return std::nullopt;
}

std::optional<Expr> solve_linear_ode(Context& c, const LinearOde& ode, const Symbol& t) {
  if (ode.a.size() < 2) return std::nullopt;
  const std::size_t before = c.constants().size();
  const auto basis = homogeneous_basis(c, ode.a, t);
  if (!basis || basis->size() != ode.a.size() - 1) return std::nullopt;
  const auto special = particular(c, ode.a, *basis, ode.forcing, t);
  if (!special) return std::nullopt;
  c.forget(before);
  std::vector<Expr> parts;
  for (const Expr& b : *basis) parts.push_back(c.constant() * c.tidy(b));
  parts.push_back(c.tidy(*special));
  return boreon::add(parts);
}

Expr back_from_logarithm(const Expr& e, const Symbol& x, const Expr& base) {
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (is_call_of(n, "exp")) {
      if (const auto l = linear_in(n.operands()[0], x)) {
        result = exp(l->constant) * power(base, l->slope);
        return true;
      }
    }
    if (!(n == x)) return false;
    result = log(base);
    return true;
  });
  return pass(e);
}

}  // namespace boreon::odes
