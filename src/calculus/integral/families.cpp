// SPDX-License-Identifier: MIT
// Families over finite ranges, and the choice among all of them. Formula numbers: NIST Digital Library unless another
// handbook is named (GR: Gradshteyn and Ryzhik, 8th edition).
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

namespace boreon {
namespace {

using namespace families;

// --- finite ranges ---------------------------------------------------------------------------------------------------

// x^s*(a - b*x^p)^q from 0 to (a/b)^(1/p): 5.12.1
Result beta_on_unit_interval(const Factors& f, const Symbol& x, const Expr& to, Signs& signs) {
  if (f.others.empty()) return std::nullopt;
  std::optional<Binomial> b;
  Expr q = 0;
  for (const auto& [base, exponent] : f.others) {
    const auto here = binomial_of(base, x);
    if (!here || b) return std::nullopt;
    b = here;
    q = exponent;
  }
  if (depends_on(q, x) || !positive(signs, b->p)) return std::nullopt;
  if (!vanishes(b->a + b->b * power(to, b->p)) || !positive(signs, b->a)) return std::nullopt;
  const Expr m = (f.power + 1) / b->p;
  if (!positive(signs, m) || !positive(signs, q + 1)) return std::nullopt;
  return f.constant * power(b->a, q) * power(to, f.power + 1) / b->p * gamma(m) * gamma(q + 1) / gamma(m + q + 1);
}

// sin(x)^p*cos(x)^q from 0 to pi/2, sin(x)^p from 0 to pi: 5.12.2
Result beta_of_angle(const Factors& f, const Symbol& x, const Expr& to, Signs& signs) {
  if (!f.power.is_integer(0) || f.others.empty()) return std::nullopt;
  Expr p = 0;
  Expr q = 0;
  for (const auto& [base, exponent] : f.others) {
    if (depends_on(exponent, x)) return std::nullopt;
    if (base == sin(x)) {
      p += exponent;
    } else if (base == cos(x)) {
      q += exponent;
    } else if (base == tan(x)) {
      p += exponent;
      q -= exponent;
    } else {
      return std::nullopt;
    }
  }
  if (!positive(signs, p + 1) || !positive(signs, q + 1)) return std::nullopt;
  const Expr value = f.constant * gamma((p + 1) / 2) * gamma((q + 1) / 2) / gamma((p + q) / 2 + 1);
  if (to == pi() / 2) return value / 2;
  if (to == pi() && q.is_integer(0)) return value;
  return std::nullopt;
}

// log(a + b*cos(x)) over a period or half of one: GR 4.224.9
Result logarithm_over_period(const Factors& f, const Symbol& x, const Expr& length, Signs& signs) {
  if (f.others.size() != 1 || !is_call_of(f.others[0].first, "log") || !f.others[0].second.is_integer(1) ||
      !f.power.is_integer(0))
    return std::nullopt;
  const Expr& u = f.others[0].first.operands()[0];
  const Symbol c("_c");
  bool cosine = false;
  Rebuild pass([&](const Expr& n, Expr& r) {
    if (!(n == cos(x)) && !(n == sin(x) && length == 2 * pi())) return false;
    cosine = true;
    r = c;
    return true;
  });
  const auto l = linear_in(pass(u), c);
  if (!cosine || !l || depends_on(l->constant, x) || depends_on(l->slope, x)) return std::nullopt;
  const Expr d = factor(l->constant * l->constant - l->slope * l->slope);
  if (!positive(signs, l->constant) || signs.of(d) < 0) return std::nullopt;
  SimplifyOptions o;
  o.conditions = signs.conditions();
  return f.constant * length * log(simplify((l->constant + simplify(sqrt(d), o)) / 2, o));
}

// cos(n*x - z*sin(x)), exp(z*cos(x)), cos(z*cos(x)), ... from 0 to pi or 2*pi: 10.9.1, 10.9.2, 10.32.1, 10.32.3
Result bessel_of_angle(const Factors& f, const Symbol& x, const Expr& length, Signs& signs) {
  if (!f.power.is_integer(0) || f.others.empty() || f.others.size() > 2) return std::nullopt;
  const Expr turns = length / pi();
  const auto argument = [&](const Expr& u, Expr& n, Expr& z, Expr& rest, bool& sine) {
    const Symbol s("_s");
    bool found = false;
    Rebuild pass([&](const Expr& e, Expr& r) {
      if (!(e == sin(x)) && !(e == cos(x))) return false;
      found = true;
      sine = e == sin(x);
      r = s;
      return true;
    });
    const auto l = linear_in(pass(u), s);
    if (!found || !l || depends_on(l->slope, x)) return false;
    const auto m = linear_in(l->constant, x);
    if (!m) return false;
    z = l->slope;
    n = m->slope;
    rest = m->constant;
    return true;
  };
  Expr n;
  Expr z;
  Expr rest;
  bool sine = false;
  if (f.others.size() == 1) {
    const auto& [base, exponent] = f.others[0];
    if (!exponent.is_integer(1) || base.operands().size() != 1 || !argument(base.operands()[0], n, z, rest, sine) ||
        !rest.is_integer(0))
      return std::nullopt;
    if (is_call_of(base, "cos") && sine && is_integer(n)) return f.constant * length * cyl_bessel_j(n, -z);
    if (is_call_of(base, "cos") && n.is_integer(0)) return f.constant * length * cyl_bessel_j(0, z);
    if (is_call_of(base, "exp") && n.is_integer(0) && (!sine || turns.is_integer(2)))
      return f.constant * length * cyl_bessel_i(0, z);
    return std::nullopt;
  }
  // exp(z*cos(x))*cos(n*x)
  const auto* e = f.find("exp");
  const auto* c = f.find("cos");
  if (e == nullptr || c == nullptr || !e->second.is_integer(1) || !c->second.is_integer(1)) return std::nullopt;
  const auto l = linear_in(c->first.operands()[0], x);
  if (!l || !l->constant.is_integer(0) || !is_integer(l->slope)) return std::nullopt;
  if (!argument(e->first.operands()[0], n, z, rest, sine) || sine || !n.is_integer(0) || !rest.is_integer(0))
    return std::nullopt;
  (void)signs;
  return f.constant * length * cyl_bessel_i(l->slope, z);
}

// 1/sqrt(c*(cos(x) - cos(alpha))) from 0 to alpha: the swing of a pendulum, 19.2.8 after sin(x/2) = sin(alpha/2)*sin(t)
Result pendulum(const Factors& f, const Symbol& x, const Expr& to, Signs& signs) {
  if (f.others.size() != 1 || !f.power.is_integer(0) || !(f.others[0].second == Expr(-1) / 2)) return std::nullopt;
  const Symbol c("_c");
  Rebuild pass([&](const Expr& n, Expr& r) {
    if (!(n == cos(x))) return false;
    r = c;
    return true;
  });
  const auto l = linear_in(pass(f.others[0].first), c);
  if (!l || depends_on(l->slope, x) || depends_on(l->constant, x) || !positive(signs, l->slope)) return std::nullopt;
  if (!vanishes(l->constant / l->slope + cos(to))) return std::nullopt;
  return f.constant * sqrt(2 / l->slope) * elliptic_K(power(sin(to / 2), 2));
}

// 1/sqrt((a - b*x^2)*(c - d*x^2)) from 0 to its first branch point: 19.2.8 with x = sqrt(a/b)*sin(t)
Result between_branch_points(const Factors& f, const Symbol& x, const Expr& to, Signs& signs) {
  if (!f.power.is_integer(0)) return std::nullopt;
  Expr inside = 1;
  for (const auto& [base, exponent] : f.others) {
    if (!(exponent == Expr(-1) / 2)) return std::nullopt;
    inside *= base;
  }
  const auto c = polynomial_in(expand(inside), x, 4);
  if (!c || c->size() != 5 || !(*c)[1].is_integer(0) || !(*c)[3].is_integer(0)) return std::nullopt;
  const Expr square = to * to;
  // (*c)[4]*(x^2 - square)*(x^2 - other)
  const Expr other = (*c)[0] / ((*c)[4] * square);
  if (!vanishes((*c)[2] + (*c)[4] * (square + other)) || !positive(signs, (*c)[4]) || !positive(signs, other - square))
    return std::nullopt;
  return f.constant * elliptic_K(square / other) / sqrt((*c)[4] * other);
}

// 1/sqrt((x^2 - a)*(x^2 - b)) where x^2 is larger than both: the same with sqrt(a*b)/x for x
Result beyond_branch_points(const Factors& f, const Symbol& x, const Expr& from, const Expr& to, Signs& signs) {
  if (!f.power.is_integer(0) || f.others.empty() || !positive(signs, from)) return std::nullopt;
  Expr inside = 1;
  for (const auto& [base, exponent] : f.others) {
    if (!(exponent == Expr(-1) / 2)) return std::nullopt;
    inside *= base;
  }
  const auto c = polynomial_in(expand(inside), x, 4);
  if (!c || c->size() != 5 || !(*c)[1].is_integer(0) || !(*c)[3].is_integer(0) || !positive(signs, (*c)[4]))
    return std::nullopt;
  const auto roots = closed_roots({(*c)[0], (*c)[2], (*c)[4]}, signs);
  if (!roots || roots->real.size() != 2) return std::nullopt;
  Expr small = roots->real[0];
  Expr large = roots->real[1];
  if (signs.of(small - large) > 0) std::swap(small, large);
  if (!positive(signs, small) || signs.of(from * from - large) < 0) return std::nullopt;
  const auto at = [&](const Expr& place) {
    return has_infinity(place) ? Expr(0) : elliptic_F(asin(sqrt(large) / place), small / large);
  };
  return f.constant * (at(from) - at(to)) / sqrt((*c)[4] * large);
}

// 2/(2n + 1) for the square of a Legendre polynomial: 18.3.1
Result legendre_square(const Factors& f, const Symbol& x) {
  if (f.others.size() != 1 || !is_call_of(f.others[0].first, "legendre") || !f.others[0].second.is_integer(2) ||
      !f.power.is_integer(0))
    return std::nullopt;
  const auto a = f.others[0].first.operands();
  if (!(a[1] == x) || !is_integer(a[0]) || !is_nonnegative(a[0])) return std::nullopt;
  return f.constant * 2 / (2 * a[0] + 1);
}

// --- logarithms by differentiation under the integral sign -----------------------------------------------------------

// log(x)^j as the j-th derivative of x^s, log(g)^m as that of g^t, at 0.
Result by_parameter(const DefiniteProblem& p, Signs& signs, int depth);

Result family_value(const DefiniteProblem& p, Signs& signs) {
  const Expr& f = p.integrand;
  const Symbol& x = p.x;
  const bool to_infinity = p.to.is_constant(ConstantCode::infinity);
  if (p.from.is_integer(0) && to_infinity) {
    if (auto r = on_half_line(f, x, signs)) return r;
    // half of an even integrand over the line
    if (substitute(f, {{x, -x}}, Unused::allowed) == f) {
      if (auto r = on_line(f, x, signs)) return *r / 2;
    }
    return std::nullopt;
  }
  if (p.from == -infinity() && to_infinity) {
    return on_line(f, x, signs);
  }
  const Factors parts = factors_of(f, x);
  if (p.from.is_integer(0) && p.to.is_integer(1)) {  // powers over logarithms are exponentials of -log(x)
    const bool over_logarithm = std::any_of(parts.others.begin(), parts.others.end(), [&](const auto& o) {
      return o.first == log(x) && o.second.is_number() && o.second.number().sign() < 0;
    });
    const Symbol t("_t", {Assumption::positive});
    Rebuild in_t([&](const Expr&, Expr&) { return false; },
                 [&](const Expr& n) -> Expr {
                   if (n == log(x)) return -t;
                   if (n.is(Kind::power) && n.operands()[0] == x) return exp(-t * n.operands()[1]);
                   if (!n.is(Kind::product)) return n;
                   Expr out = n;
                   for_each_factor(n, [&](const Expr& base, const Expr& exponent) {
                     if (base == x) out = out / power(base, exponent) * exp(-t * exponent);
                   });
                   return out;
                 });
    if (over_logarithm) {
      const Expr g = substitute(in_t(f), {{x, exp(-t)}}, Unused::allowed);
      if (auto r = on_half_line(expand(g * exp(-t)), t, signs)) return r;
    }
  }
  if (auto r = beyond_branch_points(parts, x, p.from, p.to, signs)) return r;
  if (p.from.is_integer(0)) {
    if (auto r = pendulum(parts, x, p.to, signs)) return r;
    if (p.to == pi() || p.to == pi() / 2 || p.to == 2 * pi()) {
      if (auto r = beta_of_angle(parts, x, p.to, signs)) return r;
      if (p.to == pi() || p.to == 2 * pi()) {
        if (auto r = bessel_of_angle(parts, x, p.to, signs)) return r;
        if (auto r = logarithm_over_period(parts, x, p.to, signs)) return r;
        if (auto r = waves_over_cosine(f, x, p.to, signs)) return r;
      }
      if (p.to == 2 * pi()) {
        if (auto r = exponential_on_circle(parts, x)) return r;
      }
    }
    if (auto r = beta_on_unit_interval(parts, x, p.to, signs)) return r;
    if (auto r = between_branch_points(parts, x, p.to, signs)) return r;
  }
  if (p.from == -pi() && p.to == pi()) {
    if (auto r = logarithm_over_period(parts, x, 2 * pi(), signs)) return r;
    if (auto r = bessel_of_angle(parts, x, 2 * pi(), signs)) return r;
    if (auto r = waves_over_cosine(f, x, 2 * pi(), signs)) return r;
    if (auto r = exponential_on_circle(parts, x)) return r;
  }
  if (p.from.is_integer(-1) && p.to.is_integer(1)) {
    if (auto r = legendre_square(parts, x)) return r;
  }
  if (p.from == -p.to && substitute(f, {{x, -x}}, Unused::allowed) == f) {
    if (auto r = beta_on_unit_interval(parts, x, p.to, signs)) return 2 * *r;
  }
  return std::nullopt;
}

Result by_parameter(const DefiniteProblem& p, Signs& signs, int depth) {
  if (depth > 2) return std::nullopt;
  const Factors f = factors_of(p.integrand, p.x);
  for (std::size_t i = 0; i < f.others.size(); ++i) {
    const auto& [base, exponent] = f.others[i];
    const auto k = exponent.word();
    if (!is_call_of(base, "log") || !k || *k < 1 || *k > 6) continue;
    Expr rest = p.integrand / power(base, exponent);
    const Symbol s(depth == 0 ? "_s" : depth == 1 ? "_r" : "_q");
    // x^s converges for small s of either sign wherever log(x) does; families ask for signs of s plus a number
    DefiniteProblem q{rest * power(base.operands()[0], s), p.x, p.from, p.to};
    const auto with_small_power = [&]() -> Result {
      std::vector<Expr> c = signs.conditions();
      c.push_back(less(s, Expr(1) / 1000));
      c.push_back(less(-Expr(1) / 1000, s));
      Signs small(c);
      if (auto r = family_value(q, small)) return r;
      return by_parameter(q, small, depth + 1);
    };
    Result g;
    for (int decided = 0;; ++decided) {
      try {
        g = with_small_power();
        break;
      } catch (const UnknownSign& u) {  // of other parameters, which may be assumed here
        if (decided == 3 || depends_on(u.of, s)) throw;
        (void)signs.of(u.of);
      }
    }
    if (!g) continue;
    Expr d = *g;
    for (std::int64_t j = 0; j < *k; ++j) d = derivative(d, s);
    const Expr direct = [&]() -> Expr {
      try {
        return substitute(d, {{s, 0}}, Unused::allowed);
      } catch (const Error&) {
        return undefined();
      }
    }();
    if (!has_undefined(direct)) return direct;
    try {
      return one_sided_limit(d, s, 0, true, signs);
    } catch (const NoLimit&) {
    } catch (const NoExpansion&) {
    }
  }
  return std::nullopt;
}

}  // namespace

std::optional<DefiniteValue> by_principal_family(const DefiniteProblem& p, Signs& signs) {
  if (!p.from.is_integer(0) || !p.to.is_constant(ConstantCode::infinity)) return std::nullopt;
  const auto value = principal_on_half_line(p.integrand, p.x, signs);
  if (!value) return std::nullopt;
  return DefiniteValue{*value, "the principal value of a power over a binomial"};
}

std::optional<DefiniteValue> by_family(const DefiniteProblem& p, Signs& signs) {
  if (auto r = family_value(p, signs)) return DefiniteValue{*r, "a known family of definite integrals"};
  if (auto r = by_parameter(p, signs, 0)) return DefiniteValue{*r, "differentiation of a known family by a parameter"};
  return std::nullopt;
}

}  // namespace boreon
