// SPDX-License-Identifier: MIT
// Families over the half line and the line. Formula numbers: NIST Digital Library unless another handbook is named (GR:
// Gradshteyn and Ryzhik, 8th edition).
#include "calculus/integral/families.hpp"

#include <algorithm>
#include <functional>

#include "algebra/linear_terms.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/factors.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"

namespace boreon::families {
namespace {

// --- (0, infinity) ---------------------------------------------------------------------------------------------------

struct ExponentialTerm {
  Expr constant;
  Expr power;
  Expr z;
};

// Whether the sum of c*x^s*exp(-z*x) is integrable at 0, by its first power there that does not cancel; the powers may
// differ by whole numbers. Nothing if that cannot be found.
std::optional<bool> integrable_at_zero(const std::vector<ExponentialTerm>& terms, Signs& signs) {
  constexpr std::int64_t most = 12;
  const Expr& s = terms[0].power;
  std::vector<std::int64_t> shifts;
  for (const ExponentialTerm& t : terms) {
    const auto shift = expand(t.power - s).word();
    if (!shift || *shift > most || *shift < -most) return std::nullopt;
    shifts.push_back(*shift);
  }
  for (std::int64_t k = *std::min_element(shifts.begin(), shifts.end()); k <= most; ++k) {
    std::vector<Expr> coefficient;
    for (std::size_t i = 0; i < terms.size(); ++i) {
      if (k < shifts[i]) continue;
      coefficient.push_back(terms[i].constant * power(-terms[i].z, k - shifts[i]) / gamma(Expr(k - shifts[i] + 1)));
    }
    if (!vanishes(add(coefficient))) return signs.of(expand(s + k + 1)) > 0;
  }
  return std::nullopt;
}

// Sums of c*x^s*exp(-z*x) with complex z, sines and hyperbolic functions among them: 5.2.1, 5.9.1 continued in s
Result exponential_sum(const Expr& f, const Symbol& x, Signs& signs) {
  const Expr e = expand(transforms::circular_to_exponentials(transforms::hyperbolic_to_exponentials(f)));
  const std::vector<Expr> terms = terms_of(e);
  if (terms.size() > 40) return std::nullopt;
  std::vector<ExponentialTerm> parts;
  for (const Expr& t : terms) {
    const Factors p = factors_of(t, x);
    if (!p.only({"exp"}) || p.others.size() > 1) return std::nullopt;
    Expr z = 0;
    if (!p.others.empty()) {
      if (!p.others[0].second.is_integer(1)) return std::nullopt;
      const auto l = linear_in(p.others[0].first.operands()[0], x);
      if (!l) return std::nullopt;
      z = -l->slope;
      if (!l->constant.is_integer(0)) return std::nullopt;
    }
    parts.push_back({p.constant, p.power, z});
  }
  const auto regular = integrable_at_zero(parts, signs);
  if (!regular || !*regular) return std::nullopt;
  Expr value = 0;
  Expr pole = 0;  // of the analytic continuation: must cancel
  for (const ExponentialTerm& p : parts) {
    const ComplexParts zc = complex_parts(p.z);
    const ComplexParts c = complex_parts(p.constant);
    const int a = signs.of(zc.re);
    if (a < 0) return std::nullopt;
    Expr theta;
    if (a == 0) {
      const int b = signs.of(zc.im);
      if (b == 0) {  // a pure power is scaleless: 0 in the continuation, if it falls fast enough
        if (terms.size() == 1 || signs.of(p.power + 1) >= 0) return std::nullopt;
        continue;
      }
      if (signs.of(p.power) >= 0) return std::nullopt;  // oscillates without end
      theta = b * pi() / 2;
    } else {
      theta = zc.im.is_integer(0) ? Expr(0) : atan(zc.im / zc.re);
    }
    const Expr square = expand(zc.re * zc.re + zc.im * zc.im);
    const Expr s1 = p.power + 1;
    const auto k = s1.word();
    if (k && *k <= 0) {
      // c*(-1)^m/m!*z^m*(1/eps + psi(m + 1) - log z), m = -k
      const std::int64_t m = -*k;
      Number front(m % 2 == 0 ? 1 : -1);
      for (std::int64_t i = 2; i <= m; ++i) front = front / Number(i);
      const ComplexParts zm = complex_parts(expand(power(zc.re + imaginary_unit() * zc.im, m)));
      const Expr cr = expand(c.re * zm.re - c.im * zm.im) * Expr(front);
      const Expr ci = expand(c.re * zm.im + c.im * zm.re) * Expr(front);
      pole += cr;
      value += cr * (digamma(m + 1) - log(square) / 2) + ci * theta;
      continue;
    }
    const Expr size = gamma(s1) * power(square, -s1 / 2);
    value += size * (c.re * cos(s1 * theta) + c.im * sin(s1 * theta));
  }
  if (!vanishes(pole)) return std::nullopt;
  return value;
}

// x^s*exp(-c*x^p): 5.9.1
Result stretched_exponential(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 1 || !f.only({"exp"}) || !f.others[0].second.is_integer(1)) return std::nullopt;
  const Factors u = factors_of(f.others[0].first.operands()[0], x);
  if (!u.others.empty() || u.power.is_integer(0)) return std::nullopt;
  const Expr c = -u.constant;
  if (!positive(signs, c)) return std::nullopt;
  const int sp = signs.of(u.power);
  if (sp == 0) return std::nullopt;
  const Expr a = (f.power + 1) / u.power;
  if (!positive(signs, a)) return std::nullopt;
  return sp * f.constant * gamma(a) * power(c, -a) / u.power;
}

// exp(-a*x^2 - b/x^2): GR 3.325
Result gaussian_with_inverse(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 1 || !f.only({"exp"}) || !f.power.is_integer(0)) return std::nullopt;
  const Symbol t("_t", {Assumption::positive});
  const auto q = polynomial_in(
      expand(substitute(f.others[0].first.operands()[0] * power(x, 2), {{x, sqrt(t)}}, Unused::allowed)), t, 2);
  if (!q || q->size() != 3) return std::nullopt;
  const Expr a = -(*q)[2];
  const Expr b = -(*q)[0];
  if (!positive(signs, a) || !positive(signs, b)) return std::nullopt;
  return f.constant * exp((*q)[1]) * sqrt(pi() / a) / 2 * exp(-2 * sqrt(a * b));
}

// x^s/(exp(c*x) - w), also times exp(c*x) over its square: 25.12.11, 25.5.1
Result bose_and_fermi(const Factors& f, const Symbol& x, Signs& signs) {
  for (const auto& [base, exponent] : f.others) {
    if (!base.is(Kind::sum)) continue;
    Expr kernel;
    int count = 0;
    postorder(base, [&](const Expr& n) {
      if (is_call_of(n, "exp") && depends_on(n, x)) {
        kernel = n;
        ++count;
      }
    });
    if (count != 1) return std::nullopt;
    const Symbol t("_t");
    Rebuild pass([&](const Expr& n, Expr& r) {
      if (!(n == kernel)) return false;
      r = t;
      return true;
    });
    const auto l = linear_in(pass(base), t);
    const auto u = linear_in(kernel.operands()[0], x);
    if (!l || !u || depends_on(l->constant, x) || depends_on(l->slope, x)) return std::nullopt;
    const Expr scale = l->slope * exp(u->constant);
    const Expr w = -l->constant / scale;
    const Expr c = u->slope;
    if (!positive(signs, c)) return std::nullopt;
    const Expr s = f.power;
    const auto li = [&](const Expr& order) {
      return w.is_integer(1)    ? zeta(order)
             : w.is_integer(-1) ? (power(2, 1 - order) - 1) * zeta(order)
                                : polylog(order, w);
    };
    if (exponent.is_integer(-1) && f.others.size() == 1) {
      if (!positive(signs, s + 1) || (w.is_integer(1) && !positive(signs, s))) return std::nullopt;
      if (w.is_integer(-1) && s.is_integer(0)) return f.constant / scale * log(Expr(2)) / c;
      return f.constant / scale * gamma(s + 1) * li(s + 1) / (w * power(c, s + 1));
    }
    if (exponent.is_integer(-2) && f.others.size() == 2) {
      const auto* e = f.find("exp");
      if (e == nullptr || !e->second.is_integer(1) || !(e->first == kernel) || !positive(signs, s)) return std::nullopt;
      // by parts: exp(c*x)/(exp(c*x) - w)^2 = -d/dx (1/(exp(c*x) - w))/c
      return f.constant / (l->slope * scale) * exp(u->constant) * s / c * gamma(s) *
             (w.is_integer(-1) && s.is_integer(1) ? -log(Expr(2)) : li(s)) / (w * power(c, s));
    }
  }
  return std::nullopt;
}

// x^s over a hyperbolic sine, its square, or the square of a cosine: GR 3.523, 3.527
Result hyperbolic_denominator(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 1) return std::nullopt;
  const auto& [base, exponent] = f.others[0];
  if (!is_call_of(base, "sinh") && !is_call_of(base, "cosh")) return std::nullopt;
  const auto l = linear_in(base.operands()[0], x);
  if (!l || !l->constant.is_integer(0) || !positive(signs, l->slope)) return std::nullopt;
  const Expr& a = l->slope;
  const Expr s = f.power;
  if (is_call_of(base, "sinh") && exponent.is_integer(-1) && positive(signs, s))
    return f.constant * 2 * (1 - power(2, -s - 1)) * gamma(s + 1) * zeta(s + 1) / power(a, s + 1);
  if (is_call_of(base, "sinh") && exponent.is_integer(-2) && positive(signs, s - 1))
    return f.constant * 4 * gamma(s + 1) * zeta(s) / power(2 * a, s + 1);
  if (is_call_of(base, "cosh") && exponent.is_integer(-2) && positive(signs, s)) {
    if (s.is_integer(1)) return f.constant * log(Expr(2)) / (a * a);
    return f.constant * 4 * (1 - power(2, 1 - s)) * gamma(s + 1) * zeta(s) / power(2 * a, s + 1);
  }
  return std::nullopt;
}

// x^s/(a + b*x^p)^q: 5.12.3 after t = b*x^p/a
Result beta_on_half_line(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 1) return std::nullopt;
  const auto b = binomial_of(f.others[0].first, x);
  if (!b) return std::nullopt;
  const Expr q = -f.others[0].second;
  if (depends_on(q, x) || !positive(signs, b->a) || !positive(signs, b->b) || !positive(signs, b->p))
    return std::nullopt;
  const Expr m = (f.power + 1) / b->p;
  if (!positive(signs, m) || !positive(signs, q - m)) return std::nullopt;
  if (q.is_integer(1)) return f.constant / b->a * power(b->a / b->b, m) / b->p * pi() / sin(pi() * m);  // 5.5.3
  return f.constant * power(b->a, -q) * power(b->a / b->b, m) / b->p * gamma(m) * gamma(q - m) / gamma(q);
}

// exp(-a*x)*x^k*J_n(b*x), and x^(n+1)*exp(-a*x^2)*J_n(b*x): 10.22.49, 10.22.51, GR 6.611, 6.621
Result bessel_on_half_line(const Factors& f, const Symbol& x, Signs& signs) {
  const auto* j = f.find("cyl_bessel_j");
  if (j == nullptr || !j->second.is_integer(1) || f.others.size() > 2) return std::nullopt;
  const Expr& n = j->first.operands()[0];
  const auto lb = linear_in(j->first.operands()[1], x);
  if (!lb || !lb->constant.is_integer(0) || depends_on(n, x) || !positive(signs, lb->slope)) return std::nullopt;
  const Expr& b = lb->slope;
  Expr u = 0;
  if (f.others.size() == 2) {
    const auto* e = f.find("exp");
    if (e == nullptr || !e->second.is_integer(1)) return std::nullopt;
    u = e->first.operands()[0];
  }
  const auto c = polynomial_in(u, x, 2);
  if (!c || !(*c)[0].is_integer(0)) return std::nullopt;
  if (c->size() <= 2) {
    const Expr a = c->size() == 2 ? -(*c)[1] : Expr(0);
    if (!a.is_integer(0) && !positive(signs, a)) return std::nullopt;
    const Expr r = sqrt(a * a + b * b);
    if (f.power.is_integer(-1) && positive(signs, n)) return f.constant * power((r - a) / b, n) / n;
    if (f.power.is_integer(0) && positive(signs, n + 1))
      return f.constant * (a.is_integer(0) ? 1 / b : power((r - a) / b, n) / r);
    if (a.is_integer(0)) {  // 10.22.43
      const Expr& m = f.power;
      if (!positive(signs, Expr(1) / 2 - m) || !positive(signs, n + m + 1)) return std::nullopt;
      return f.constant * power(Expr(2), m) * power(b, -m - 1) * gamma((1 + n + m) / 2) / gamma((1 + n - m) / 2);
    }
    if (f.power.is_integer(1) && positive(signs, n + 2) && !a.is_integer(0))
      return f.constant * power((r - a) / b, n) * (a + n * r) / power(r, 3);
    return std::nullopt;
  }
  const Expr a = -(*c)[2];
  if (!(*c)[1].is_integer(0) || !positive(signs, a) || !(f.power == n + 1)) return std::nullopt;
  return f.constant * power(b, n) / power(2 * a, n + 1) * exp(-b * b / (4 * a));
}

// erf(a*x)*exp(-b*x^2): GR 6.285; atan(a*x)/(x*(c + b*x^2)): GR 4.535
Result error_function_and_arctangent(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 2) return std::nullopt;
  if (const auto* e = f.find("erf"); e != nullptr && e->second.is_integer(1) && f.power.is_integer(0)) {
    const auto l = linear_in(e->first.operands()[0], x);
    const auto* g = f.find("exp");
    const auto u = g == nullptr ? std::nullopt : polynomial_in(g->first.operands()[0], x, 2);
    if (!l || !l->constant.is_integer(0) || !u || u->size() != 3 || !(*u)[1].is_integer(0) || !(*u)[0].is_integer(0) ||
        !positive(signs, -(*u)[2]))
      return std::nullopt;
    const Expr root = sqrt(-(*u)[2]);
    return f.constant * atan(l->slope / root) / (sqrt(pi()) * root);
  }
  if (const auto* t = f.find("atan"); t != nullptr && t->second.is_integer(1) && f.power.is_integer(-1)) {
    const auto l = linear_in(t->first.operands()[0], x);
    const auto& [base, exponent] = f.others[t == &f.others[0] ? 1 : 0];
    const auto u = polynomial_in(base, x, 2);
    if (!l || !l->constant.is_integer(0) || !exponent.is_integer(-1) || !u || u->size() != 3 ||
        !(*u)[1].is_integer(0) || !positive(signs, (*u)[2]) || !positive(signs, (*u)[0]))
      return std::nullopt;
    const int s = signs.of(l->slope);
    return f.constant * s * pi() / (2 * (*u)[0]) * log(1 + s * l->slope * sqrt((*u)[0] / (*u)[2]));
  }
  return std::nullopt;
}

// (g(a*x) - g(b*x))/x: Frullani's integral, GR 3.232 and 4.267
Result frullani(const Expr& f, const Symbol& x, Signs& signs) {
  const Expr g = expand(f * x);
  if (!g.is(Kind::sum) || g.operands().size() != 5 || !g.operands()[0].is_integer(0)) return std::nullopt;
  const auto ops = g.operands();
  if (!(ops[2] == -ops[4])) return std::nullopt;
  // the ratio of scales from linear arguments
  const auto slope = [&](const Expr& e) -> std::optional<Expr> {
    std::optional<Expr> found;
    postorder(e, [&](const Expr& n) {
      if (found || !n.is(Kind::call)) return;
      for (const Expr& o : n.operands()) {
        const auto l = linear_in(o, x);
        if (l && !l->slope.is_integer(0)) found = l->slope;
      }
    });
    return found;
  };
  const auto a = slope(ops[1]);
  const auto b = slope(ops[3]);
  if (!a || !b) return std::nullopt;
  const Expr ratio = *b / *a;
  if (!positive(signs, ratio)) return std::nullopt;
  if (!vanishes(substitute(ops[1], {{x, ratio * x}}, Unused::allowed) - ops[3])) return std::nullopt;
  try {
    const Expr at_zero = one_sided_limit(ops[1], x, 0, true, signs);
    const Expr at_infinity = one_sided_limit(ops[1], x, infinity(), true, signs);
    return ops[2] * (at_zero - at_infinity) * log(ratio);
  } catch (const NoLimit&) {
  } catch (const NoExpansion&) {
  }
  return std::nullopt;
}

// --- the whole line --------------------------------------------------------------------------------------------------

// x^k*exp(-a*x^2 + b*x)*(sines and cosines of linear arguments), k a small integer: derivatives of 7.7.3 by b
Result gaussian_moments(const Expr& f, const Symbol& x, Signs& signs) {
  const Expr e = expand(transforms::circular_to_exponentials(transforms::hyperbolic_to_exponentials(f)));
  const std::vector<Expr> terms = terms_of(e);
  if (terms.size() > 40) return std::nullopt;
  Expr value = 0;
  const Symbol t("_t");
  for (const Expr& term : terms) {
    const Factors p = factors_of(term, x);
    const auto k = p.power.word();
    if (!k || *k < 0 || *k > 30 || p.others.size() != 1 || !p.only({"exp"}) || !p.others[0].second.is_integer(1))
      return std::nullopt;
    const Expr& u = p.others[0].first.operands()[0];
    const ComplexParts uc = complex_parts(expand(u));
    const auto re = polynomial_in(uc.re, x, 2);
    const auto im = polynomial_in(uc.im, x, 1);
    if (!re || re->size() != 3 || !im) return std::nullopt;
    const Expr a = -(*re)[2];
    if (!positive(signs, a)) return std::nullopt;
    const Expr b = im->size() > 1 ? (*im)[1] : Expr(0);
    const Expr beta = (*re)[1] + imaginary_unit() * b;
    // P with (d/dt)^k exp(t^2/(4a)) = P*exp(t^2/(4a))
    Expr polynomial = 1;
    for (std::int64_t i = 0; i < *k; ++i) polynomial = expand(derivative(polynomial, t) + polynomial * t / (2 * a));
    const ComplexParts front = complex_parts(expand(p.constant * substitute(polynomial, {{t, beta}}, Unused::allowed)));
    const Expr size = sqrt(pi() / a) * exp((*re)[0] + ((*re)[1] * (*re)[1] - b * b) / (4 * a));
    const Expr phase = (*re)[1] * b / (2 * a) + (*im)[0];
    value += size * (front.re * cos(phase) - front.im * sin(phase));
  }
  return value;
}

// 1/(a*x^2 + b*x + c)^k without real zeros, over the line
Result quadratic_denominator(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 1 || !f.power.is_integer(0)) return std::nullopt;
  const auto& [base, exponent] = f.others[0];
  const auto k = exponent.word();
  const auto u = polynomial_in(base, x, 2);
  if (!k || *k > -1 || *k < -20 || !u || u->size() != 3) return std::nullopt;
  const Expr d = expand(4 * (*u)[2] * (*u)[0] - (*u)[1] * (*u)[1]);
  if (!positive(signs, d)) return std::nullopt;
  const int s = signs.of((*u)[2]);
  if (s == 0) return std::nullopt;
  Expr value = 2 * s * pi() / sqrt(d);
  for (std::int64_t j = 1; j < -*k; ++j) value = value * (2 * (2 * j - 1)) * (*u)[2] / (j * d);
  return f.constant * value;
}

// cos(k*x)/cosh(a*x), sin(k*x)/sinh(a*x) and x/sinh: GR 3.981, by residues in a strip
Result over_hyperbolic(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 2 || !f.power.is_integer(0)) return std::nullopt;
  const auto pair = [&](const char* top, const char* bottom) -> std::optional<std::pair<Expr, Expr>> {
    const auto* n = f.find(top);
    const auto* d = f.find(bottom);
    if (n == nullptr || d == nullptr || !n->second.is_integer(1) || !d->second.is_integer(-1)) return std::nullopt;
    const auto k = linear_in(n->first.operands()[0], x);
    const auto a = linear_in(d->first.operands()[0], x);
    if (!k || !a || !k->constant.is_integer(0) || !a->constant.is_integer(0)) return std::nullopt;
    return std::pair{k->slope, a->slope};
  };
  if (const auto c = pair("cos", "cosh")) {
    const int s = signs.of(c->second);
    return f.constant * pi() / (s * c->second) / cosh(pi() * c->first / (2 * c->second));
  }
  if (const auto c = pair("sin", "sinh"))
    return f.constant * pi() / (abs(c->second)) * sign(c->second) * tanh(pi() * c->first / (2 * c->second));
  return std::nullopt;
}

}  // namespace

Result on_half_line(const Expr& f, const Symbol& x, Signs& signs) {
  const auto attempt = [&](const std::function<Result()>& g) -> Result {
    try {
      return g();
    } catch (const Error&) {
      return std::nullopt;
    }
  };
  const Factors parts = factors_of(f, x);
  if (auto r = attempt([&] { return stretched_exponential(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return bose_and_fermi(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return hyperbolic_denominator(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return beta_on_half_line(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return bessel_on_half_line(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return gaussian_with_inverse(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return frullani(f, x, signs); })) return r;
  if (auto r = attempt([&] { return error_function_and_arctangent(parts, x, signs); })) return r;
  if (auto r = attempt([&] { return waves_over_powers(f, x); })) return r;
  if (auto r = attempt([&] { return stretched_wave(parts, x, signs); })) return r;
  return attempt([&] { return exponential_sum(f, x, signs); });
}

Result principal_on_half_line(const Expr& f, const Symbol& x, Signs& signs) {
  const Factors parts = factors_of(f, x);
  if (parts.others.size() != 1 || !parts.others[0].second.is_integer(-1)) return std::nullopt;
  const auto b = binomial_of(parts.others[0].first, x);
  if (!b || !positive(signs, b->p)) return std::nullopt;
  // the pole is where a + b*x^p changes its sign
  const int sign = signs.of(b->a);
  if (sign == 0 || signs.of(b->b) != -sign) return std::nullopt;
  const Expr m = (parts.power + 1) / b->p;
  if (!positive(signs, m) || !positive(signs, 1 - m)) return std::nullopt;
  return parts.constant / b->a * power(-b->a / b->b, m) / b->p * pi() / tan(pi() * m);
}

Result on_line(const Expr& f, const Symbol& x, Signs& signs) {
  if (auto r = gaussian_moments(f, x, signs)) return r;
  if (auto r = quadratic_phase(f, x, signs)) return r;
  if (auto r = quadratic_denominator(factors_of(f, x), x, signs)) return r;
  return over_hyperbolic(factors_of(f, x), x, signs);
}

}  // namespace boreon::families
