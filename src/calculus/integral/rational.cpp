// SPDX-License-Identifier: MIT
// Rational functions, completely: Hermite reduction (C. Hermite 1872; Bronstein, Symbolic Integration I, 2.2), then the
// logarithmic part factor by factor: residues by the resultant of Rothstein (1976) and Trager (1976), complex pairs of
// residues as arctangents without jumps (Rioboo 1991; Bronstein 2.8).
#include <fmt/format.h>

#include <algorithm>

#include "algebra/kernel_ring.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/univariate.hpp"

namespace boreon {
namespace {

using poly::Poly;
namespace uv = univariate;

class RationalIntegrator {
 public:
  RationalIntegrator(Integrator& in, const Expr& f, const Symbol& x)
      : in_(in),
        x_(x),
        t_(in.fresh()),
        ring_(std::vector<Expr>{f, x, t_}),
        v_(*ring_.index_of(x)),
        tv_(*ring_.index_of(t_)) {
    for (const Expr& k : ring_.kernels()) {
      if (!(k == x) && depends_on(k, x)) applicable_ = false;
    }
    if (applicable_) f_ = ring_.fraction_of(f);
  }

  std::optional<Expr> operator()() {
    if (!applicable_) return std::nullopt;
    const poly::Factors factors = poly::factor(f_.denominator);
    Poly outside = poly::constant(ring_.vars(), factors.unit);
    Poly d = poly::constant(ring_.vars(), 1);
    std::vector<poly::Factor> parts;
    for (const poly::Factor& p : factors.list) {
      const Poly power = poly::power(p.base, p.multiplicity);
      if (p.base.degree(v_) == 0) {
        outside = poly::multiply(outside, power);
      } else {
        parts.push_back(p);
        d = poly::multiply(d, power);
      }
    }
    outside_ = divide(one(), fraction(outside));
    const uv::Division whole = uv::divide(uv::from(f_.numerator, v_), uv::from(d, v_));
    for (std::size_t k = 0; k < whole.quotient.size(); ++k) {
      add(multiply(whole.quotient[k], fraction(Number(1, static_cast<std::int64_t>(k) + 1), ring_.vars())),
          power(x_, Expr(k + 1)));
    }
    for (const poly::Factor& p : parts) {
      const Univariate base = uv::from(p.base, v_);
      const Univariate full = uv::from(poly::power(p.base, p.multiplicity), v_);
      const Univariate cofactor = uv::from(*poly::divide_exactly(d, poly::power(p.base, p.multiplicity)), v_);
      Univariate g;
      Univariate a = uv::divide(uv::multiply(whole.remainder, uv::inverse_modulo(cofactor, full, g)), full).remainder;
      reduce(a, base, p.base, p.multiplicity);
      if (!logarithms(a, base, p.base)) return std::nullopt;
    }
    return boreon::add(terms_);
  }

 private:
  [[nodiscard]] Fraction one() const { return fraction(Number(1), ring_.vars()); }
  void add(const Fraction& coefficient, const Expr& term) {
    if (!coefficient.is_zero()) terms_.push_back(ring_.factored(multiply(coefficient, outside_)) * term);
  }
  [[nodiscard]] Expr expression(const Univariate& p) const {
    std::vector<Expr> list;
    for (std::size_t i = 0; i < p.size(); ++i) list.push_back(ring_.expression(p[i]) * power(x_, Expr(i)));
    return boreon::add(list);
  }

  // a/base^m becomes a rational part and a/base: by b*base' + c*base = a the power goes down by one.
  void reduce(Univariate& a, const Univariate& base, const Poly& base_poly, unsigned m) {
    if (m == 1) return;
    const Univariate slope = uv::derivative(base);
    Univariate g;
    const Univariate inverse = uv::inverse_modulo(slope, base, g);
    const Expr shown = ring_.expression(base_poly);
    for (unsigned k = m; k > 1; --k) {
      const Univariate b = uv::divide(uv::multiply(a, inverse), base).remainder;
      const Univariate c = uv::divide(uv::subtract(a, uv::multiply(b, slope)), base).quotient;
      const Fraction scale = fraction(Number(1, static_cast<std::int64_t>(k) - 1), ring_.vars());
      Fraction factor;
      const Poly numerator = uv::to_poly(b, v_, ring_.vars(), factor);
      if (!numerator.is_zero())
        add(negate(multiply(scale, factor)), ring_.factored(fraction(numerator)) / power(shown, Expr(k - 1)));
      a = uv::add(c, uv::scale(uv::derivative(b), scale));
    }
    // what is left may hold a polynomial part
    const uv::Division d = uv::divide(a, base);
    for (std::size_t k = 0; k < d.quotient.size(); ++k)
      add(multiply(d.quotient[k], fraction(Number(1, static_cast<std::int64_t>(k) + 1), ring_.vars())),
          power(x_, Expr(k + 1)));
    a = d.remainder;
  }

  bool logarithms(const Univariate& a, const Univariate& base, const Poly& base_poly) {
    if (a.empty()) return true;
    const Expr p = ring_.expression(base_poly);
    if (uv::degree(base) == 1) {
      add(divide(a[0], base[1]), in_.real_log(p));
      return true;
    }
    if (uv::degree(base) == 2) {
      quadratic(a, base, p);
      return true;
    }
    // residues: roots t of the resultant of base and a - t*base'
    Fraction scale;
    const Poly numerator = uv::to_poly(a, v_, ring_.vars(), scale);
    const Poly slope = poly::derivative(base_poly, v_);
    const Poly r = poly::resultant(
        base_poly, poly::subtract(numerator, poly::multiply(poly::variable(ring_.vars(), tv_), slope)), v_);
    for (const poly::Factor& q : poly::factor(r).list) {
      const auto degree = q.base.degree(tv_);
      if (degree == 0) continue;
      if (degree == 1) {
        const auto c = poly::coefficients_in(q.base, tv_);
        const Fraction t = divide(negate(fraction(c[0])), fraction(c[1]));
        add(multiply(t, scale), in_.real_log(p));
        return true;
      }
      if (degree == 2 && residues_of_degree_two(q.base, uv::from(numerator, v_), base, scale)) return true;
    }
    return by_roots(a, base);
  }

  // (u*x + v)/(a*x^2 + b*x + c)
  void quadratic(const Univariate& n, const Univariate& base, const Expr& p) {
    const Fraction two = fraction(Number(2), ring_.vars());
    const Fraction zero = fraction(Number(0), ring_.vars());
    const Fraction u = n.size() > 1 ? n[1] : zero;
    const Fraction half = divide(u, multiply(two, base[2]));
    const Fraction rest = subtract(n[0], multiply(half, base[1]));
    const Fraction discriminant =
        subtract(multiply(fraction(Number(4), ring_.vars()), multiply(base[2], base[0])), multiply(base[1], base[1]));
    const Expr delta = ring_.factored(discriminant);
    const int sign = !rest.is_zero() || !u.is_zero() ? in_.signs().of(delta) : 1;
    if (!u.is_zero()) {
      Expr logarithm = in_.real_log(p);
      if (sign > 0) {  // p keeps the sign of its leading coefficient
        const auto s = in_.signs().known(ring_.expression(base[2]));
        if (s) logarithm = log(*s > 0 ? p : -p);
      }
      add(half, logarithm);
    }
    if (rest.is_zero()) return;
    const Expr y = derivative_of(p);
    if (sign == 0) {
      add(rest, -2 / y);
    } else if (sign > 0) {
      const Expr root = root_of(delta);
      add(rest, 2 / root * atan(divided(y, root)));
    } else {
      const Expr root = root_of(-delta);
      add(rest, 1 / root * in_.real_log((y - root) / (y + root)));
    }
  }

  [[nodiscard]] Expr derivative_of(const Expr& p) const {
    const auto c = coefficients(p, x_);
    return 2 * c[2] * x_ + c[1];
  }
  // y/root with common factors taken out
  static Expr divided(const Expr& y, const Expr& root) {
    try {
      return combine_fractions(y / root);
    } catch (const Error&) {
      return y / root;
    }
  }

  // A square root in a formula that is even in it: squares leave it without an absolute value.
  [[nodiscard]] static Expr root_of(const Expr& delta) {
    const Expr f = delta.is(Kind::product) || delta.is(Kind::power) ? delta : factor(delta);
    Expr outside = 1;
    Expr inside = 1;
    const auto take = [&](const Expr& base, const Expr& exponent) {
      const auto n = exponent.word();
      if (n && *n % 2 == 0) {
        outside *= power(base, *n / 2);
      } else {
        inside *= power(base, exponent);
      }
    };
    if (f.is(Kind::product)) {
      inside = f.operands()[0];
      for (const auto [base, exponent] : Parts(f)) take(base, exponent);
    } else if (f.is(Kind::power)) {
      take(f.operands()[0], f.operands()[1]);
    } else {
      inside = f;
    }
    return outside * sqrt(inside);
  }

  // --- residues alpha +- beta*sqrt(m): gcd(base, a - t*base') over that field
  // -----------------------------------------

  struct Pair {  // u + v*sqrt(m)
    Fraction u;
    Fraction v;
  };
  bool residues_of_degree_two(const Poly& q, const Univariate& a, const Univariate& base, const Fraction& scale) {
    const auto c = poly::coefficients_in(q, tv_);
    const Fraction two_c2 = fraction(poly::scale(c[2], 2));
    const Fraction alpha = divide(negate(fraction(c[1])), two_c2);
    const Fraction m = subtract(multiply(fraction(c[1]), fraction(c[1])),
                                multiply(fraction(Number(4), ring_.vars()), multiply(fraction(c[2]), fraction(c[0]))));
    const Fraction beta = divide(one(), two_c2);  // t = alpha +- beta*sqrt(m)
    using Poly2 = std::vector<Pair>;
    const auto zero = [](const Pair& z) { return z.u.is_zero() && z.v.is_zero(); };
    const auto times = [&](const Pair& y, const Pair& z) {
      return Pair{boreon::add(multiply(y.u, z.u), multiply(m, multiply(y.v, z.v))),
                  boreon::add(multiply(y.u, z.v), multiply(y.v, z.u))};
    };
    const auto inverse = [&](const Pair& z) {
      const Fraction norm = subtract(multiply(z.u, z.u), multiply(m, multiply(z.v, z.v)));
      return Pair{divide(z.u, norm), negate(divide(z.v, norm))};
    };
    const auto trim = [&](Poly2& p) {
      while (!p.empty() && zero(p.back())) p.pop_back();
    };
    const Fraction none = fraction(Number(0), ring_.vars());
    Poly2 r0;
    for (const Fraction& k : base) r0.push_back({k, none});
    Poly2 r1;
    const Univariate slope = uv::derivative(base);
    for (std::size_t i = 0; i < std::max(a.size(), slope.size()); ++i) {
      const Fraction ai = i < a.size() ? a[i] : none;
      const Fraction si = i < slope.size() ? slope[i] : none;
      r1.push_back({subtract(ai, multiply(alpha, si)), negate(multiply(beta, si))});
    }
    trim(r1);
    while (!r1.empty()) {
      const Pair lead = inverse(r1.back());
      while (r0.size() >= r1.size()) {
        const Pair k = times(r0.back(), lead);
        const std::size_t shift = r0.size() - r1.size();
        for (std::size_t i = 0; i < r1.size(); ++i) {
          const Pair s = times(k, r1[i]);
          r0[i + shift] = {subtract(r0[i + shift].u, s.u), subtract(r0[i + shift].v, s.v)};
        }
        r0.pop_back();
        trim(r0);
      }
      std::swap(r0, r1);
    }
    const Pair lead = inverse(r0.back());
    Univariate re;
    Univariate im;
    for (const Pair& k : r0) {
      const Pair s = times(k, lead);
      re.push_back(s.u);
      im.push_back(s.v);
    }
    uv::trim(re);
    uv::trim(im);
    const Expr me = ring_.factored(m);
    const int sign = in_.signs().of(me);
    if (sign == 0) return false;
    const Expr root = sqrt(sign > 0 ? me : -me);
    const Expr u = expression(re);
    const Expr v = expression(im) * root;
    const Fraction twice = multiply(scale, alpha);
    if (sign > 0) {
      add(twice, in_.real_log(u + v) + in_.real_log(u - v));
      add(multiply(scale, beta), root * (in_.real_log(u + v) - in_.real_log(u - v)));
    } else {
      // conjugate residues: alpha*log(u^2 + v^2) + beta*sqrt(-m) * (continuous arctangents of u/v)
      add(twice, log(expand(u * u + v * v)));
      add(multiply(scale, beta), root * arctangents(re, im, root));
    }
    return true;
  }

  // The sum of arctangents whose derivative is that of 1i*log((A + 1i*B)/(A - 1i*B)), B = root*im, without jumps: by
  // Euclid on A and B (Rioboo).
  [[nodiscard]] Expr arctangents(Univariate a, Univariate b, const Expr& root) const {
    Expr sum = 0;
    // the root is carried as a factor of b: a/(root*b)
    Expr factor = root;
    for (int guard = 0; guard < 100; ++guard) {
      if (b.empty()) return sum;
      const uv::Division d = uv::divide(a, b);
      if (d.remainder.empty()) return sum + 2 * atan(divided(expression(d.quotient), factor));
      if (a.size() < b.size()) {  // atan(a/b) = -atan(b/a) up to a constant
        std::swap(a, b);
        for (Fraction& k : a) k = negate(k);
        factor = 1 / factor;
        continue;
      }
      // d*a... : s*b - t*a = g, atan((a*s + b*t)/g) + the same for (s, t)
      Univariate g;
      // with weights: A = a, B = factor*b; find (D, C) with B*D - A*C = G
      const Univariate da = uv::inverse_modulo(b, a, g);  // b*da = g modulo a
      const Univariate ca = uv::divide(uv::subtract(uv::multiply(b, da), g), a).quotient;
      // choose D = da/factor so that B*D = b*da; C = ca
      const Expr top = expression(uv::multiply(a, da)) / factor + factor * expression(uv::multiply(b, ca));
      sum += 2 * atan(divided(expand(top), expression(g)));
      a = da;
      b = ca;
    }
    return sum;
  }

  // A sum over the roots of base, where they are known.
  bool by_roots(const Univariate& a, const Univariate& base) {
    std::vector<Expr> c;
    for (const Fraction& k : base) c.push_back(ring_.expression(k));
    const auto roots = closed_roots(c, in_.signs());
    if (!roots) return by_numbered_roots(a, base, c);
    Univariate g;
    const Univariate residue =
        uv::divide(uv::multiply(a, uv::inverse_modulo(uv::derivative(base), base, g)), base).remainder;
    const auto shown = [&](const Expr& e) { return tidied(e, in_.signs()); };
    const Expr scale = ring_.factored(outside_);
    for (const Expr& r : roots->real) {
      Expr value = 0;
      for (std::size_t i = residue.size(); i-- > 0;) value = value * r + ring_.expression(residue[i]);
      terms_.push_back(scale * shown(value) * in_.real_log(x_ - r));
    }
    for (const auto& [p, q] : roots->pairs) {
      Expr u = 0;
      Expr v = 0;
      for (std::size_t i = residue.size(); i-- > 0;) {
        const Expr next = expand(u * p - v * q + ring_.expression(residue[i]));
        v = expand(u * q + v * p);
        u = next;
      }
      const Expr norm = shown(expand(p * p + q * q));
      terms_.push_back(scale * shown(u) * log(power(x_, 2) - shown(2 * p) * x_ + norm));
      terms_.push_back(scale * shown(-2 * v) * atan((x_ - p) / q));
    }
    return true;
  }

  // The residue at each root z is a(z)/base'(z); conjugate terms add up to real values.
  bool by_numbered_roots(const Univariate& a, const Univariate& base, const std::vector<Expr>& c) {
    const auto roots = numbered_roots(c);
    if (!roots) return false;
    const Expr scale = ring_.factored(outside_);
    const Expr residue = expression(a) / expression(uv::derivative(base));
    for (const Expr& z : roots->real)
      terms_.push_back(scale * substitute(residue, {{x_, z}}, Unused::allowed) * in_.real_log(x_ - z));
    for (const Expr& z : roots->complex)
      terms_.push_back(scale * substitute(residue, {{x_, z}}, Unused::allowed) * log(x_ - z));
    return true;
  }

  Integrator& in_;
  Symbol x_;
  Symbol t_;
  KernelRing ring_;
  unsigned v_;
  unsigned tv_;
  Fraction f_;
  Fraction outside_;
  bool applicable_ = true;
  std::vector<Expr> terms_;
};

}  // namespace

bool is_rational_in(const Expr& e, const Symbol& x) {
  bool rational = true;
  postorder(
      std::span<const Expr>(&e, 1),
      [&](const Expr& n) {
        if (!depends_on(n, x)) return;
        switch (n.kind()) {
          case Kind::symbol:
          case Kind::sum: return;
          case Kind::product:
            for (const auto [base, exponent] : Parts(n))
              rational = rational && (!depends_on(base, x) || exponent.word());
            for (const auto [base, exponent] : Parts(n)) rational = rational && !depends_on(exponent, x);
            return;
          case Kind::power: rational = rational && n.operands()[1].word(); return;
          default: rational = false;
        }
      },
      [&](const Expr& n) { return rational && depends_on(n, x); });
  return rational;
}

layers::Result layers::rational(Integrator& in, const Expr& f, const Symbol& x) {
  if (!is_rational_in(f, x)) return std::nullopt;
  auto result = RationalIntegrator(in, f, x)();
  if (result)
    in.note(fmt::format(
        "rational function of {}: Hermite reduction, then logarithms and arctangents of the factors of the denominator",
        x.name()));
  return result;
}

}  // namespace boreon
