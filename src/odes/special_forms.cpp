// SPDX-License-Identifier: MIT
// Airy's, Bessel's and Legendre's equations by the normal form, Kummer's and Gauss's by their coefficients (NIST
// Handbook 9.2, 10.13, 13.2, 14.2, 15.10).
#include "odes/special_forms.hpp"

#include <utility>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/signs.hpp"
#include "transforms/modes.hpp"

namespace boreon::odes {
namespace {

using Two = std::optional<std::vector<Expr>>;

constexpr double small_place = 0.5;  // where solutions shall be real, if numbers tell

class NormalForm {
 public:
  NormalForm(Context& c, Expr p, Expr q, const Symbol& t) : c_(c), p_(std::move(p)), q_(std::move(q)), t_(t) {}

  // y = w*u with u'' + I*u = 0
  Two run() {
    const auto P = c_.closed_integral(p_ / 2, t_);
    if (!P) return std::nullopt;
    const Expr w = c_.exponential_of(-*P);
    const Expr I = c_.tidy(combine_fractions(q_ - derivative(p_, t_) / 2 - p_ * p_ / 4));
    auto u = of_normal_form(expand(I));
    if (!u) return legendre_form();
    c_.step("y = w*u with u'' + I(t)*u = 0");
    for (Expr& e : *u) e = c_.tidy(w * e);
    return u;
  }

 private:
  Two of_normal_form(const Expr& I) {
    const Expr half = Expr(1) / 2;
    if (!depends_on(I, t_)) {
      const auto modes = transforms::modes_of({I, 0, 1}, c_.signs());
      if (!modes) return std::nullopt;
      return transforms::solutions_of(*modes, t_);
    }
    if (const auto l = linear_in(I, t_)) {
      // u'' = (b*t + a)*u with b = -slope
      const Expr scale = -power(abs(l->slope), Expr(1) / 3) * Expr(c_.signs().of(l->slope));
      const Expr z = scale * (t_ + l->constant / l->slope);
      c_.step("Airy's equation");
      return std::vector<Expr>{airy_Ai(z), airy_Bi(z)};
    }
    if (auto b = of_exponential(I)) return b;
    // c*t^m + beta/t^2
    Expr beta = 0;
    std::optional<std::pair<Expr, Expr>> other;
    for (const Expr& term : terms_of(I)) {
      Expr coefficient = leading_number(term);
      Expr exponent_of_t = 0;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        if (base == t_) {
          exponent_of_t += exponent;
        } else {
          coefficient *= power(base, exponent);
        }
      });
      if (depends_on(coefficient, t_) || depends_on(exponent_of_t, t_)) return std::nullopt;
      if (exponent_of_t.is_integer(-2)) {
        beta += coefficient;
      } else if (!other || other->second == exponent_of_t) {
        other = {other ? other->first + coefficient : coefficient, exponent_of_t};
      } else {
        return std::nullopt;
      }
    }
    if (!other) return std::nullopt;
    const Expr& m = other->second;
    const Expr width = m + 2;
    const Expr square = factor(1 - 4 * beta);
    const int sign_of_square = square.is_integer(0) ? 0 : c_.signs().of(square);
    if (sign_of_square < 0) return std::nullopt;
    const Expr nu = transforms::plain_root(square) / width;
    const Expr order = nu.is_number() && nu.number().sign() < 0 ? -nu : nu;
    const int sign = c_.signs().of(other->first);
    const Expr size = transforms::plain_root(factor(sign > 0 ? other->first : -other->first));
    const Expr z = 2 * size / abs(width) * power(t_, width / 2);
    c_.step("Bessel's equation");
    const Expr front = power(t_, half);
    if (auto waves = half_odd_order(order, z, sign > 0, front * power(t_, width / 4))) return waves;
    if (sign > 0) return std::vector<Expr>{front * cyl_bessel_j(order, z), front * cyl_neumann(order, z)};
    return std::vector<Expr>{front * cyl_bessel_i(order, z), front * cyl_bessel_k(order, z)};
  }

  // Bessel functions of order n + 1/2 are sines and cosines, or exponentials, over powers: 10.49, 10.51.1, 10.51.4
  // `front` holds the root of z.
  Two half_odd_order(const Expr& order, const Expr& z, bool waves, const Expr& front) const {
    const auto n = (order - Expr(1) / 2).word();
    if (!n || *n < 0 || *n > 10) return std::nullopt;
    std::vector<Expr> out;
    for (const bool second : {false, true}) {
      // by the recurrence from n = -1 and 0
      const Expr e = waves ? Expr(0) : exp(second ? -z : z);
      Expr before = waves ? (second ? -sin(z) / z : cos(z) / z) : e / z;
      Expr now = waves ? (second ? cos(z) / z : sin(z) / z) : e / z;
      for (std::int64_t k = 0; k < *n; ++k) {
        const Expr step = Expr(2 * k + 1) / z * now;
        const Expr next = waves ? step - before : second ? before + step : before - step;
        before = now;
        now = expand(next);
      }
      out.push_back(c_.tidy(expand(front * now)));
    }
    return out;
  }

  // u'' + (c*exp(k*t) + d)*u = 0: Bessel functions of exp(k*t/2)
  Two of_exponential(const Expr& I) {
    Expr d = 0;
    std::optional<std::pair<Expr, Expr>> growth;
    for (const Expr& term : terms_of(I)) {
      if (!depends_on(term, t_)) {
        d += term;
        continue;
      }
      Expr coefficient = leading_number(term);
      std::optional<Expr> rate;
      for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
        const bool exponential = is_call_of(base, "exp");
        const auto l = exponential ? linear_in(base.operands()[0] * exponent, t_) : std::nullopt;
        if (l && !rate) {
          rate = l->slope;
          coefficient *= exp(l->constant);
        } else {
          coefficient *= power(base, exponent);
        }
      });
      if (!rate || growth || depends_on(coefficient, t_)) return std::nullopt;
      growth = {coefficient, *rate};
    }
    if (!growth || (!d.is_integer(0) && c_.signs().of(d) > 0)) return std::nullopt;
    const Expr& k = growth->second;
    const Expr order = 2 * transforms::plain_root(factor(-d)) / k;
    const Expr positive = order.is_number() && order.number().sign() < 0 ? -order : order;
    const int sign = c_.signs().of(growth->first);
    const Expr size = transforms::plain_root(factor(sign > 0 ? growth->first : -growth->first));
    const Expr z = 2 * size / abs(k) * exp(k * t_ / 2);
    c_.step("Bessel's equation for an exponential of t");
    if (auto waves = half_odd_order(positive, z, sign > 0, exp(k * t_ / 4))) return waves;
    if (sign > 0) return std::vector<Expr>{cyl_bessel_j(positive, z), cyl_neumann(positive, z)};
    return std::vector<Expr>{cyl_bessel_i(positive, z), cyl_bessel_k(positive, z)};
  }

  // (1 - t^2)*y'' - 2*t*y' + n*(n + 1)*y = 0
  Two legendre_form() {
    const Expr k = c_.tidy(q_ * (1 - t_ * t_));
    if (depends_on(k, t_) || !vanishes(p_ + 2 * t_ / (1 - t_ * t_))) return std::nullopt;
    const Expr n = c_.tidy((sqrt(factor(1 + 4 * k)) - 1) / 2);
    c_.step("Legendre's equation; for whole n the second solution is not legendre(n, -t)");
    return std::vector<Expr>{legendre(n, t_), legendre(n, -t_)};
  }

  Context& c_;
  Expr p_;
  Expr q_;
  Symbol t_;
};

// (l*t + s)*y'' + (v*t + u)*y' + w*y = 0 by Kummer's function, t*(1 - t)*y'' + (u - v*t)*y' - w*y = 0 by Gauss's.
class Hypergeometric {
 public:
  Hypergeometric(Context& c, const Expr& p, const Expr& q, const Symbol& t) : c_(c), t_(t) {
    const Expr all = common_denominator(p, q);
    const auto lead = polynomial_in(all, t_, 2);
    const auto middle = lead ? polynomial_in(expand(combine_fractions(all * p)), t_, 1) : std::nullopt;
    const auto last = lead ? polynomial_in(expand(combine_fractions(all * q)), t_, 0) : std::nullopt;
    if (!lead || lead->size() < 2 || !middle || !last) return;
    lead_ = *lead;
    u_ = (*middle)[0];
    v_ = middle->size() > 1 ? (*middle)[1] : Expr(0);
    w_ = (*last)[0];
  }

  Two run() {
    if (lead_.size() == 2) return kummer();
    return lead_.size() == 3 ? gauss() : std::nullopt;
  }

 private:
  [[nodiscard]] std::optional<double> near_zero(const Expr& e) const { return real_value_at(e, t_, small_place); }

  static bool ends(const Expr& parameter) { return parameter.word() && *parameter.word() <= 0; }

  Two kummer() {
    // z = -v/l*(t + s/l)
    const Expr& l = lead_[1];
    const Expr shift = lead_[0] / l;
    const Expr k = -v_ / l;
    if (k.is_integer(0)) return std::nullopt;
    const Expr z = k * (t_ + shift);
    const Expr c = c_.tidy((u_ - v_ * shift) / l);
    const Expr a = c_.tidy(w_ / v_);
    c_.step("Kummer's equation");
    const auto f = [&](const Expr& by, const Expr& order) { return conf_hyperg(c_.tidy(a + by), order, z); };
    if (!c.word()) return of_parameters(c, t_ + shift, f);
    // 13.2.4 and 13.2.26, with a logarithm at z = 0; whichever is real for small positive t and no polynomial
    const auto at = near_zero(z);
    const Expr rest = c_.tidy(c - a);
    const bool turned = at ? *at < 0 : is_negative(k);
    if (ends(turned ? rest : a)) return std::nullopt;
    const Expr second = turned ? exp(z) * conf_hyperg_u(rest, c, -z) : conf_hyperg_u(a, c, z);
    return std::vector<Expr>{regular(c, t_ + shift, f), second};
  }

  Two gauss() {
    // roots of the leading coefficient at r1 and r2: x = (t - r1)/(r2 - r1)
    const Expr& l = lead_[2];
    const Expr root = transforms::plain_root(factor(lead_[1] * lead_[1] - 4 * l * lead_[0]));
    if (root.is_integer(0) || has_imaginary_unit(root)) return std::nullopt;
    Expr low = c_.tidy((-lead_[1] - root) / (2 * l));
    Expr width = c_.tidy(root / l);
    // from the other root, where small positive t would lie beyond 1, on the cut
    if (const auto at = near_zero((t_ - low) / width); at && *at > 1) {
      low = c_.tidy(low + width);
      width = -width;
    }
    const Expr x = c_.tidy((t_ - low) / width);
    const Expr c = c_.tidy(-(u_ + v_ * low) / (l * width));
    const Expr sum = c_.tidy(v_ / l - 1);
    const Expr product = c_.tidy(w_ / l);
    const Expr spread = transforms::plain_root(factor(sum * sum - 4 * product));
    const Expr a = c_.tidy((sum + spread) / 2);
    const Expr b = c_.tidy((sum - spread) / 2);
    c_.step("the hypergeometric equation");
    const auto f = [&](const Expr& by, const Expr& order) {
      return hyperg(c_.tidy(a + by), c_.tidy(b + by), order, x);
    };
    if (!c.word()) return of_parameters(c, t_ - low, f);
    if (ends(a) || ends(b) || ends(c_.tidy(c - a)) || ends(c_.tidy(c - b))) return std::nullopt;
    return std::vector<Expr>{regular(c, x, f), with_logarithm(a, b, c, x)};
  }

  // For whole c a solution that has a logarithm at x = 0 and none where small positive t lie: 15.10.13, 15.10.14 about
  // x = 1, 15.10.15 about infinity.
  [[nodiscard]] Expr with_logarithm(const Expr& a, const Expr& b, const Expr& c, const Expr& x) const {
    const Expr rest = c_.tidy(1 - x);
    if (const auto at = near_zero(x); at && *at < 0) {
      const bool swapped = ends(c_.tidy(a - b + 1));
      const Expr& first = swapped ? b : a;
      const Expr& other = swapped ? a : b;
      return power(rest, -first) * hyperg(first, c_.tidy(c - other), c_.tidy(first - other + 1), 1 / rest);
    }
    const Expr beyond = c_.tidy(a + b - c + 1);
    if (!ends(beyond)) return hyperg(a, b, beyond, rest);
    return power(rest, c_.tidy(c - a - b)) * hyperg(c_.tidy(c - a), c_.tidy(c - b), c_.tidy(c - a - b + 1), rest);
  }

  // The solution without a logarithm at z = 0 where c is whole.
  [[nodiscard]] Expr regular(const Expr& c, const Expr& z, const auto& f) const {
    return ends(c) ? power(z, c_.tidy(1 - c)) * f(1 - c, c_.tidy(2 - c)) : f(0, c);
  }

  // f with c, and z^(1 - c)*f, up to a factor, with its parameters moved by 1 - c and 2 - c: 13.2.2 with 13.2.26,
  // 15.10.2 with 15.10.3.
  [[nodiscard]] std::vector<Expr> of_parameters(const Expr& c, const Expr& z, const auto& f) const {
    return {f(0, c), power(z, c_.tidy(1 - c)) * f(1 - c, c_.tidy(2 - c))};
  }

  Context& c_;
  Symbol t_;
  std::vector<Expr> lead_;
  Expr u_;
  Expr v_;
  Expr w_;
};

// With singular points at r1, r2 and infinity only, all regular (Riemann's equation, 15.11): (t - r1)^a*(t - r2)^b in
// front, a and b being exponents there, leaves Gauss's equation.
Two with_powers_in_front(Context& c, const Expr& p, const Expr& q, const Symbol& t) {
  const Expr all = common_denominator(p, q);
  std::vector<Expr> places;
  bool usable = true;
  for_each_factor(factor(all), [&](const Expr& base, const Expr& exponent) {
    if (!depends_on(base, t)) return;
    const auto l = linear_in(base, t);
    usable = usable && l && exponent.word() && *exponent.word() <= 2 && places.size() < 2;
    if (usable) places.push_back(c.tidy(-l->constant / l->slope));
  });
  if (!usable || places.size() != 2) return std::nullopt;
  Expr slope = 0;  // of the logarithm of the factor in front
  Expr front = 1;
  for (const Expr& place : places) {
    const Expr distance = t - place;
    const auto there = [&](const Expr& e) {
      return c.tidy(substitute(combine_fractions(e), {{t, place}}, Unused::allowed));
    };
    const Expr p0 = there(distance * p);
    const Expr q0 = there(distance * distance * q);
    const Expr root = transforms::plain_root(factor((1 - p0) * (1 - p0) - 4 * q0));
    if (has_imaginary_unit(root) || p0.is(Kind::constant) || q0.is(Kind::constant)) return std::nullopt;
    const Expr exponent = c.tidy((1 - p0 - root) / 2);
    slope += exponent / distance;
    // real for small positive t
    const bool turned = real_value_at(distance, t, small_place).value_or(1) < 0;
    front *= power(turned ? expand(-distance) : distance, exponent);
  }
  const Expr inner_p = combine_fractions(p + 2 * slope);
  const Expr inner_q = combine_fractions(q + p * slope + slope * slope + derivative(slope, t));
  auto u = Hypergeometric(c, inner_p, inner_q, t).run();
  if (!u) return std::nullopt;
  c.step("powers of the distances from two singular points in front");
  for (Expr& e : *u) e = front * e;
  return u;
}

}  // namespace

Expr common_denominator(const Expr& p, const Expr& q) {
  return quotient(combine_fractions(p + Symbol("_l") * q)).denominator;
}

std::optional<std::vector<Expr>> by_normal_form(Context& c, const Expr& p, const Expr& q, const Symbol& t) {
  return NormalForm(c, p, q, t).run();
}

std::optional<std::vector<Expr>> hypergeometric(Context& c, const Expr& p, const Expr& q, const Symbol& t) {
  if (auto direct = Hypergeometric(c, p, q, t).run()) return direct;
  return with_powers_in_front(c, p, q, t);
}

}  // namespace boreon::odes
