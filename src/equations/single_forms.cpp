// SPDX-License-Identifier: MIT
// Sines and cosines of one angle, Lambert's W, and logarithms of the unknown.
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "calculus/integral/integrator.hpp"
#include "equations/replaced.hpp"
#include "equations/single.hpp"

namespace boreon::equations {
namespace {

std::optional<std::vector<Expr>> in_powers(const Expr& e, const Symbol& s, const Symbol& x) {
  const auto c = polynomial_in(e, s, 40);
  if (!c || std::any_of(c->begin(), c->end(), [&](const Expr& k) { return depends_on(k, x); })) return std::nullopt;
  return c;
}

}  // namespace

// A polynomial in sin(u) and cos(u): in one of them by their squares; a*sin + b*cos as one sine; else by tan(u/2).
SingleSolver::Found SingleSolver::of_waves(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x) {
  if (kernels.size() != 2) return std::nullopt;
  const bool first_is_sine = is_call_of(kernels[0], "sin");
  const Expr& sine = kernels[first_is_sine ? 0 : 1];
  const Expr& cosine = kernels[first_is_sine ? 1 : 0];
  if (!is_call_of(sine, "sin") || !is_call_of(cosine, "cos") || !(sine.operands()[0] == cosine.operands()[0]))
    return std::nullopt;
  const Expr& u = sine.operands()[0];
  const Symbol s("_s");
  const Symbol c("_c");
  const Expr p = expand(replaced(factor, {{sine, s}, {cosine, c}}));
  for (const bool keep_sine : {true, false}) {
    const Symbol& kept = keep_sine ? s : c;
    const Symbol& squared = keep_sine ? c : s;
    const auto by = polynomial_in(p, squared, 40);
    if (!by) return std::nullopt;
    bool even = true;
    Expr in_kept = 0;
    for (std::size_t k = 0; k < by->size(); ++k) {
      even = even && (k % 2 == 0 || (*by)[k].is_integer(0));
      if (k % 2 == 0) in_kept += (*by)[k] * power(1 - power(kept, 2), Expr(k / 2));
    }
    if (even) return zeros(replaced(expand(in_kept), {{kept, keep_sine ? sine : cosine}}), x);
  }
  const auto linear_sine = polynomial_in(p, s, 1);
  if (linear_sine && linear_sine->size() == 2 && !depends_on((*linear_sine)[1], c)) {
    if (const auto l = linear_in((*linear_sine)[0], c)) {
      const Expr& a = (*linear_sine)[1];
      const Expr& b = l->slope;
      if (!depends_on(a, x) && !depends_on(b, x) && !depends_on(l->constant, x) && !depends_on(l->constant, s)) {
        step("a sine and a cosine as one sine");
        // a*sin(u) + b*cos(u) = r*sin(u + phase)
        const Expr phase = signs_.known(a).value_or(0) > 0 ? atan(b / a) : atan2(b, a);
        const Expr r = sqrt(expand(a * a + b * b));
        return zeros(r * sin(u + phase) + l->constant, x);
      }
    }
  }
  step("by the tangent of half the angle");
  const Symbol t("_t");
  const Expr in_t = replaced(p, {{s, 2 * t / (1 + power(t, 2))}, {c, (1 - power(t, 2)) / (1 + power(t, 2))}});
  const Expr numerator = quotient(in_t).numerator;
  std::vector<Root> all;
  const Found halves = zeros(numerator, t);
  if (!halves) return std::nullopt;
  const auto add_angle = [&](const Expr& angle, unsigned multiplicity, const std::vector<Expr>& conditions) {
    const Found part = zeros(u - angle - 2 * pi() * integer_for(angle), x);
    if (!part) return false;
    for (Root r : *part) {
      r.multiplicity *= multiplicity;
      r.conditions.insert(r.conditions.end(), conditions.begin(), conditions.end());
      all.push_back(std::move(r));
    }
    return true;
  };
  for (const Root& h : *halves) {
    if (looks_real(h.value) && !add_angle(2 * atan(h.value), h.multiplicity, h.conditions)) return std::nullopt;
  }
  if (vanishes(replaced(p, {{s, 0}, {c, -1}})) && !add_angle(pi(), 1, {})) return std::nullopt;
  return all;
}

// (a1*x + a0)*exp(k*x) + b1*x + b0 where the product or the rest is linear in x: Corless et al., On the Lambert W
// function, 1996. Over the real numbers there is one value for an argument from 0 on, two from -exp(-1) to 0.
SingleSolver::Found SingleSolver::by_lambert(const Expr& factor, const std::vector<Expr>& kernels, const Symbol& x) {
  if (kernels.size() != 2) return std::nullopt;
  const Expr& kernel = kernels[kernels[0] == x ? 1 : 0];
  if (!(kernels[0] == x || kernels[1] == x)) return std::nullopt;
  Expr rate;  // kernel = exp(rate*x + offset)
  if (is_call_of(kernel, "exp")) {
    rate = kernel.operands()[0];
  } else if (kernel.is(Kind::power) && !depends_on(kernel.operands()[0], x) && is_positive(kernel.operands()[0])) {
    rate = kernel.operands()[1] * log(kernel.operands()[0]);
  } else {
    return std::nullopt;
  }
  const auto l = linear_in(rate, x);
  if (!l) return std::nullopt;
  const Symbol e("_e");
  const auto by = polynomial_in(expand(replaced(factor, {{kernel, e}})), e, 1);
  if (!by || by->size() != 2) return std::nullopt;
  const auto a = in_powers((*by)[1], x, e);
  const auto b = in_powers((*by)[0], x, e);
  if (!a || !b || a->size() > 2 || b->size() > 2) return std::nullopt;
  const Expr& k = l->slope;
  Expr argument;
  Expr shift;  // x = W(argument)/(+-k) + shift
  int sign = 1;
  const Expr grown = exp(l->constant);
  if (b->size() == 1 && a->size() == 2) {  // (x + a0/a1)*exp(k*x) = -b0/(a1*grown)
    shift = -(*a)[0] / (*a)[1];
    argument = -k * (*b)[0] / ((*a)[1] * grown) * exp(-k * shift);
  } else if (b->size() == 2 && a->size() == 1) {  // a0*grown*exp(k*x) = -(b1*x + b0)
    shift = -(*b)[0] / (*b)[1];
    argument = k * (*a)[0] * grown / (*b)[1] * exp(k * shift);
    sign = -1;
  } else {
    return std::nullopt;
  }
  step("Lambert's W");
  const Expr end = argument + exp(Expr(-1));
  const auto positive = signs_.known(argument);
  const auto beyond = signs_.known(end);
  if (beyond && *beyond < 0) return std::vector<Root>{};
  std::vector<Root> all;
  const auto value = [&](const Expr& w) { return expand(sign * w / k) + shift; };
  Root principal{value(lambert_W(argument))};
  if (!beyond && !(positive && *positive >= 0)) principal.conditions.push_back(greater_equal(argument, -exp(Expr(-1))));
  all.push_back(principal);
  if (!(positive && *positive >= 0) && !(beyond && *beyond == 0)) {
    Root other{value(lambert_W(-1, argument))};
    if (!beyond) other.conditions.push_back(greater_equal(argument, -exp(Expr(-1))));
    if (!positive) other.conditions.push_back(less(argument, 0));
    all.push_back(other);
  }
  return all;
}

// a*x^n*exp(u) = b with whole n and u linear in x: x*exp(u/n) = +-(b/a)^(1/n).
SingleSolver::Found SingleSolver::of_power_times_exponential(const Expr& factor, const std::vector<Expr>& kernels,
                                                             const Symbol& x) {
  const std::vector<Expr> terms = terms_of(expand(factor));
  if (terms.size() != 2 || kernels.size() != 2) return std::nullopt;
  Expr front = 1;  // front*x^n*exp(exponent) = -1
  Expr exponent = 0;
  std::int64_t n = 0;
  bool good = true;
  const auto take = [&](const Expr& term, int sign) {
    front *= power(leading_number(term), Expr(sign));
    for_each_factor(term, [&](const Expr& base, const Expr& power_of) {
      if (base == x) {
        good = good && power_of.word();
        if (good) n += sign * *power_of.word();
      } else if (is_call_of(base, "exp") && depends_on(base, x)) {
        exponent += sign * base.operands()[0] * power_of;
      } else {
        front *= power(base, sign * power_of);
      }
    });
  };
  take(terms[0], 1);
  take(terms[1], -1);
  if (n < 0) {
    n = -n;
    exponent = -exponent;
    front = 1 / front;
  }
  if (!good || n < 2 || n > 100 || depends_on(front, x) || !depends_on(exponent, x) || !linear_in(expand(exponent), x))
    return std::nullopt;
  const Expr v = -1 / front;
  const auto sign = signs_.known(v);
  if (!sign) return std::nullopt;
  std::vector<Expr> values;
  if (n % 2 == 1) {
    values = {*sign < 0 ? -power(-v, Expr(Number(1, n))) : power(v, Expr(Number(1, n)))};
  } else if (*sign > 0) {
    values = {power(v, Expr(Number(1, n))), -power(v, Expr(Number(1, n)))};
  }
  std::vector<Root> all;
  for (const Expr& value : values) {
    const Found part = zeros(x * exp(expand(exponent / n)) - value, x);
    if (!part) return std::nullopt;
    all.insert(all.end(), part->begin(), part->end());
  }
  return all;
}

// x and log(x), or powers of x with x in the exponent: x = exp(t).
SingleSolver::Found SingleSolver::by_logarithm_of_unknown(const Expr& factor, const std::vector<Expr>& kernels,
                                                          const Symbol& x) {
  if (std::none_of(kernels.begin(), kernels.end(), [&](const Expr& k) { return k == log(x); })) return std::nullopt;
  const Symbol t("_t");
  const Expr in_t = expand(substitute(factor, {{x, exp(t)}}, Unused::allowed));
  const Found inner = zeros(in_t, t);
  if (!inner) return std::nullopt;
  step("in the logarithm of the unknown");
  std::vector<Root> all;
  for (const Root& r : *inner) {
    if (looks_real(r.value)) all.push_back({exp(r.value), r.multiplicity, r.conditions});
  }
  return all;
}

}  // namespace boreon::equations
