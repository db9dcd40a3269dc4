// SPDX-License-Identifier: MIT
// Inverse Laplace transforms of roots, exponentials and logarithms (NIST Handbook, chapters 7 and 10; Erdelyi et al.,
// Tables of Integral Transforms I, chapter 5).
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "transforms/inverse_rules.hpp"
#include "transforms/modes.hpp"

namespace boreon::transforms {
namespace {

// 1/sqrt(pi*t), and what stands with it for a root of s + c.
Expr impulse_of_root(const Expr& t) { return 1 / sqrt(pi() * t); }

// Of exp(-a*sqrt(s))*s^power with a half-integer power, a > 0.
std::optional<Expr> of_root_exponential(const Expr& a, const Expr& power, const Expr& t) {
  const Expr half = Expr(1) / 2;
  const auto twice = (2 * power).word();
  if (!twice || *twice > 1 || *twice < -12) return std::nullopt;
  const Expr bell = exp(-a * a / (4 * t));
  const Expr tail = erfc(a / (2 * sqrt(t)));
  // i^n erfc of the argument: inverse of exp(-a*sqrt(s))/s^(1 + n/2) is (4*t)^(n/2) of it
  if (*twice == 1) return (a * a / (2 * t) - 1) * bell / (2 * sqrt(pi()) * boreon::power(t, 3 * half));
  if (*twice == 0) return a / (2 * sqrt(pi()) * boreon::power(t, 3 * half)) * bell;
  Expr before = bell * 2 / sqrt(pi());  // n = -1
  Expr at = tail;                       // n = 0
  if (*twice == -1) return bell / sqrt(pi() * t);
  const Expr z = a / (2 * sqrt(t));
  for (std::int64_t n = 1; n <= -*twice - 2; ++n) {
    const Expr next = (before / 2 - z * at) / Expr(n);
    before = at;
    at = next;
  }
  const Expr n = -*twice - 2;
  return expand(boreon::power(4 * t, n / 2) * at);
}

}  // namespace

// kernel*s^power where the kernel has no factor s.
InverseRules::Found InverseRules::known(const Expr& kernel, const Expr& power) {
  const Expr half = Expr(1) / 2;
  const Expr t = t_;
  if (kernel.is_integer(1)) {
    if (signs_.of(-power) <= 0) return std::nullopt;
    step("s^(-p) gives t^(p - 1)/gamma(p)");
    return boreon::power(t, -power - 1) / gamma(-power);
  }
  Expr base = kernel;
  Expr exponent = 1;
  if (kernel.is(Kind::power)) {
    base = kernel.operands()[0];
    exponent = kernel.operands()[1];
  }
  if (depends_on(exponent, s_)) return std::nullopt;

  if (const auto l = linear_in(base, s_); l && power.is_integer(0)) {
    // (a*s + b)^p
    if (signs_.of(-exponent) <= 0 || signs_.of(l->slope) <= 0) return std::nullopt;
    step("(s + a)^(-p) gives t^(p - 1)*exp(-a*t)/gamma(p)");
    return boreon::power(l->slope, exponent) * boreon::power(t, -exponent - 1) / gamma(-exponent) *
           exp(-l->constant / l->slope * t);
  }
  if (power.is_integer(0) && !exponent.word() && signs_.of(-exponent) > 0) {
    if (const auto q = completed_square(base)) {
      // (a*((s + r)^2 + c))^(-m - 1/2): a Bessel function of order m
      const Expr m = -exponent - half;
      const Expr wave = q->sign > 0 ? cyl_bessel_j(m, q->width * t) : cyl_bessel_i(m, q->width * t);
      step("1/sqrt(s^2 + a^2) gives a Bessel function");
      return boreon::power(q->lead, exponent) * exp(-q->rate * t) * sqrt(pi()) / gamma(-exponent) *
             boreon::power(t / (2 * q->width), m) * wave;
    }
  }
  if (!base.is(Kind::call) || base.operands().empty()) return std::nullopt;
  const auto name = base.function().name;
  const Expr argument = base.operands().back() * (name == "exp" ? exponent : Expr(1));
  if (name == "exp") {
    if (const Expr c = argument * s_; !depends_on(c, s_)) {
      // exp(c/s)*s^(-p)
      if (signs_.of(-power) <= 0) return std::nullopt;
      const int sign = signs_.of(c);
      const Expr size = sign > 0 ? c : -c;
      const Expr n = -power - 1;
      step("exp(c/s)/s^(n + 1) gives a Bessel function of the root of t");
      return boreon::power(t / size, n / 2) *
             (sign > 0 ? cyl_bessel_i(n, 2 * sqrt(size * t)) : cyl_bessel_j(n, 2 * sqrt(size * t)));
    }
    // exp(-a*sqrt(s + b)): b is moved away before, see in_root
    if (const Expr c = argument / sqrt(s_); !depends_on(c, s_) && signs_.of(c) < 0) {
      step("exp(-a*sqrt(s)) and its integrals over t");
      return of_root_exponential(-c, power, t);
    }
    return std::nullopt;
  }
  if (name == "log" && exponent.is_integer(1) && power.is_integer(-1)) {
    // log(s + a)/s
    const auto l = linear_in(argument, s_);
    if (l && !l->constant.is_integer(0) && signs_.of(l->slope) > 0) {
      step("log(s + a)/s gives E1(a*t) + log(a), for negative a log(-a) - Ei(-a*t)");
      if (signs_.of(l->constant) > 0) return E1(l->constant / l->slope * t) + log(l->constant);
      return log(-l->constant) - Ei(-l->constant / l->slope * t);
    }
  }
  if (name == "log" && exponent.is_integer(1) && argument == s_) {
    const Expr p = -power;
    if (signs_.of(p) <= 0) return std::nullopt;
    step("log(s)/s^p gives t^(p - 1)*(digamma(p) - log(t))/gamma(p)");
    return boreon::power(t, p - 1) / gamma(p) * (digamma(p) - log(t));
  }
  return std::nullopt;
}

// A term of partial fractions in the root.
InverseRules::Found InverseRules::fraction_in_root(const Expr& piece, const Symbol& root) {
  const Quotient q = quotient(piece);
  const auto top = polynomial_in(q.numerator, root);
  if (!top) return std::nullopt;
  if (!depends_on(q.denominator, root)) return std::nullopt;
  const auto below = single_power(q.denominator, root);
  if (!below) return std::nullopt;
  const auto& [constant, base, power] = *below;
  const auto bottom = polynomial_in(base, root);
  if (!bottom) return std::nullopt;
  if (base == root) {
    Expr sum = 0;
    for (std::size_t k = 0; k < top->size(); ++k) {
      const Expr p = (Expr(power) - Expr(k)) / 2;
      if ((*top)[k].is_integer(0)) continue;
      sum += (*top)[k] / constant * boreon::power(t_, p - 1) / gamma(p);
    }
    return sum;
  }
  if (bottom->size() == 2) {
    // 1/(sigma + a)^k: derivatives by a of 1/sqrt(pi*t) - a*exp(a^2*t)*erfc(a*sqrt(t))
    const Symbol a("_a");
    const Expr value = (*bottom)[0] / (*bottom)[1];
    Expr f = impulse_of_root(t_) - a * exp(a * a * t_) * erfc(a * sqrt(t_));
    for (unsigned k = 1; k < power; ++k) f = -derivative(f, a) / Expr(k);
    return (*top)[0] / constant / boreon::power((*bottom)[1], Expr(power)) *
           expand(substitute(f, {{a, value}}, Unused::allowed));
  }
  if (bottom->size() == 3 && (*bottom)[1].is_integer(0) && power == 1) {
    // (B + A*sigma)/(sigma^2 + c)
    const Expr c = (*bottom)[0] / (*bottom)[2];
    const Expr scale = constant * (*bottom)[2];
    const Expr A = top->size() > 1 ? (*top)[1] : Expr(0);
    if (signs_.of(c) < 0) {
      const Expr k = plain_root(-c);
      return (*top)[0] / scale * exp(-c * t_) +
             A / scale * (impulse_of_root(t_) + k * exp(-c * t_) * erf(k * sqrt(t_)));
    }
    return (*top)[0] / scale * exp(-c * t_) +
           A / scale * (impulse_of_root(t_) - 2 * sqrt(c / pi()) * dawson(sqrt(c * t_)));
  }
  return std::nullopt;
}

// exp(-a*sigma) times partial fractions in sigma = sqrt(s), a > 0.
InverseRules::Found InverseRules::exponential_in_root(const Expr& R, const Symbol& root) {
  Expr exponent = 0;
  Expr rest = leading_number(R);
  for_each_factor(R, [&](const Expr& base, const Expr& power) {
    if (is_call_of(base, "exp")) {
      exponent += base.operands()[0] * power;
    } else {
      rest *= boreon::power(base, power);
    }
  });
  const auto l = linear_in(expand(exponent), root);
  if (!l || l->slope.is_integer(0) || !is_rational_in(rest, root) || signs_.of(l->slope) >= 0) return std::nullopt;
  const Expr a = -l->slope;
  std::vector<Expr> parts;
  for (const Expr& piece : terms_of(partial_fractions(rest, root))) {
    const Quotient q = quotient(piece);
    const auto below = single_power(q.denominator, root);
    const auto top = polynomial_in(q.numerator, root, 3);
    if (!top) return std::nullopt;
    if (!depends_on(q.denominator, root) || (below && below->base == root)) {
      for (std::size_t k = 0; k < top->size(); ++k) {
        if ((*top)[k].is_integer(0)) continue;
        const Expr power = (Expr(k) - (below ? Expr(below->power) : Expr(0))) / 2;
        const auto f = of_root_exponential(a, power, t_);
        if (!f) return std::nullopt;
        parts.push_back((*top)[k] / (below ? below->constant : q.denominator) * *f);
      }
      continue;
    }
    const auto bottom = below ? polynomial_in(below->base, root, 2) : std::nullopt;
    if (!bottom || below->power != 1) return std::nullopt;
    const auto over = [&](const Expr& b) {  // 1/(root + b)
      return exp(-a * a / (4 * t_)) / sqrt(pi() * t_) -
             b * exp(a * b + b * b * t_) * erfc(b * sqrt(t_) + a / (2 * sqrt(t_)));
    };
    const Expr scale = below->constant * bottom->back();
    if (bottom->size() == 2 && top->size() == 1) {
      parts.push_back((*top)[0] / scale * over((*bottom)[0] / (*bottom)[1]));
    } else if (bottom->size() == 3 && (*bottom)[1].is_integer(0) && signs_.of((*bottom)[0] / (*bottom)[2]) < 0) {
      const Expr c = plain_root(-(*bottom)[0] / (*bottom)[2]);
      const Expr A = top->size() > 1 ? (*top)[1] : Expr(0);
      const Expr B = (*top)[0] / c;
      parts.push_back(((A + B) * over(-c) + (A - B) * over(c)) / (2 * scale));
    } else {
      return std::nullopt;
    }
  }
  step("exp(-a*sqrt(s))/(sqrt(s) + b): a Gaussian function of 1/sqrt(t) and erfc");
  return exp(l->constant) * boreon::add(parts);
}

// Functions of one square root sqrt(s + b): the exponential in front takes b away; then rational in the root.
InverseRules::Found InverseRules::in_root(const Expr& F) {
  std::optional<Expr> inside;
  bool one = true;
  postorder(F, [&](const Expr& n) {
    const auto look = [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, s_) || exponent.word()) return;
      if (!exponent.is_number() || !(2 * exponent).word()) one = false;
      if (inside && !(*inside == base)) one = false;
      inside = base;
    };
    if (n.is(Kind::power)) look(n.operands()[0], n.operands()[1]);
    if (n.is(Kind::product)) {
      for (const auto [base, exponent] : Parts(n)) look(base, exponent);
    }
  });
  if (!one || !inside) return std::nullopt;
  const auto l = linear_in(*inside, s_);
  if (!l || signs_.of(l->slope) <= 0) return std::nullopt;
  const Expr b = l->constant / l->slope;
  const Symbol root("_root", {Assumption::positive});
  // s = root^2 - b
  const Expr in_terms = substitute(F, {{s_, (root * root - l->constant) / l->slope}}, Unused::allowed);
  const Expr R = with_sums_expanded(in_terms);
  const Expr slope_root = sqrt(l->slope);
  if (!is_rational_in(R, root)) {
    if (const Found f = exponential_in_root(substitute(R, {{root, sqrt(l->slope) * root}}, Unused::allowed), root)) {
      return exp(-b * t_) * *f;
    }
    if (b.is_integer(0)) return std::nullopt;
    // exp(-a*sqrt(s + b)) and the like without b
    const Found f = term(substitute(F, {{s_, s_ - b}}, Unused::allowed));
    if (!f) return std::nullopt;
    step("s + b in place of s gives a factor exp(-b*t)");
    return exp(-b * t_) * *f;
  }
  // the root is slope_root*sqrt(s + b); sigma = sqrt(s)
  const Expr in_sigma = substitute(R, {{root, slope_root * root}}, Unused::allowed);
  std::vector<Expr> parts;
  for (const Expr& piece : terms_of(partial_fractions(in_sigma, root))) {
    const Found f = fraction_in_root(piece, root);
    if (!f) return std::nullopt;
    parts.push_back(*f);
  }
  step("partial fractions in the square root: 1/(sqrt(s) + a) gives 1/sqrt(pi*t) - a*exp(a^2*t)*erfc(a*sqrt(t))");
  return exp(-b * t_) * boreon::add(parts);
}

}  // namespace boreon::transforms
