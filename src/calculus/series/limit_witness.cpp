// SPDX-License-Identifier: MIT
#include "calculus/series/limit_witness.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evidence.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/parameter_points.hpp"
#include "calculus/signs.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

// f as a function of the distance from the place, or of its reciprocal.
Expr in_distance(const Expr& f, const Expr& x, const Expr& place, int direction, const Symbol& w) {
  return substitute(f, {{x, is_infinite(place) ? direction / w : place + direction * w}}, Unused::allowed);
}

[[noreturn]] void refute(const LimitResult& result) {
  throw Error(ErrorKind::check,
              fmt::format("the limit found, {}, is not what nearby values tend to", to_text(result.value, {120, {}})));
}

bool has_operators(const Expr& f) {
  bool found = false;
  postorder(f, [&](const Expr& n) { found = found || is_operator(n); });
  return found;
}

// Values at distances 10^-3, 10^-8, 10^-40, 10^-90 (at infinity the square roots): of the right sign, and growing.
void grows_nearby(const Expr& in_w, const Symbol& w, const Bindings& at, bool far, LimitResult& result) {
  const double sign = result.value.is_constant(ConstantCode::infinity) ? 1 : -1;
  std::vector<double> values;
  for (const int k : {3, 8, 40, 90}) {
    Bindings here = at;
    here.set(w, Expr(Number(1)) / power(Expr(10), far ? (k + 1) / 2 : k));
    try {
      const auto v = certified_value(substitute(in_w, here, Unused::allowed), {}, {});
      if (!v || v->imag() != 0) break;
      values.push_back(v->real());
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      break;  // beyond the range of numbers
    }
  }
  if (values.size() < 2) return;
  const double last = values.back() * sign;
  const double before = values[values.size() - 2] * sign;
  const bool grows = last > 0 && (std::isinf(last) || last > before * (1 + 1e-3));
  // far out already, and still not growing
  if (values.size() >= 3 && !grows) refute(result);
  result.points += values.size();
  result.approached = grows;
}

}  // namespace

void compare_nearby(const Expr& f, const Expr& x, const Expr& place, int direction, LimitResult& result,
                    std::span<const Expr> conditions) {
  if (result.value.is_constant(ConstantCode::undefined)) return;
  const bool infinite = result.value.is_constant(ConstantCode::infinity) || result.value == -infinity();
  if (infinite ? has_operators(f) : is_infinite(result.value)) return;
  if (!unknown_calls({&f, 1}).empty()) return;
  const Symbol w("_w", {Assumption::positive});
  const bool far = is_infinite(place);
  const Expr in_w = in_distance(f, x, place, direction, w);
  const Expr list[] = {in_w, result.value};
  ParameterPoints parameters({std::begin(list), std::end(list)}, w, conditions, 20260101);
  if (!parameters.next()) return;
  const Bindings at = parameters.bindings();
  if (infinite) return grows_nearby(in_w, w, at, far, result);
  const std::size_t earlier = result.points;
  double last_change = 0;
  double distance = 0;
  std::optional<std::complex<double>> previous;
  double size = 1;
  const auto look = [&](int k) {
    Bindings here = at;
    here.set(w, Expr(Number(1)) / power(Expr(10), far ? (k + 1) / 2 : k));
    try {
      // differences are formed before rounding
      const Expr limit_here = substitute(result.value, at, Unused::allowed);
      const auto d = certified_value(substitute(in_w, here, Unused::allowed) - limit_here, {}, {});
      const auto v = limit_here.is_integer(0) ? std::complex<double>(0) : certified_value(limit_here, {}, {});
      if (!d || !v) return false;
      size = std::max(1e-3, std::abs(*v));
      if (previous) last_change = std::abs(*d - *previous);
      previous = d;
      distance = std::abs(*d);
      return true;
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::limit || e.kind() == ErrorKind::interrupted) throw;
      return false;
    }
  };
  for (const int k : {3, 5, 8}) {
    if (!look(k)) return;
    ++result.points;
  }
  const double digits = agreeing_digits(distance, size);
  result.digits = earlier == 0 ? digits : std::min(result.digits, digits);
  bool stays = distance > 1e-4 * size && last_change < 1e-3 * distance;
  if (!stays && !has_operators(f) && distance > 1e-4 * size) {
    // slow, as a logarithm is, or wrong: much nearer a distance that tends to zero is smaller
    const double before = distance;
    if (look(40)) {
      result.approached = distance <= 0.5 * before;
      const double between = distance;
      if (!result.approached && look(90)) {
        stays = distance > 1e-4 * size && distance > 0.9 * between;
        result.approached = !stays;
      }
    }
  }
  if (stays) refute(result);
}

bool settles(const Expr& f, const Expr& x, const Expr& place, LimitSide side, std::span<const Expr> conditions) {
  if (!unknown_calls({&f, 1}).empty()) return false;
  const Symbol w("_w", {Assumption::positive});
  const bool far = is_infinite(place);
  const bool whole = far && is_integer(x);  // what oscillates over real numbers may converge over whole ones
  std::vector<int> directions;
  if (far) {
    directions = {place.is_constant(ConstantCode::infinity) ? 1 : -1};
  } else {
    if (side != LimitSide::below) directions.push_back(1);
    if (side != LimitSide::above) directions.push_back(-1);
  }
  ParameterPoints parameters({f, place}, x, conditions, 20260101);
  if (!parameters.next()) return false;
  std::vector<Expr> symbols = parameters.leaves();
  std::vector<double> point = parameters.point();
  symbols.emplace_back(w);
  point.push_back(0);
  std::vector<std::complex<double>> last;  // one value for each direction
  for (const int direction : directions) {
    const Expr in_w = in_distance(f, x, place, direction, w);
    // how far values within a factor of two of a distance are from each other, at a large and a small distance
    double spread[2] = {0, 0};
    std::complex<double> latest;
    for (const int step : {0, 1}) {
      const double distance = step == 0 ? 1e-2 : 1e-6;
      constexpr int samples = 40;
      for (int i = 0; i < samples; ++i) {
        point.back() = whole ? 1 / (std::round(1 / distance) + i) : distance * (1 + (i + 0.318) / samples * 0.9);
        const auto v = value_at(in_w, symbols, point);
        if (!v) return false;
        if (i == 0) latest = *v;
        spread[step] = std::max(spread[step], std::abs(*v - latest));
      }
    }
    const double size = std::max(1.0, std::abs(latest));
    if (!(spread[1] < 1e-7 * size || spread[1] < 0.05 * spread[0])) return false;
    last.push_back(latest);
  }
  return last.size() < 2 || std::abs(last[0] - last[1]) < 1e-3 * std::max(1.0, std::abs(last[0]));
}

}  // namespace boreon
