// SPDX-License-Identifier: MIT
// Random expansions, from each side and in the complex plane: what is left falls with the order stated.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <string>

#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "core/nearby.hpp"
#include "core/search.hpp"
#include "effort.hpp"

using namespace boreon;

namespace series_search {

struct Family {
  const char* category;
  std::initializer_list<const char*> forms;  // T, U: functions that vanish at the place; S: a number
  bool far = false;
};

const Family families[] = {
    {"analytic",
     {"exp(T)*cos(U)", "1/(1 + T)", "log(1 + T)*U", "sqrt(S + T)", "tan(T)", "sin(T)/(1 + U)", "(1 + T)^(1/3)",
      "atan(T)*exp(U)", "cosh(T)/cos(U)", "exp(sin(T))", "asin(T/2)", "1/(2 - cos(T))", "log(cos(T))", "(S + U)^T",
      "sin(T)^3"}},
    {"poles",
     {"1/T", "cos(T)/U", "exp(T)/U^2", "1/sin(T)", "1/(exp(T) - 1)", "1/T - 1/U", "gamma(T)", "digamma(T)",
      "1/(1 - cos(T))", "zeta(1 + T)", "1/(T*(S + U))", "log(1 + T)/U^3", "tan(T)/U^2", "gamma(T)*U"}},
    {"kinks and jumps",
     {"abs(T)*exp(U)", "sign(T)*cos(U)", "sqrt(T^2)", "max(T, U)", "floor(T) + U", "heaviside(T)*exp(U)", "abs(T)^3",
      "exp(-abs(T))", "sqrt(1 - cos(T))", "atan(1/T)", "abs(sin(T))/U", "min(T, U)*S", "round(T)+U",
      "sqrt(T^2 + T^4)"}},
    {"branch points",
     {"sqrt(T)",
      "T^(1/3)*exp(U)",
      "log(T)",
      "T*log(abs(U))",
      "acos(1 + T)",
      "asin(1 + T)",
      "sqrt(T + U^2)",
      "log(T)^2*U",
      "acosh(1 + T)",
      "dilog(1 + T)",
      "sqrt(sin(T))",
      "atanh(1 + T)",
      "sqrt(S*T)*log(1 + U)",
      "exp(sqrt(T))",
      "cos(sqrt(T))",
      "polylog(1/2, 1 + T)",
      "li(1 + T)",
      "T^(2/3)/(1 + U)",
      "T^T",
      "elliptic_K(1 + T)"}},
    {"branch cuts",
     {"log(-1 + 1i*T)", "sqrt(-S - 1i*T)", "(-1 + 1i*T)^(1/3)*exp(U)", "asin(2 + 1i*T)", "acos(2 - 1i*T)",
      "atanh(2 + 1i*T)", "dilog(2 + 1i*T)", "Ci(-1 - 1i*T)", "log(-S - T^2 - 1i*U)", "acosh(-2 + 1i*T)", "atan(2i + T)",
      "asinh(3i - T)", "lgamma(-1/2 + 1i*T)", "E1(-1 + 1i*T)", "lambert_W(-1 + 1i*T)", "sqrt(-1 + T)", "log(-S + T)",
      "asin(3 + T)", "acosh(1/2 + T)"}},
    {"special functions",
     {"erf(T)",
      "Si(T)*exp(U)",
      "cyl_bessel_j(0, T)",
      "lgamma(1 + T)",
      "gamma(2 + T)",
      "digamma(1 + T)",
      "elliptic_K(T)",
      "elliptic_E(T)*U",
      "lambert_W(T)",
      "dawson(T)",
      "E1(T)",
      "Ci(T) - log(U)",
      "cyl_bessel_i(1, T)",
      "airy_Ai(T)",
      "zeta(2 + T)",
      "polylog(2, T)",
      "li(2 + T)",
      "beta(1 + T, 2)",
      "cyl_bessel_k(0, T)",
      "cyl_neumann(0, T)",
      "erfc(1 + T)",
      "Ei(T)",
      "polygamma(1, 1 + T)",
      "hyperg(1/2, 1, 3/2, T)"}},
    {"infinity",
     {"sqrt(t^2 + S*t)",
      "1/(t^2 + 1)",
      "log(1 + t)",
      "exp(1/t)*t",
      "atan(t)",
      "t*sin(S/t)",
      "(1 + 1/t)^t",
      "lgamma(t)",
      "digamma(t + S)",
      "erfc(t)",
      "E1(t)",
      "exp(-t)*t^2/(1 + t)",
      "cyl_bessel_k(1, t)",
      "gamma(t)",
      "dawson(t)",
      "lgamma(t + 1)",
      "tanh(t)",
      "t^(1/3)*cos(1/t)",
      "log(t^2 + S)/t",
      "cyl_bessel_j(0, t)",
      "Si(t)",
      "airy_Ai(t)",
      "Ei(t)",
      "polygamma(1, t)",
      "(t^3 + t)^(1/3)",
      "erf(t)",
      "li(t)",
      "cyl_bessel_i(0, t)",
      "1/(S + exp(-t))",
      "sin(t + 1/t)",
      "gamma(t + 1/2)/gamma(t)",
      "Ci(t)",
      "airy_Bi(t)",
      "log(log(t))",
      "acosh(t)"},
     true}};

std::string small(test::Draw& draw) {
  const std::string t = draw.pick({"t", "t", "2*t", "-t", "t - t^2", "t/3", "t^2", "-t^2"});
  return draw.filled(
      draw.pick({"@", "@", "@", "sin(@)", "exp(@) - 1", "log(1 + @)", "tan(@)", "@ + @^2", "sinh(@)", "@/(1 + @)"}),
      '@', [&] { return t; });
}

struct Remainder {
  bool decided = false;
  bool falls = false;
};

// At two distances from the place, on one side: the power with which the remainder falls. Each distance stands for a
// few points close together, so that no zero of a wave is met by all of them; beside a finite place they are far apart,
// so that logarithms and large coefficients do not hide a term that is missing.
Remainder remainder(const SeriesResult& s, const Expr& f, const Expr& place, bool far, int side) {
  const Expr difference = f - s.expression();
  long double off[2] = {0, 0};
  const Number near[] = {far ? Number(1, 50) : Number(1, 100), far ? Number(1, 400) : Number(1, 100000000)};
  for (int k = 0; k < 2; ++k) {
    for (const int part : {97, 98, 99}) {
      const Number h = near[k] * Number(part, 100);
      const Number at = far ? Number(side) / h : place.number() + Number(side) * h;
      const auto left = test::nearby(difference, at, 12);
      // Nothing to be told from zero: no term is missing.
      if (!left) return {s.exact || test::nearby(f, at, 30).has_value(), true};
      // Far out functions grow or fall beyond all powers: relative to the factor in front.
      long double unit = 1;
      if (!s.factor.is_integer(1)) {
        const auto in_front = test::nearby(s.factor, at, 40);
        if (!in_front || std::abs(*in_front) == 0) return {};
        unit = std::abs(*in_front);
      }
      off[k] = std::max(off[k], std::abs(*left) / unit);
    }
  }
  if (off[1] == 0) return {true, true};
  if (s.exact) return {true, false};
  const long double power = std::log(off[0] / off[1]) / std::log(far ? 8.0L : 1e6L);
  return {true, power > static_cast<long double>(s.next.to_double()) - 0.8L};
}

void one_case(int number, test::Counts& counts) {
  test::Draw draw(20261204, number);
  const Family& family = families[static_cast<std::size_t>(draw.whole(0, std::size(families) - 1))];
  std::string text = draw.pick(family.forms);
  for (const char slot : {'T', 'U'}) {
    const std::string u = small(draw);
    text = draw.filled(text, slot, [&] { return u; });
  }
  text = draw.filled(text, 'S', [&] { return draw.pick({"2", "3", "1/2", "5"}); });
  const std::string place = family.far ? "infinity" : draw.pick({"0", "0", "1", "-1", "1/2"});
  const Expr f = substitute(parse(text), {{Symbol("t"), family.far ? Expr(x) : x - parse(place)}}, Unused::allowed);
  const LimitSide asked =
      family.far
          ? LimitSide::both
          : (std::initializer_list<LimitSide>{LimitSide::both, LimitSide::both, LimitSide::above, LimitSide::below})
                .begin()[draw.whole(0, 3)];
  const int order = draw.whole(1, 5);
  CAPTURE(number);
  CAPTURE(to_text(f));
  CAPTURE(place);
  CAPTURE(order);
  test::Outcome& outcome = counts[family.category];
  const auto found = test::attempted(outcome, [&] { return series(f, x, parse(place), order, {}, asked); });
  if (!found) return;
  const SeriesResult& s = *found;
  CAPTURE(to_text(s.expression()));
  CAPTURE(s.next.to_double());
  CAPTURE(s.exact);
  bool undecided = false;
  for (const int side : {1, -1}) {
    if (family.far ? side < 0 : s.side == (side > 0 ? LimitSide::below : LimitSide::above)) continue;
    CAPTURE(side);
    const Remainder left = remainder(s, f, parse(place), family.far, side);
    undecided = undecided || !left.decided;
    const bool wrong = left.decided && !left.falls;
    CHECK_FALSE(wrong);
    if (wrong) {
      ++outcome.wrong;
      return;
    }
  }
  ++(undecided ? outcome.undecided : outcome.right);
}

TEST_CASE("search: expansions from both sides, at poles, kinks, branch points and cuts, far out") {
  test::search(test::cases(200, 5000, 30), one_case);
}

}  // namespace series_search
