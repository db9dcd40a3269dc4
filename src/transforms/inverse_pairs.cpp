// SPDX-License-Identifier: MIT
// Inverse Laplace transforms of single functions of s, by pairs (Erdelyi et al., Tables of Integral Transforms I,
// chapter 5; NIST Handbook, chapters 6, 7, 10).
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/factors.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/inverse_rules.hpp"
#include "transforms/modes.hpp"

namespace boreon::transforms {
namespace {

// c with e = c*unit, if it is that.
std::optional<Expr> multiple_of(const Expr& e, const Expr& unit, const Symbol& s) {
  const Expr c = combine_fractions(e / unit);
  if (depends_on(c, s)) return std::nullopt;
  return c;
}

}  // namespace

// Special functions of s with what stands in front of them, counted from the zero of their argument.
InverseRules::Found InverseRules::special_pair(const Expr& F) {
  std::optional<Expr> kernel;
  bool one = true;
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    const bool special = is_call_of(base, "E1") || is_call_of(base, "erfc") || is_call_of(base, "cyl_bessel_k") ||
                         is_call_of(base, "log");
    if (!special || !depends_on(base, s_)) return;
    one = one && !kernel && exponent.is_integer(1);
    kernel = base;
  });
  if (!kernel || !one) return std::nullopt;
  Expr b = 0;
  if (!is_call_of(*kernel, "log")) {
    const Expr& argument = kernel->operands().back();
    auto l = linear_in(argument, s_);
    if (!l) l = linear_in(expand(power(argument, 2)), s_);
    if (l) b = combine_fractions(l->constant / l->slope);
  }
  const families::Factors there = families::factors_of(b.is_integer(0) ? F : moved_by(F, s_, -b), s_);
  Expr exponent = 0;
  kernel.reset();
  for (const auto& [base, power_of_base] : there.others) {
    if (is_call_of(base, "exp")) {
      exponent += base.operands()[0] * power_of_base;
    } else if (kernel || !base.is(Kind::call)) {
      return std::nullopt;
    } else {
      kernel = base;
    }
  }
  if (!kernel) return std::nullopt;
  // exp(a*s) belongs to E1(a*s); what is left of the exponent delays
  const Expr& argument = kernel->operands().back();
  const Expr own = is_call_of(*kernel, "E1") ? argument : is_call_of(*kernel, "erfc") ? power(argument, 2) : Expr(0);
  const auto left = linear_in(expand(exponent - own), s_);
  if (!left) return std::nullopt;
  const Expr delay = -left->slope;
  if (!delay.is_integer(0) && signs_.of(delay) < 0) return std::nullopt;
  const Found f = pair_at_zero(*kernel, there.power);
  if (!f) return std::nullopt;
  if (!b.is_integer(0)) step("s - b in place of s gives a factor exp(b*t)");
  return there.constant * exp(left->constant) * exp(-b * t_) * (delay.is_integer(0) ? *f : delayed(*f, delay));
}

// E1 and erfc stand with the exponential that belongs to them.
InverseRules::Found InverseRules::pair_at_zero(const Expr& kernel, const Expr& s_power) {
  const Expr t = t_;
  const Expr half = Expr(1) / 2;
  const auto is = [&](const char* name) { return is_call_of(kernel, name); };
  const Expr& argument = kernel.operands().back();
  if (is("E1") && (s_power.is_integer(0) || s_power.is_integer(-1))) {
    const auto a = multiple_of(argument, s_, s_);
    if (!a || signs_.of(*a) <= 0) return std::nullopt;
    step("exp(a*s)*E1(a*s) gives 1/(t + a)");
    return s_power.is_integer(0) ? 1 / (t + *a) : log((t + *a) / *a);
  }
  if (is("erfc")) {
    if (const auto a = multiple_of(power(argument, 2), s_, s_); a && signs_.of(*a) > 0) {
      step("exp(a*s)*erfc(sqrt(a*s)) gives sqrt(a)/(pi*sqrt(t)*(t + a))");
      if (s_power.is_integer(0)) return sqrt(*a) / (pi() * sqrt(t) * (t + *a));
      if (s_power == -half) return 1 / sqrt(pi() * (t + *a));
      return std::nullopt;
    }
    const auto b = multiple_of(argument, s_, s_);
    if (b && s_power.is_integer(0) && signs_.of(*b) > 0) {
      step("exp(b^2*s^2)*erfc(b*s) gives a Gaussian function");
      return exp(-t * t / (4 * power(*b, 2))) / (sqrt(pi()) * *b);
    }
    return std::nullopt;
  }
  if (is("cyl_bessel_k")) {
    const Expr& order = kernel.operands()[0];
    if (const auto a = multiple_of(argument, sqrt(s_), s_);
        a && expand(2 * s_power + order).is_integer(0) && signs_.of(*a) > 0) {
      step("cyl_bessel_k(n, a*sqrt(s))*s^(-n/2) gives t^(n - 1)*exp(-a^2/(4*t))");
      return power(2 * t, order - 1) * exp(-*a * *a / (4 * t)) / power(*a, order);
    }
    const auto a = multiple_of(argument, s_, s_);
    if (!a || !s_power.is_integer(0) || signs_.of(*a) <= 0) return std::nullopt;
    const Expr root = sqrt(t * t - *a * *a);
    step("cyl_bessel_k(n, a*s) gives cosh(n*acosh(t/a))/sqrt(t^2 - a^2) after a");
    const Expr wave = order.is_integer(0) ? Expr(1) : order.is_integer(1) ? t / *a : cosh(order * acosh(t / *a));
    const Expr branches[] = {wave / root, greater(t, *a), 0};
    return piecewise(branches);
  }
  if (is("log") && s_power.is_integer(-1)) {
    // log(c*(s^2 + a^2))/s
    const auto q = completed_square(argument);
    if (!q || !q->rate.is_integer(0) || q->sign < 0) return std::nullopt;
    step("log(s^2 + a^2)/s gives 2*log(a) - 2*Ci(a*t)");
    return log(q->lead) + 2 * log(q->width) - 2 * Ci(q->width * t);
  }
  return std::nullopt;
}

// gamma(s + a)/gamma(s + a + b)
InverseRules::Found InverseRules::gamma_quotient(const Expr& F) {
  std::optional<Expr> above;
  std::optional<Expr> below;
  bool other = false;
  for_each_factor(F, [&](const Expr& base, const Expr& exponent) {
    if (is_call_of(base, "gamma") && exponent.is_integer(1) && !above) {
      above = base.operands()[0];
    } else if (is_call_of(base, "gamma") && exponent.is_integer(-1) && !below) {
      below = base.operands()[0];
    } else {
      other = true;
    }
  });
  if (other || !above || !below) return std::nullopt;
  const auto l = linear_in(*above, s_);
  const Expr b = expand(*below - *above);
  if (!l || depends_on(b, s_) || signs_.of(l->slope) <= 0 || signs_.of(b) <= 0) return std::nullopt;
  step("gamma(s + a)/gamma(s + a + b) gives exp(-a*t)*(1 - exp(-t))^(b - 1)/gamma(b)");
  const Expr scaled = t_ / l->slope;
  return exp(-l->constant * scaled) * power(1 - exp(-scaled), b - 1) / (gamma(b) * l->slope);
}

// exp(-a*R)/R with R = sqrt(s^2 + c): a front that arrives at a.
InverseRules::Found InverseRules::front(const Expr& F) {
  const families::Factors there = families::factors_of(F, s_);
  const auto* exponential = there.find("exp");
  if (!exponential || there.others.size() != 2 || !there.power.is_integer(0)) return std::nullopt;
  const auto& [kernel, kernel_power] = there.others[exponential == &there.others[0] ? 1 : 0];
  if (!(kernel_power == -Expr(1) / 2)) return std::nullopt;
  const auto q = completed_square(kernel);
  const Expr exponent = exponential->first.operands()[0] * exponential->second;
  const auto a = q ? multiple_of(-exponent, sqrt(kernel), s_) : std::nullopt;
  if (!a || signs_.of(*a) <= 0) return std::nullopt;
  const Expr delay = *a * sqrt(q->lead);
  const Expr inside = q->width * sqrt(t_ * t_ - delay * delay);
  step("exp(-a*sqrt(s^2 + c))/sqrt(s^2 + c) gives a Bessel function of sqrt(t^2 - a^2) after a");
  const Expr wave = q->sign > 0 ? cyl_bessel_j(0, inside) : cyl_bessel_i(0, inside);
  const Expr branches[] = {there.constant * exp(-q->rate * t_) * wave / sqrt(q->lead), greater(t_, delay), 0};
  return piecewise(branches);
}

std::optional<InverseRules::CompletedSquare> InverseRules::completed_square(const Expr& base) {
  const auto q = polynomial_in(base, s_, 2);
  if (!q || q->size() != 3 || signs_.of((*q)[2]) <= 0) return std::nullopt;
  CompletedSquare out;
  out.lead = (*q)[2];
  out.rate = (*q)[1] / (2 * out.lead);
  out.square = factor((*q)[0] / out.lead - out.rate * out.rate);
  out.sign = signs_.of(out.square);
  if (out.sign == 0) return std::nullopt;
  out.width = plain_root(out.sign > 0 ? out.square : factor(-out.square));
  return out;
}

// The one polynomial of second degree of which half powers occur.
std::optional<Expr> InverseRules::the_root_of_square(const Expr& F) const {
  std::optional<Expr> inside;
  bool one = true;
  const auto look = [&](const Expr& base, const Expr& exponent) {
    if (!depends_on(base, s_) || exponent.word()) return;
    const auto q = exponent.is_number() && (2 * exponent).word() ? polynomial_in(base, s_, 2) : std::nullopt;
    if (!q || q->size() != 3) return;
    one = one && (!inside || *inside == base);
    inside = base;
  };
  postorder(F, [&](const Expr& n) {
    if (n.is(Kind::power) || n.is(Kind::product)) for_each_factor(n, look);
  });
  return one ? inside : std::nullopt;
}

// With u = R - s and R = sqrt(s^2 + a^2): u^n/R gives a^n*J_n(a*t), u^n alone n*a^n*J_n(a*t)/t.
InverseRules::Found InverseRules::powers_of_gap(const Expr& F) {
  const auto inside = the_root_of_square(F);
  const auto q = inside ? completed_square(*inside) : std::nullopt;
  if (!q) return std::nullopt;
  const Expr& square = q->square;
  const int sign = q->sign;
  const Expr& w = q->width;
  const Symbol u("_gap", {Assumption::positive});
  const Symbol root("_root", {Assumption::positive});
  // R^2 = s^2 + square; for a negative square u = s - R, else u = R - s
  const Expr shifted = sign > 0 ? (square - u * u) / (2 * u) : (u * u - square) / (2 * u);
  const Expr long_side = sign > 0 ? (square + u * u) / (2 * u) : -(u * u + square) / (2 * u);
  const Expr scale = sqrt(q->lead);
  const auto rooted = [&](const Expr& base, const Expr& exponent) {
    return base == *inside ? power(scale * root, 2 * exponent) : power(base, exponent);
  };
  Rebuild named([](const Expr&, Expr&) { return false; },
                [&](const Expr& n) -> Expr {
                  if (!n.is(Kind::power) && !n.is(Kind::product)) return n;
                  Expr out = leading_number(n);
                  for_each_factor(n, [&](const Expr& base, const Expr& exponent) { out *= rooted(base, exponent); });
                  return out;
                });
  const Expr in_u = substitute(named(F), {{s_, shifted - q->rate}}, Unused::allowed);
  // each factor a multiple of a power of u, those in sums with the root written out
  Expr constant = 1;
  Expr exponent_of_u = 0;
  Expr roots = 0;
  bool monomial = true;
  for_each_factor(in_u, [&](const Expr& base, const Expr& exponent) {
    if (base == root) {
      roots += exponent;
      return;
    }
    const Expr written = combine_fractions(substitute(base, {{root, long_side}}, Unused::allowed));
    Expr of_u = 0;
    Expr rest = leading_number(written);
    for_each_factor(written, [&](const Expr& b, const Expr& e) {
      (b == u ? of_u : rest) = b == u ? of_u + e : rest * power(b, e);
    });
    monomial = monomial && !depends_on(rest, u);
    exponent_of_u += of_u * exponent;
    constant *= power(rest, exponent);
  });
  constant *= leading_number(in_u);
  const auto bessel = [&](const Expr& n) { return sign > 0 ? cyl_bessel_j(n, w * t_) : cyl_bessel_i(n, w * t_); };
  const auto said = [&](const Expr& f) {
    step("powers of sqrt(s^2 + a^2) - s, over the root or not, give Bessel functions");
    return exp(-q->rate * t_) * f;
  };
  if (monomial && (roots.is_integer(0) || roots.is_integer(-1))) {
    if (roots.is_integer(-1) && signs_.of(exponent_of_u + 1) > 0)
      return said(constant * power(w, exponent_of_u) * bessel(exponent_of_u));
    if (roots.is_integer(0) && signs_.of(exponent_of_u) > 0)
      return said(constant * exponent_of_u * power(w, exponent_of_u) * bessel(exponent_of_u) / t_);
    return std::nullopt;
  }
  // a polynomial in u, or one over the root
  const Expr written = substitute(in_u, {{root, long_side}}, Unused::allowed);
  const auto alone = polynomial_in(combine_fractions(written), u, 12);
  Expr sum = 0;
  if (alone && (*alone)[0].is_integer(0)) {
    for (std::size_t n = 1; n < alone->size(); ++n)
      sum += (*alone)[n] * Expr(n) * power(w, Expr(n)) * bessel(Expr(n)) / t_;
    return said(sum);
  }
  const auto over_root = polynomial_in(combine_fractions(written * long_side), u, 12);
  if (!over_root) return std::nullopt;
  for (std::size_t n = 0; n < over_root->size(); ++n) sum += (*over_root)[n] * power(w, Expr(n)) * bessel(Expr(n));
  return said(sum);
}

// A sum of powers of linear functions that vanishes far out: each by its formula, also where it alone has no inverse.
InverseRules::Found InverseRules::differences_of_powers(const Expr& F) {
  if (!F.is(Kind::sum)) return std::nullopt;
  Expr out = 0;
  bool rising = false;
  for (const Expr& term : terms_of(F)) {
    Expr constant = leading_number(term);
    std::optional<Linear> inside;
    Expr p = 0;
    bool plain = true;
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, s_) && !depends_on(exponent, s_)) {
        constant *= power(base, exponent);
        return;
      }
      plain = plain && !inside && exponent.is_number();
      inside = linear_in(base, s_);
      plain = plain && inside;
      p = exponent;
    });
    if (!plain) return std::nullopt;
    if (!inside) continue;  // a constant, which the others cancel far out
    if (signs_.of(inside->slope) <= 0) return std::nullopt;
    rising = rising || is_positive(p);
    if (p.word() && *p.word() >= 0) continue;
    out += constant * power(inside->slope, p) * power(t_, -p - 1) / gamma(-p) *
           exp(-inside->constant / inside->slope * t_);
  }
  if (!rising || !vanishes_far_out(F)) return std::nullopt;
  step("(s + a)^p gives t^(-p - 1)*exp(-a*t)/gamma(-p), also for positive p where the sum vanishes far out");
  return factor(out);
}

}  // namespace boreon::transforms
