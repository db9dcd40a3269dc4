// SPDX-License-Identifier: MIT
// Rational functions of sines and cosines of multiples of one angle: by t = cos, sin or tan where the symmetry of the
// integrand allows it (Bioche's rules), else by t = tan of half the angle (Weierstrass); arctangents are continued over
// the poles of the tangent (Jeffrey, J. London Math. Soc. 50, 1994).
#include <fmt/format.h>

#include <algorithm>

#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {
namespace {

struct Angles {
  std::vector<Linear> list;
  bool circular = true;  // sin, cos, tan
  bool only = true;      // x occurs nowhere else
  bool denominator = false;
};

Angles angles_of(const Expr& f, const Symbol& x) {
  Angles a;
  postorder(
      std::span<const Expr>(&f, 1),
      [&](const Expr& n) {
        if (!depends_on(n, x)) return;
        if (n == x) a.only = false;
        if (n.is(Kind::call)) {
          const auto name = n.function().name;
          const auto l = n.operands().size() == 1 ? linear_in(n.operands()[0], x) : std::nullopt;
          const bool hyperbolic = name == "sinh" || name == "cosh" || name == "tanh";
          if (!l || (name != "sin" && name != "cos" && name != "tan" && !hyperbolic)) {
            a.only = false;
            return;
          }
          if (hyperbolic) a.circular = false;
          if (name == "tan" || name == "tanh") a.denominator = true;
          a.list.push_back(*l);
        } else if (n.is(Kind::power)) {
          const auto k = n.operands()[1].word();
          a.only = a.only && k;
          a.denominator = a.denominator || (k && *k < 0);
        } else if (n.is(Kind::product)) {
          for (const auto [base, exponent] : Parts(n)) {
            if (!depends_on(base, x) && !depends_on(exponent, x)) continue;
            const auto k = exponent.word();
            a.only = a.only && k;
            a.denominator = a.denominator || (k && *k < 0);
          }
        } else if (!n.is(Kind::sum)) {
          a.only = false;
        }
      },
      [&](const Expr& n) { return depends_on(n, x) && !n.is(Kind::call); });
  return a;
}

// The largest slope of which all are whole multiples; nothing if there is none.
std::optional<Expr> common_slope(const std::vector<Linear>& list) {
  Number g(0);
  const Expr& unit = list[0].slope;
  for (const Linear& l : list) {
    const Expr ratio = l.slope / unit;
    if (!ratio.is_number() || !ratio.number().is_exact()) return std::nullopt;
    Number a = g;
    Number b = ratio.number().abs();
    while (!b.is_zero()) {
      const Number r = a - (a / b).floor() * b;
      a = b;
      b = r;
    }
    g = a;
  }
  return unit * Expr(g);
}

class RationalInAngles {
 public:
  RationalInAngles(Integrator& in, const Symbol& y) : in_(in), y_(y), s_(in.fresh()), c_(in.fresh()), t_(in.fresh()) {}

  // f in sin(y), cos(y) alone
  std::optional<Expr> operator()(const Expr& f) {
    const Expr r = substitute_functions(f);
    if (depends_on(r, y_)) return std::nullopt;
    const Quotient q = quotient(r);
    if (auto result = odd(q, s_, c_, -1, cos(y_), "cos")) return result;
    if (auto result = odd(q, c_, s_, 1, sin(y_), "sin")) return result;
    const Expr in_tangent = substitute(q.numerator, {{s_, t_ * c_}}, Unused::allowed) /
                            substitute(q.denominator, {{s_, t_ * c_}}, Unused::allowed);
    if (const auto even = without(quotient(in_tangent), c_, 1 / (1 + power(t_, 2)))) {
      if (const auto inner = in_(combine_fractions(*even / (1 + power(t_, 2))), t_)) {
        in_.note("t = tan of the angle");
        return back(*inner, y_);
      }
    }
    const Expr half = 1 + power(t_, 2);
    const Expr g = substitute(r, {{s_, 2 * t_ / half}, {c_, (1 - power(t_, 2)) / half}}, Unused::allowed) * 2 / half;
    const auto inner = in_(combine_fractions(g), t_);
    if (!inner) return std::nullopt;
    in_.note("t = tan of half the angle");
    return back(*inner, y_ / 2);
  }

 private:
  [[nodiscard]] Expr substitute_functions(const Expr& f) const {
    Rebuild pass([&](const Expr& n, Expr& result) {
      if (n == sin(y_)) {
        result = s_;
      } else if (n == cos(y_)) {
        result = c_;
      } else {
        return false;
      }
      return true;
    });
    return pass(f);
  }

  // numerator/denominator as a function of v^2 alone, with v^2 = square; nothing if it is not even in v.
  static std::optional<Expr> without(const Quotient& q, const Symbol& v, const Expr& square) {
    const auto split = [&](const Expr& p, Expr& even, Expr& odd) {
      const auto c = coefficients(p, v);
      for (std::size_t i = 0; i < c.size(); ++i) (i % 2 == 0 ? even : odd) += c[i] * power(square, Expr(i / 2));
    };
    Expr n0 = 0;
    Expr n1 = 0;
    Expr d0 = 0;
    Expr d1 = 0;
    split(q.numerator, n0, n1);
    split(q.denominator, d0, d1);
    if (!vanishes(n1 * d0 - n0 * d1)) return std::nullopt;
    if (d1.is_integer(0)) return combine_fractions(n0 / d0);
    return combine_fractions((n0 * d0 - n1 * d1 * square) / (d0 * d0 - d1 * d1 * square));
  }

  // r(v, w) odd in v: with w as the new variable, dy = sign*dw/v
  std::optional<Expr> odd(const Quotient& q, const Symbol& v, const Symbol& w, int sign, const Expr& value,
                          const char* name) {
    const auto g = without(Quotient{q.numerator, expand(q.denominator * v)}, v, 1 - power(w, 2));
    if (!g) return std::nullopt;
    const auto inner = in_(sign * *g, w);
    if (!inner) return std::nullopt;
    in_.note(fmt::format("t = {} of the angle", name));
    return substitute(*inner, {{w, value}}, Unused::allowed);
  }

  // t = tan(half) put back, with arctangents of polynomials in t continued over the poles.
  [[nodiscard]] Expr back(const Expr& f, const Expr& half) {
    const Expr s2 = sin(2 * half);
    const Expr c2 = cos(2 * half);
    Rebuild pass([&](const Expr& n, Expr& result) {
      if (!is_call_of(n, "atan") || !depends_on(n, t_)) return false;
      const auto p = polynomial_in(n.operands()[0], t_);
      if (!p || p->size() % 2 == 1) return false;  // no jump
      const int sign = in_.signs().of(p->back());
      if (p->size() == 2) {
        const Expr a = sign * (*p)[1];
        const Expr b = sign * (*p)[0];
        const auto positive = in_.signs().known(4 * a - b * b);
        if (positive && *positive > 0) {
          result = sign * (half + atan(((a - 1) * s2 + b * (1 + c2)) / ((1 + c2) + a * (1 - c2) + b * s2)));
          return true;
        }
      }
      result = atan(substitute(n.operands()[0], {{t_, tan(half)}})) + sign * pi() * floor(half / pi() + Expr(1) / 2);
      return true;
    });
    return substitute(pass(f), {{t_, tan(half)}}, Unused::allowed);
  }

  Integrator& in_;
  Symbol y_;
  Symbol s_;
  Symbol c_;
  Symbol t_;
};

}  // namespace

layers::Result layers::trigonometric(Integrator& in, const Expr& f, const Symbol& x) {
  const Angles a = angles_of(f, x);
  if (a.list.empty() || !a.only) return std::nullopt;
  if (!a.denominator) {  // products and powers as sums over multiples of the angles
    const Expr g = expand(combine_angles(f));
    if (!(g == f) && operation_count(g) < 300) {
      if (auto r = in(g, x)) {
        in.note("products of sines and cosines as sums");
        return r;
      }
    }
  }
  if (!a.circular) return std::nullopt;
  const auto slope = common_slope(a.list);
  if (!slope) return std::nullopt;
  // A phase that all angles share goes into the variable: 1/sin(x + p) has one zero to be found, not those of a sum.
  Expr shift = a.list[0].constant / a.list[0].slope;
  if (std::any_of(a.list.begin(), a.list.end(),
                  [&](const Linear& l) { return !vanishes(expand(l.constant - l.slope * shift)); }))
    shift = 0;
  const Symbol y = in.fresh();
  const Expr in_y = transforms::angles_expanded(
      transforms::tangents_to_sines(substitute(f, {{x, y / *slope - shift}}, Unused::allowed)), true);
  const auto inner = RationalInAngles(in, y)(in_y);
  if (!inner) return std::nullopt;
  return substitute(*inner, {{y, *slope * (x + shift)}}, Unused::allowed) / *slope;
}

}  // namespace boreon
