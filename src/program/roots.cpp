// SPDX-License-Identifier: MIT
// Roots inside numeric functions: a fixed number of safeguarded Newton steps, written out.
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

// Newton's steps double the digits once they are near; where one would leave the bracket or is not shorter than half
// the last one, the bracket is halved instead. Whichever it is, a step or the bracket gets half as long.
constexpr int most_steps = 48;
constexpr int halvings = 60;  // without a derivative

Expr choice(const Expr& condition, const Expr& yes, const Expr& no) {
  const Expr branches[] = {yes, condition, no};
  return piecewise(branches);
}

Expr derivative_or_none(const Expr& body, const Expr& x) {
  try {
    return derivative(body, x);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
    return undefined();
  }
}

}  // namespace

Expr root_as_steps(const Expr& root) {
  const auto ops = root.operands();
  const Expr& x = ops[1];
  const Expr slope = derivative_or_none(ops[0], x);
  const bool newton = !slope.is_constant(ConstantCode::undefined);
  const auto at = [&](const Expr& e, const Expr& place) { return substitute(e, {{x, place}}, Unused::allowed); };
  const Expr at_start = at(ops[0], ops[2]);
  const Expr at_end = at(ops[0], ops[3]);
  // The sign near the start: where there is nothing at the start itself, that of the end.
  const Expr sign = choice(less(0, at_start), 1, choice(less(at_start, 0), -1, choice(less(0, at_end), -1, 1)));
  Expr low = ops[2];
  Expr high = ops[3];
  Expr place = (low + high) / 2;
  const Expr range = high - low;
  Expr last = range;
  for (int k = 0; k < (newton ? most_steps : halvings); ++k) {
    const Expr f = at(ops[0], place);
    const Expr before = less(0, sign * f);
    low = choice(before, place, low);
    high = choice(before, high, place);
    Expr next = (low + high) / 2;
    if (newton) {
      const Expr step = f / at(slope, place);
      const Expr by_newton = place - step;
      // a step that is no more than rounding is no reason to begin anew
      const Expr rounding = Expr(Number::from_double(1e-15)) * abs(place) + Expr(Number::from_double(1e-18)) * range;
      const Expr parts[] = {less_equal(low, by_newton), less_equal(by_newton, high),
                            less_equal(2 * abs(step), last + rounding)};
      next = choice(conjunction(parts), by_newton, next);
      last = abs(next - place);
    }
    place = next;
  }
  return choice(less_equal(at_start * at_end, 0), place, undefined());
}

}  // namespace boreon
