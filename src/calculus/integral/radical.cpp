// SPDX-License-Identifier: MIT
// Roots of linear, fractional linear and quadratic functions: substitutions that make the integrand rational (Euler
// 1768; Chebyshev 1853 for binomial differentials, which reduce to roots of fractional linear functions).
#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/undetermined.hpp"

namespace boreon {
namespace {

struct Root {
  Expr base;
  std::int64_t denominator;
};

// Roots whose radicand depends on x; nothing if there is an exponent that is no fraction.
std::optional<std::vector<Root>> roots_of(const Expr& f, const Symbol& x) {
  std::vector<Root> list;
  bool fine = true;
  postorder(f, [&](const Expr& n) {
    const auto look = [&](const Expr& base, const Expr& exponent) {
      if (!depends_on(base, x) && !depends_on(exponent, x)) return;
      if (!exponent.is_number() || exponent.number().is_double()) {
        fine = false;
        return;
      }
      const auto d = exponent.number().denominator().word();
      if (!d || *d == 1) return;
      for (Root& r : list) {
        if (r.base == base) {
          r.denominator = std::lcm(r.denominator, *d);
          return;
        }
      }
      list.push_back({base, *d});
    };
    if (n.is(Kind::power) || n.is(Kind::product)) for_each_factor(n, look);
  });
  if (!fine || list.empty() || list.size() > 4) return std::nullopt;
  return list;
}

// n/d with both linear in x
struct Moebius {
  Linear n;
  Linear d;
};
std::optional<Moebius> moebius(const Expr& e, const Symbol& x) {
  if (!is_rational_in(e, x)) return std::nullopt;
  const Quotient q = quotient(e);
  const auto n = linear_in(q.numerator, x);
  const auto d = linear_in(q.denominator, x);
  if (!n || !d) return std::nullopt;
  return Moebius{*n, *d};
}

// base^(p/n) becomes t^p, everywhere.
Expr replace_root(const Expr& f, const Expr& base, std::int64_t n, const Symbol& t) {
  const auto as_t = [&](const Expr& b, const Expr& e) -> std::optional<Expr> {
    if (!(b == base) || !e.is_number() || e.word()) return std::nullopt;
    return power(t, e * n);
  };
  Rebuild pass([&](const Expr& m, Expr& result) {
    if (m.is(Kind::power)) {
      if (const auto r = as_t(m.operands()[0], m.operands()[1])) {
        result = *r;
        return true;
      }
    }
    if (m.is(Kind::product)) {
      Expr out = m.operands()[0];
      bool any = false;
      for (const auto [b, e] : Parts(m)) {
        const auto r = as_t(b, e);
        any = any || r;
        out *= r ? *r : power(replace_root(b, base, n, t), e);
      }
      if (any) {
        result = out;
        return true;
      }
    }
    return false;
  });
  return pass(f);
}

std::optional<Expr> changed(Integrator& in, const Expr& g, const Symbol& t) {
  try {
    return in(combine_fractions(g), t);
  } catch (const Error&) {
    return in(g, t);
  }
}

// t = ((a*x + b)/(c*x + d))^(1/n)
layers::Result by_fractional_linear(Integrator& in, const Expr& f, const Symbol& x, const Expr& base, std::int64_t n,
                                    const Moebius& m) {
  const Symbol t = in.fresh({Assumption::nonnegative});
  const Expr tn = power(t, n);
  const Expr x_of_t = combine_fractions((m.d.constant * tn - m.n.constant) / (m.n.slope - m.d.slope * tn));
  const Expr g = substitute(replace_root(f, base, n, t), {{x, x_of_t}}, Unused::allowed) * derivative(x_of_t, t);
  if (depends_on(g, x)) return std::nullopt;
  const auto inner = changed(in, g, t);
  if (!inner) return std::nullopt;
  in.note(fmt::format("substitution t = ({})^(1/{})", to_text(base, {80, {}}), n));
  return substitute(*inner, {{t, power(base, Expr(Number(1, n)))}}, Unused::allowed);
}

// Two linear radicands whose exponents in every product add up to whole numbers: by the root of their quotient.
layers::Result by_quotient(Integrator& in, const Expr& f, const Symbol& x, const Root& a, const Root& b) {
  const auto la = linear_in(a.base, x);
  const auto lb = linear_in(b.base, x);
  if (!la || !lb) return std::nullopt;
  const std::int64_t n = std::lcm(a.denominator, b.denominator);
  const Symbol t = in.fresh({Assumption::nonnegative});
  const Symbol l = in.fresh({Assumption::positive});
  // a^p = t^(n*p)*l^p and b^p = l^p with l = b
  Rebuild pass([&](const Expr& m, Expr& result) {
    const auto as = [&](const Expr& base, const Expr& e) -> std::optional<Expr> {
      if (!e.is_number() || e.word()) return std::nullopt;
      if (base == a.base) return power(t, e * n) * power(l, e);
      if (base == b.base) return power(l, e);
      return std::nullopt;
    };
    if (m.is(Kind::power)) {
      if (const auto r = as(m.operands()[0], m.operands()[1])) {
        result = *r;
        return true;
      }
      return false;
    }
    if (!m.is(Kind::product)) return false;
    Expr out = m.operands()[0];
    bool any = false;
    for (const auto [base, e] : Parts(m)) {
      const auto r = as(base, e);
      any = any || r;
      out *= r ? *r : power(base, e);
    }
    if (any) result = out;
    return any;
  });
  const Expr g = pass(f);
  bool whole = true;
  postorder(g, [&](const Expr& m) {
    const auto look = [&](const Expr& base, const Expr& e) {
      whole = whole && !(base == l && !e.word()) && !((base == a.base || base == b.base) && !e.word());
    };
    if (m.is(Kind::power)) look(m.operands()[0], m.operands()[1]);
    if (m.is(Kind::product)) {
      for (const auto [base, e] : Parts(m)) look(base, e);
    }
  });
  if (!whole) return std::nullopt;
  const Expr tn = power(t, n);
  const Expr x_of_t = combine_fractions((lb->constant * tn - la->constant) / (la->slope - lb->slope * tn));
  const Expr h =
      substitute(substitute(g, {{l, b.base}}, Unused::allowed), {{x, x_of_t}}, Unused::allowed) * derivative(x_of_t, t);
  const auto inner = changed(in, h, t);
  if (!inner) return std::nullopt;
  in.note(fmt::format("substitution t = ({}/({}))^(1/{})", to_text(a.base, {80, {}}), to_text(b.base, {80, {}}), n));
  return substitute(*inner, {{t, power(a.base, Expr(Number(1, n))) * power(b.base, Expr(Number(-1, n)))}},
                    Unused::allowed);
}

// One square root of a quadratic, perhaps inside other functions.
layers::Result by_quadratic(Integrator& in, const Expr& f, const Symbol& x, const Expr& q, const std::vector<Expr>& c) {
  const Symbol y = in.fresh({Assumption::nonnegative});
  const Expr with_y = replace_root(f, q, 2, y);
  const auto run = [&](const Expr& x_of_t, const Expr& y_of_t, const Expr& t_of_x, const Symbol& t) -> layers::Result {
    const Expr g = substitute(with_y, {{x, x_of_t}, {y, y_of_t}}, Unused::allowed) * derivative(x_of_t, t);
    const auto inner = changed(in, g, t);
    if (!inner) return std::nullopt;
    in.note(fmt::format("substitution t = {}", to_text(t_of_x, {120, {}})));
    return substitute(*inner, {{t, t_of_x}}, Unused::allowed);
  };
  if (c[1].is_integer(0)) {  // t = x/sqrt(a*x^2 + c), if f*sqrt is a function of x^2
    const Symbol z = in.fresh({Assumption::positive});
    Expr even = expand(with_y * y);
    // y^2 = q; odd powers of y must have gone
    const Expr in_z = substitute(even, {{x, sqrt(z)}}, Unused::allowed);
    bool whole = true;
    const auto half = [&](const Expr& base, const Expr& e) {
      whole = whole && !(base == z && !e.word()) && !(base == y && !(e.word() && *e.word() % 2 == 0));
    };
    postorder(in_z, [&](const Expr& n) {
      if (n.is(Kind::power)) half(n.operands()[0], n.operands()[1]);
      if (n.is(Kind::product)) {
        for (const auto [base, e] : Parts(n)) half(base, e);
      }
    });
    if (whole && !(in_z == y)) {
      const Symbol t = in.fresh();
      const Expr z_of_t = c[0] * power(t, 2) / (1 - c[2] * power(t, 2));
      Rebuild squares([&](const Expr& n, Expr& result) {
        if (n.is(Kind::power) && n.operands()[0] == y) {
          result = power(c[0] / (1 - c[2] * power(t, 2)), n.operands()[1] / 2);
          return true;
        }
        return false;
      });
      // y^2 = c/(1 - a*t^2), dx/y = dt/(1 - a*t^2)
      Expr g = substitute(in_z, {{z, z_of_t}}, Unused::allowed);
      const Symbol y2 = in.fresh({Assumption::positive});
      g = substitute(g, {{y, sqrt(y2)}}, Unused::allowed);
      g = substitute(g, {{y2, c[0] / (1 - c[2] * power(t, 2))}}, Unused::allowed);
      const auto inner = changed(in, g / (1 - c[2] * power(t, 2)), t);
      if (inner) {
        in.note(fmt::format("substitution t = {}/sqrt({})", x.name(), to_text(q, {80, {}})));
        return substitute(*inner, {{t, x / sqrt(q)}}, Unused::allowed);
      }
    }
  }
  const Symbol t = in.fresh();
  const auto sign_a = in.signs().known(c[2]);
  const auto sign_c = in.signs().known(c[0]);
  const auto square = [](const Expr& e) { return e.is_number() && e.number().sign() > 0 && exact_root(e.number(), 2); };
  const auto first = [&]() -> layers::Result {  // sqrt(q) = t - sqrt(a)*x
    const Expr r = sqrt(c[2]);
    const Symbol s = in.fresh({Assumption::positive});
    const Expr x_of_t = (power(s, 2) - c[0]) / (c[1] + 2 * r * s);
    return run(x_of_t, combine_fractions(s - r * x_of_t), sqrt(q) + r * x, s);
  };
  const auto second = [&]() -> layers::Result {  // sqrt(q) = t*x + sqrt(c)
    const Expr r = sqrt(c[0]);
    const Expr x_of_t = (2 * r * t - c[1]) / (c[2] - power(t, 2));
    return run(x_of_t, combine_fractions(x_of_t * t + r), (sqrt(q) - r) / x, t);
  };
  if (square(c[2])) return first();
  if (square(c[0])) return second();
  if (sign_a && *sign_a > 0) return first();
  if (sign_c && *sign_c > 0) return second();
  const Expr d = expand(c[1] * c[1] - 4 * c[2] * c[0]);
  if (in.signs().of(d) > 0) {  // sqrt(a*(x - r1)*(x - r2)) = t*(x - r1)
    const Expr s = sqrt(d);
    const Expr r1 = (-c[1] + s) / (2 * c[2]);
    const Expr r2 = (-c[1] - s) / (2 * c[2]);
    const Expr x_of_t = (r1 * power(t, 2) - c[2] * r2) / (power(t, 2) - c[2]);
    return run(x_of_t, combine_fractions(t * (x_of_t - r1)), sqrt(q) / (x - r1), t);
  }
  return std::nullopt;
}

}  // namespace

Expr integral_of_inverse_root(Integrator& in, const Expr& q, const std::vector<Expr>& c, const Symbol& x) {
  const int sign = in.signs().of(c[2]);
  const Expr y = 2 * c[2] * x + c[1];
  const Expr d = expand(4 * c[2] * c[0] - c[1] * c[1]);
  if (sign > 0) {
    const Expr r = sqrt(c[2]);
    const auto s = in.signs().known(d);
    if (s && *s > 0) return asinh(tidied(y / sqrt(d), in.signs())) / r;
    return in.real_log(tidied(y / r, in.signs()) + 2 * sqrt(q)) / r;
  }
  return -asin(tidied(y / sqrt(-d), in.signs())) / sqrt(-c[2]);
}

layers::Result layers::radical(Integrator& in, const Expr& f, const Symbol& x) {
  if (in.depth() > 7) return std::nullopt;
  const auto roots = roots_of(f, x);
  if (!roots) return std::nullopt;
  for (const Root& r : *roots) {
    if (const auto m = moebius(r.base, x)) {
      // other radicands must not stand in the way
      if (auto result = by_fractional_linear(in, f, x, r.base, r.denominator, *m)) return result;
    }
  }
  for (std::size_t i = 0; i < roots->size(); ++i) {
    for (std::size_t j = 0; j < roots->size(); ++j) {
      if (i == j) continue;
      if (auto result = by_quotient(in, f, x, (*roots)[i], (*roots)[j])) return result;
    }
  }
  for (const Root& r : *roots) {
    if (r.denominator != 2) continue;
    const auto c = polynomial_in(r.base, x, 2);
    if (!c || c->size() != 3) continue;
    if (auto result = by_quadratic(in, f, x, r.base, *c)) return result;
  }
  return std::nullopt;
}

}  // namespace boreon
