// SPDX-License-Identifier: MIT
// Quadrature to many digits: double exponential substitutions (Takahasi and Mori 1974) in ball arithmetic.
#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <limits>

#include "boreon/error.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/traverse.hpp"
#include "values/domains.hpp"
#include "values/graph_evaluator.hpp"

namespace boreon {
namespace {

// A margin for cancellation at the ends, where the rule crowds its points.
constexpr long precision = 1000;

enum class Range { finite, half_line, line };

// A point of the rule: where it is, and how much it counts. Of a finite range the place is the distance from the nearer
// end as a part of the length, of a half line the distance from its end.
struct Abscissa {
  Ball place;
  Ball weight;
};

// At t, a multiple of a power of two. With u = pi/2*sinh(t): x = a + (b - a)/(1 + exp(-2*u)), a + exp(u), or sinh(u).
Abscissa node_at(Range range, double t) {
  Abscissa n;
  Ball u;
  Ball rate;  // du/dt
  Ball half_pi;
  arb_const_pi(half_pi.re(), precision);
  arb_mul_2exp_si(half_pi.re(), half_pi.re(), -1);
  arb_set_d(u.re(), t);
  arb_sinh_cosh(u.re(), rate.re(), u.re(), precision);
  arb_mul(u.re(), u.re(), half_pi.re(), precision);
  arb_mul(rate.re(), rate.re(), half_pi.re(), precision);
  switch (range) {
    case Range::finite: {
      Ball far;  // 1 - place
      arb_abs(u.re(), u.re());
      arb_mul_2exp_si(u.re(), u.re(), 1);
      arb_exp(far.re(), u.re(), precision);
      arb_add_ui(n.place.re(), far.re(), 1, precision);
      arb_inv(n.place.re(), n.place.re(), precision);
      arb_mul(far.re(), far.re(), n.place.re(), precision);
      arb_mul(n.weight.re(), n.place.re(), far.re(), precision);
      arb_mul(n.weight.re(), n.weight.re(), rate.re(), precision);
      arb_mul_2exp_si(n.weight.re(), n.weight.re(), 1);
      break;
    }
    case Range::half_line:
      arb_exp(n.place.re(), u.re(), precision);
      arb_mul(n.weight.re(), n.place.re(), rate.re(), precision);
      break;
    case Range::line:
      arb_sinh_cosh(n.place.re(), n.weight.re(), u.re(), precision);
      arb_mul(n.weight.re(), n.weight.re(), rate.re(), precision);
      break;
  }
  return n;
}

double magnitude(const Ball& b) {  // its power of two; -infinity for zero
  if (arf_is_zero(arb_midref(b.re())) != 0) return -std::numeric_limits<double>::infinity();
  return static_cast<double>(arf_abs_bound_lt_2exp_si(arb_midref(b.re())));
}

struct PieceInDigits {
  Ball value;
  Ball size;   // the sum of absolute values
  Ball error;  // the difference of the last two refinements
};

// term(t) is the integrand at node t times its weight.
template <class Term>
PieceInDigits refined(Term term, int digits) {
  constexpr double shortest = 3;  // both sides are followed at least so far, and at most to `longest`
  constexpr double longest = 9;
  constexpr int first_answer = 3;
  constexpr int last_level = 11;
  const double bits = (digits + 3) * std::log2(10.0);
  PieceInDigits p;
  Ball sum;
  Ball sizes;
  for (int level = 0; level <= last_level; ++level) {
    const double h = std::ldexp(1.0, -level);
    const double step = level == 0 ? h : 2 * h;  // the points between those of the levels before
    for (const int side : {1, -1}) {
      int small = 0;
      for (double t = level == 0 ? (side > 0 ? 0 : h) : h; t <= longest; t += step) {
        Ball v = term(side * t);
        arb_add(sum.re(), sum.re(), v.re(), precision);
        arb_abs(v.re(), v.re());
        arb_add(sizes.re(), sizes.re(), v.re(), precision);
        small = magnitude(v) < magnitude(sizes) - bits - 16 ? small + 1 : 0;
        if (small >= 4 && t >= shortest) break;
      }
    }
    Ball value;
    arb_mul_2exp_si(value.re(), sum.re(), -level);
    arb_mul_2exp_si(p.size.re(), sizes.re(), -level);
    arb_sub(p.error.re(), value.re(), p.value.re(), precision);
    arb_abs(p.error.re(), p.error.re());
    p.value = value;
    for (const arb_ptr x : {p.value.re(), p.size.re(), p.error.re()}) mag_zero(arb_radref(x));
    if (level >= first_answer && magnitude(p.error) <= magnitude(p.size) - bits) break;
  }
  return p;
}

}  // namespace

QuadratureDigits quadrature_to_digits(const Expr& f, const Expr& x, const Expr& from, const Expr& to, int digits,
                                      const Bindings& bindings, std::span<const Expr> breaks) {
  if (digits < 1 || digits > 90) throw Error(ErrorKind::usage, "quadrature gives 1 to 90 digits");
  const auto bound = [&](const Expr& e) { return substitute(e, bindings, Unused::allowed); };
  const Expr g = bound(f);
  const EvaluationPlan plan({&g, 1});
  const auto value = [&](const Ball& at) {
    try {
      auto r = GraphEvaluator<BallDomain>(BallDomain{precision}).run(plan, [&](const Expr& e, Ball& v) {
        if (!(e == x)) return false;
        v = at;
        return true;
      });
      if (r[0].finite()) return std::move(r[0]);
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::unsupported) throw;
    }
    return Ball();
  };
  std::vector<Expr> ends{bound(from)};
  for (const Expr& b : breaks) ends.push_back(bound(b));
  ends.push_back(bound(to));
  Ball total;
  Ball size;
  Ball error;
  for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
    const bool below = ends[i] == -infinity();
    const bool above = ends[i + 1].is_constant(ConstantCode::infinity);
    const Range range = below && above ? Range::line : below || above ? Range::half_line : Range::finite;
    const Ball low = below ? Ball() : ball_of(ends[i], precision);
    const Ball high = above ? Ball() : ball_of(ends[i + 1], precision);
    Ball length;
    arb_sub(length.re(), high.re(), low.re(), precision);
    const PieceInDigits p = refined(
        [&](double t) {
          Abscissa n = node_at(range, t);
          const bool from_high = range == Range::finite ? t > 0 : below;
          if (range == Range::finite) {
            arb_mul(n.place.re(), n.place.re(), length.re(), precision);
            arb_mul(n.weight.re(), n.weight.re(), length.re(), precision);
          }
          Ball at;
          if (range == Range::line) {
            at = n.place;
          } else if (from_high) {
            arb_sub(at.re(), high.re(), n.place.re(), precision);
          } else {
            arb_add(at.re(), low.re(), n.place.re(), precision);
          }
          const Ball v = value(at);
          arb_mul(n.weight.re(), n.weight.re(), v.re(), precision);
          return n.weight;
        },
        digits);
    arb_add(total.re(), total.re(), p.value.re(), precision);
    arb_add(size.re(), size.re(), p.size.re(), precision);
    arb_add(error.re(), error.re(), p.error.re(), precision);
  }
  QuadratureDigits out;
  const double reached =
      (magnitude(total) - std::max(magnitude(error), magnitude(size) - precision / 2.0)) * std::log10(2.0);
  out.digits = std::isnan(reached) ? 0 : static_cast<int>(std::clamp(reached, 0.0, 90.0));
  out.converged = out.digits >= digits;
  mag_zero(arb_radref(total.re()));
  out.value = decimal(total.re(), std::min(digits, std::max(out.digits, 1)));
  return out;
}

}  // namespace boreon
