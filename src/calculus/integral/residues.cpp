// SPDX-License-Identifier: MIT
#include <algorithm>

#include "algebra/kernel_ring.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "calculus/integral/families.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {
namespace {

struct Pole {
  Expr re;
  Expr im;
  unsigned order;
};

// Poles in the upper half plane; nothing if there are real ones or the roots are not known.
std::optional<std::vector<Pole>> upper_poles(const Expr& rational, const Symbol& x, Signs& signs, int& excess) {
  const KernelRing ring(std::vector<Expr>{rational, x});
  const Fraction f = ring.fraction_of(rational);
  const unsigned v = *ring.index_of(x);
  excess = static_cast<int>(f.denominator.degree(v)) - static_cast<int>(f.numerator.degree(v));
  std::vector<Pole> out;
  for (const poly::Factor& p : poly::factor(f.denominator).list) {
    if (p.base.degree(v) == 0) continue;
    std::vector<Expr> c;
    for (const auto& k : poly::coefficients_in(p.base, v)) c.push_back(ring.expression(k));
    ClosedRoots roots;
    if (c.size() == 3 && c[1].is_integer(0) && signs.of(c[0] * c[2]) > 0) {
      roots.pairs.push_back({0, tidied(sqrt(c[0] / c[2]), signs)});
    } else {
      auto found = closed_roots(c, signs);
      if (!found) return std::nullopt;
      roots = std::move(*found);
    }
    // simple poles on the axis count half: the integrand itself is regular there or the value will not be confirmed
    if (!roots.real.empty() && p.multiplicity > 1) return std::nullopt;
    for (const Expr& r : roots.real) out.push_back({r, 0, 1});
    for (const auto& [re, im] : roots.pairs) {
      const int s = signs.of(im);
      if (s == 0) return std::nullopt;
      out.push_back({tidied(re, signs), tidied(s * im, signs), p.multiplicity});
    }
  }
  return out;
}

// 2*pi*i times the sum of the residues of R(z)*exp(i*k*z), k >= 0
std::optional<ComplexParts> contour(const Expr& rational, const Expr& k, const std::vector<Pole>& poles,
                                    const Symbol& x) {
  Expr re = 0;
  Expr im = 0;
  const Symbol h("_h");
  for (const Pole& p : poles) {
    if (p.order > 6) return std::nullopt;
    const Expr z = p.re + imaginary_unit() * p.im;
    // regular part: (x - z)^m*R, with the factor cancelled over the field with the pole adjoined
    const Quotient q = quotient(rational);
    const auto d = polynomial_in(q.denominator, x);
    if (!d) return std::nullopt;
    // synthetic division by (x - z), `order` times; exact, so the remainder vanishes
    std::vector<Expr> c = *d;
    for (unsigned i = 0; i < p.order; ++i) {
      std::vector<Expr> quotient_coefficients(c.size() - 1);
      Expr carry = 0;
      for (std::size_t j = c.size(); j-- > 1;) {
        carry = expand(carry * z + c[j]);
        quotient_coefficients[j - 1] = carry;
      }
      c = quotient_coefficients;
    }
    Expr cofactor = 0;
    for (std::size_t j = 0; j < c.size(); ++j) cofactor += c[j] * power(x, Expr(j));
    Expr g = q.numerator / cofactor;
    Number factorial(1);
    // derivative of g*exp(i*k*x), the exponential taken out
    for (unsigned i = 1; i < p.order; ++i) {
      g = derivative(g, x) + imaginary_unit() * k * g;
      factorial = factorial * Number(static_cast<std::int64_t>(i));
    }
    const Expr value = combine_fractions(substitute(g, {{x, z}}, Unused::allowed));
    const Quotient v = quotient(value);
    const ComplexParts n = complex_parts(expand(v.numerator));
    const ComplexParts m = complex_parts(expand(v.denominator));
    const Expr norm = m.re * m.re + m.im * m.im;
    const Expr a = expand(n.re * m.re + n.im * m.im) / norm / Expr(factorial);
    const Expr b = expand(n.im * m.re - n.re * m.im) / norm / Expr(factorial);
    const Expr size = p.im.is_integer(0) ? Expr(1) / 2 : exp(-k * p.im);
    const Expr c0 = cos(k * p.re);
    const Expr s0 = sin(k * p.re);
    re += size * (a * c0 - b * s0);
    im += size * (a * s0 + b * c0);
  }
  return ComplexParts{-2 * pi() * im, 2 * pi() * re};
}

}  // namespace

std::optional<DefiniteValue> by_residues(const DefiniteProblem& p, Signs& signs) {
  const Symbol& x = p.x;
  const bool line = p.from == -infinity() && p.to.is_constant(ConstantCode::infinity);
  const bool half = p.from.is_integer(0) && p.to.is_constant(ConstantCode::infinity);
  if (!line && !half) return std::nullopt;
  if (half && !(substitute(p.integrand, {{x, -x}}, Unused::allowed) == p.integrand)) return std::nullopt;
  // one sine or cosine of a linear argument, at most
  Expr angle;
  bool sine = false;
  int count = 0;
  Expr rational = p.integrand;
  const auto look = [&](const Expr& base, const Expr& exponent) {
    if ((is_call_of(base, "sin") || is_call_of(base, "cos")) && depends_on(base, x)) {
      ++count;
      angle = base.operands()[0];
      sine = is_call_of(base, "sin");
      if (exponent.is_integer(1)) rational = p.integrand / base;
    }
  };
  if (p.integrand.is(Kind::product)) {
    for (const auto [base, exponent] : Parts(p.integrand)) look(base, exponent);
  }
  if (count > 1 || !is_rational_in(rational, x) || !depends_on(rational, x)) return std::nullopt;
  int excess = 0;
  const auto poles = upper_poles(rational, x, signs, excess);
  if (!poles || poles->empty()) return std::nullopt;
  Expr value;
  if (count == 0) {
    if (excess < 2) return std::nullopt;
    const auto c = contour(rational, 0, *poles, x);
    if (!c) return std::nullopt;
    value = c->re;
  } else {
    const auto l = linear_in(angle, x);
    if (!l || excess < 1) return std::nullopt;
    const int s = signs.of(l->slope);
    if (s == 0) return std::nullopt;
    // sin(k*x + c) by s: for negative k reflect the angle
    const Expr k = s * l->slope;
    const Expr c0 = s * l->constant;
    const auto c = contour(rational, k, *poles, x);
    if (!c) return std::nullopt;
    if (sine) {
      value = s * (c->im * cos(c0) + c->re * sin(c0));
    } else {
      value = c->re * cos(c0) - c->im * sin(c0);
    }
  }
  return DefiniteValue{half ? value / 2 : value, "residues in the upper half plane"};
}

}  // namespace boreon
