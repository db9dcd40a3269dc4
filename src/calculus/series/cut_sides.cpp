// SPDX-License-Identifier: MIT
#include "calculus/series/cut_sides.hpp"

#include <cmath>
#include <complex>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "calculus/signs.hpp"
#include "values/branch_cuts.hpp"

namespace boreon {
namespace {

Expr call_at(const Expr& call, std::size_t argument, const Expr& value) {
  std::vector<Expr> args(call.operands().begin(), call.operands().end());
  args[argument] = value;
  return boreon::call(call.function(), args);
}

// Whether the function may have a cut within the radius of a place; the other arguments as they are.
bool may_be_cut(const Expr& call, std::size_t argument, std::complex<double> place, double radius) {
  std::vector<Ball> balls;
  for (std::size_t i = 0; i < call.operands().size(); ++i) {
    if (i == argument) {
      balls.push_back(ball_around(place, radius));
      continue;
    }
    const auto v = certified_value(call.operands()[i], {}, {});
    if (!v) return true;
    balls.push_back(Ball::from(*v));
  }
  return may_meet_cut(call, balls);
}

}  // namespace

BesideCut beside_cut(const Expr& call, std::size_t argument, const Expr& place, int side) {
  if (!may_be_cut(call, argument, 0, 1e200)) return BesideCut::regular;  // nowhere
  if (place.has_symbols()) return BesideCut::unknown;
  const auto z = certified_value(place, {}, {});
  if (!z) return BesideCut::unknown;
  if (!may_be_cut(call, argument, *z, 1e-12 * (1 + std::abs(*z)))) return BesideCut::regular;
  if (z->imag() != 0) return BesideCut::unknown;
  const Expr beside = place + Expr(side) * power(Expr(2), Expr(-80)) * imaginary_unit();
  const Expr there = call_at(call, argument, place);
  const auto at_place = certified_value(there, {}, {});
  const auto at_side = certified_value(call_at(call, argument, beside), {}, {});
  if (!at_place || !at_side) return BesideCut::unknown;
  const double close = 1e-9 * (1 + std::abs(*at_place));
  if (std::abs(*at_side - *at_place) <= close) return BesideCut::regular;
  return std::abs(*at_side - std::conj(*at_place)) <= close ? BesideCut::mirrored : BesideCut::unknown;
}

Expr mirrored_value(const Expr& value, const Expr& place) {
  if (is_real(value)) return value;
  if (is_real(value / imaginary_unit())) return -value;
  if (value.is(Kind::call)) {  // beyond 1 or -1: NIST 4.23.24, 4.37.19
    const auto name = value.function().name;
    const auto at = certified_value(place, {}, {});
    const bool right = at && at->real() > 0;
    if (name == "asin") return (right ? pi() : -pi()) - value;
    if (name == "acos") return (right ? Expr(0) : 2 * pi()) - value;
    if (name == "acosh") return at && at->real() < -1 ? value - 2 * pi() * imaginary_unit() : -value;
    if (name == "atanh") return value + (right ? pi() : -pi()) * imaginary_unit();
  }
  return conjugate(value);
}

std::optional<Expr> turned_onto_real_axis(const Expr& call, const Expr& place) {
  const bool hyperbolic = is_call_of(call, "asinh");
  if (!hyperbolic && !is_call_of(call, "atan")) return std::nullopt;
  if (place.has_symbols()) return std::nullopt;
  const auto z = certified_value(place, {}, {});
  if (!z || z->real() != 0 || !(std::abs(z->imag()) > 1)) return std::nullopt;
  const Expr turned = imaginary_unit() * call.operands()[0];
  return -imaginary_unit() * (hyperbolic ? asin(turned) : atanh(turned));
}

}  // namespace boreon
