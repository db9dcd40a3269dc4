// SPDX-License-Identifier: MIT
// Equations of first order whose solutions are curves with the slope as parameter: y = t*f(y') + g(y') (d'Alembert),
// t = f(y') (E. L. Ince, Ordinary Differential Equations, 1926, section 2.4).
#include "odes/parametric.hpp"

#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/series/limit_engine.hpp"
#include "equations/single.hpp"
#include "equations/verify.hpp"

namespace boreon::odes {
std::optional<Curve> slope_as_parameter(Context& c, const Expr& F, const Symbol& t, const Symbol& y, const Symbol& p) {
  const std::size_t constants = c.constants().size();
  if (const auto in_y = linear_in(F, y); in_y && !in_y->slope.is_integer(0)) {
    const Expr value = combine_fractions(-in_y->constant / in_y->slope);
    const auto in_t = linear_in(value, t);
    if (!in_t) return std::nullopt;
    const Expr gap = combine_fractions(p - in_t->slope);
    if (gap.is_integer(0)) return std::nullopt;  // Clairaut's: lines and their envelope
    // p dt = (f' t + g') dp + f dt
    const LinearOde ode{{-derivative(in_t->slope, p) / gap, 1}, derivative(in_t->constant, p) / gap};
    const auto of_p = solve_linear_ode(c, ode, p);
    if (!of_p || c.open()) {
      c.forget(constants);
      c.set_open(false);
      return std::nullopt;
    }
    c.step("linear in t and y: the slope as parameter, t from a linear equation (d'Alembert)");
    Curve out{*of_p, c.tidy(put(value, t, *of_p))};
    equations::SingleSolver straight(c.signs().conditions());
    if (const auto slopes = straight(boreon::quotient(gap).numerator, p)) {
      for (const equations::Root& r : *slopes) {
        if (!r.conditions.empty() || has_imaginary_unit(r.value)) continue;
        const Expr line = put(value, p, r.value);
        if (!has_infinity(line) && !has_undefined(line)) out.lines.push_back(line);
      }
    }
    return out;
  }
  if (const auto in_t = linear_in(F, t); in_t && !in_t->slope.is_integer(0) && !depends_on(F, y)) {
    const Expr of_p = combine_fractions(-in_t->constant / in_t->slope);
    const auto along = c.closed_integral(p * derivative(of_p, p), p);
    if (!along) return std::nullopt;
    c.step("without y: the slope as parameter");
    return Curve{of_p, *along + c.constant()};
  }
  return std::nullopt;
}

Verified verified_curve(const Expr& F, const Curve& curve, const Symbol& t, const Symbol& y, const Symbol& p,
                        std::span<const Expr> conditions, std::size_t points, std::uint64_t seed) {
  const Expr on_curve = substitute(F, {{t, curve.t}, {y, curve.y}}, Unused::allowed);
  const Expr along = derivative(curve.y, p) - p * derivative(curve.t, p);
  Verified out{true, 0, 15, {}};
  for (const Expr& residual : {on_curve, along}) {
    if (residual.is_integer(0)) continue;
    const equations::ZeroTest z = equations::zero_test(residual, conditions, points, seed);
    if (z.verdict != equations::Zero::yes) return {};
    out.points = std::max(out.points, z.points);
    out.digits = std::min(out.digits, z.digits);
  }
  return out;
}

}  // namespace boreon::odes
