// SPDX-License-Identifier: MIT
// Random limits at finite places and far out, from each side and from both, with jumps, branch cuts and oscillation,
// judged by values ever nearer in ball arithmetic.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <string>
#include <vector>

#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "core/nearby.hpp"
#include "core/search.hpp"
#include "effort.hpp"

using namespace boreon;

namespace limit_search {

using Value = std::complex<long double>;

struct Family {
  const char* category;
  std::initializer_list<const char*> forms;  // T, U, V: functions that vanish at the place; S: a number
};

const Family at_places[] = {
    {"quotients",
     {"T/U", "(T - U)/V", "T*U/V^2", "(T + U)/(U - V)", "(1 - cos(T))/U^2", "(exp(T) - exp(U))/V", "log(1 + T)/U",
      "(sqrt(1 + T) - sqrt(1 + U))/V", "T/sqrt(U^2)", "(sin(T) - T)/U^3", "atan(T)/(S*U)"}},
    {"powers",
     {"(1 + T)^(1/U)", "(cos(T))^(1/U^2)", "abs(T)^U", "abs(T)^(1/log(abs(U)))", "(S + T)^(U/V)", "(1 + T*U)^(1/V^2)"}},
    {"jumps",
     {"floor(S + T)", "round(1/2 + T)", "sign(T)*cos(U)", "heaviside(T)*(S + U)", "ceil(T)/U", "fmod(1 + T, 1)",
      "floor(T)*U + S", "atan(1/T)", "atan2(T, -1)", "1/(1 + exp(1/T))", "abs(T)/U", "floor(cos(T))", "floor(1 - T^2)",
      "sign(T)*sign(U)", "tanh(1/T) + U", "max(T, -U)/V", "exp(-1/abs(T))/U", "exp(1/T)*U"}},
    {"branch cuts",
     {"log(-1 + 1i*T)", "sqrt(-S - 1i*U)", "(-1 + 1i*T)^(1/3)", "asin(2 + 1i*T)", "acos(-2 + 1i*U)", "atanh(2 - 1i*T)",
      "log(-S + T^2 - 1i*U)", "sqrt(-T^2 - 1i*U^3)/V", "dilog(2 + 1i*T)", "log(-T - 1i*U^2) - log(abs(T))",
      "sqrt((T - 1i)^2)", "acosh(-2 + 1i*T)", "sqrt(T)/sqrt(-T)", "log(T) - log(-T)", "atan(2i + T)", "asinh(2i - T)"}},
    {"oscillation",
     {"sin(1/T)", "T*sin(1/U)", "cos(1/T)^2 + sin(1/T)^2", "sin(1/T)*U/V", "exp(T*sin(1/U))", "sin(1/T)^2/S",
      "sin(S*pi + T)/U", "cos(log(abs(T)))", "T^2*cos(1/U)/V", "sin(1/T)/(2 + cos(1/T))"}},
    {"logarithms",
     {"T*log(abs(U))", "log(abs(T))/log(abs(U))", "log(abs(T))*V^2/U", "1/log(abs(T))", "log(1 + abs(T))/U",
      "log(abs(sin(T)))-log(abs(U))", "abs(T)^(1/3)/U", "sqrt(abs(T))*log(abs(U))"}},
    {"special functions",
     {"erf(T)/U", "gamma(1 + T) + U", "T*gamma(U)", "(Si(T) - T)/U^3", "lgamma(1 + T)/U", "digamma(U)*T",
      "zeta(1 + T)*U", "cyl_bessel_j(0, T) + U", "(1 - cyl_bessel_j(0, T))/U^2", "elliptic_K(T) - elliptic_E(U)",
      "E1(abs(T)) + log(abs(U))", "dawson(T)/U", "polylog(2, T)/U", "lambert_W(T)/U", "beta(1 + T, 2)",
      "Ci(abs(T)) - log(abs(U))"}}};

const Family far_out[] = {
    {"infinity, growth",
     {"(1 + S/x)^x", "sqrt(x^2 + S*x) - x", "x*(sqrt(x^2 + S) - x)", "x^3*exp(-x/S)", "log(x)^S/x", "(2^x + 3^x)^(1/x)",
      "x*(exp(1/x) - 1)", "x^2*(1 - cos(S/x))", "exp(x)/(exp(x) + x^5)", "log(exp(x) + x)/x", "x^(1/x)",
      "x*log((x + S)/(x - 1))", "(x^2 + S)/(1 - x^2)", "exp(sqrt(x^2 + x) - x)", "(x + sin(x))/x", "x - log(cosh(x))",
      "tanh(x)^x", "(x^x)^(1/x)/x", "exp(-x)*x^x"}},
    {"infinity, oscillation",
     {"sin(x)/x", "sin(x + 1/x) - sin(x)", "cos(x)", "x*sin(1/x)", "sin(sqrt(x + S)) - sin(sqrt(x))",
      "sin(x)^2 + cos(x)^2/S", "exp(-x)*sin(x)", "(2 + sin(x))*x", "sin(x)*cos(x) - sin(2*x)/2", "x + S*sin(x)",
      "sin(x)/(S + cos(x))", "x*cos(x)", "floor(x)/x", "x - floor(x)", "sin(log(x))", "sin(x)/log(x)",
      "atan(x + sin(x))", "round(x)/(x + S)", "E1(floor(x))"}},
    {"infinity, special",
     {"erf(x)*S", "x*erfc(x)", "gamma(x + 1)/gamma(x)/x", "lgamma(x)/(x*log(x))", "digamma(x) - log(x)",
      "exp(x)*E1(x)*x", "Si(x)", "x*dawson(x)", "exp(-x)*cyl_bessel_i(0, x)*sqrt(x)", "cyl_bessel_j(0, x)",
      "sqrt(x)*cyl_bessel_j(1, x)", "airy_Ai(x)*exp(x)", "zeta(x)^S", "lambert_W(x)/log(x)", "Ci(x)*x",
      "gamma(x + 1/2)/(gamma(x)*sqrt(x))", "atan(x)*S"}}};

// Functions with the value 0 at t = 0.
std::string small(test::Draw& draw) {
  std::string t = draw.pick({"t", "t", "2*t", "-t", "t^2", "t - t^2", "t/3", "-t^2"});
  return draw.filled(
      draw.pick({"@", "@", "sin(@)", "exp(@) - 1", "log(1 + @)", "tan(@)", "1 - cos(@)", "sqrt(1 + @) - 1", "atan(@)",
                 "@ + @^2", "sinh(@)", "abs(@)", "asin(@)", "@/(1 + @)", "@*abs(@)", "@^3"}),
      '@', [&] { return t; });
}

// Values ever nearer: t = s*h where h falls.
std::vector<Value> approach(const Expr& f, const Expr& place, int side, bool far, test::Draw& draw, int again = 0) {
  std::vector<Value> values;
  const int steps[] = {3, 6, 12, 24};
  const int distances[] = {12, 60, 600, 9000};
  for (int k = 0; k < 4; ++k) {
    Number at;
    if (far) {
      at = Number(side * distances[k]) + Number(draw.whole(0, 800), 97);
    } else {
      Number h = Number(side) * Number(draw.whole(60, 90), 97) * Number(10 + 3 * again, 10);
      for (int i = 0; i < steps[k]; ++i) h = h * Number(1, 10);
      at = place.number() + h;
    }
    const auto v = test::nearby(f, at);
    if (!v) return {};
    values.push_back(*v);
  }
  return values;
}

enum class Verdict { right, wrong, undecided };

Verdict finite(const std::vector<Value>& v, Value limit) {
  const auto off = [&](std::size_t k) { return std::abs(v[k] - limit); };
  const long double size = 1 + std::abs(limit);
  const long double before = std::max({off(0), off(1), off(2)});
  if (off(3) <= 1e-6L * size || off(3) <= 0.75L * before) return Verdict::right;
  return off(3) > 1e-4L * size && off(3) >= 0.97L * before ? Verdict::wrong : Verdict::undecided;
}

Verdict grows(const std::vector<Value>& v, long double sign) {
  bool up = true;
  for (std::size_t k = 1; k < 4; ++k) up = up && v[k].real() * sign > v[k - 1].real() * sign;
  if (up && v[3].real() * sign > 0) return Verdict::right;
  return std::abs(v[3]) < 1e3L || v[3].real() * sign < 0 ? Verdict::wrong : Verdict::undecided;
}

// Whether the values of a side have settled.
bool settled(const std::vector<Value>& v) {
  return std::abs(v[3] - v[2]) <= 1e-7L * (1 + std::abs(v[3])) && std::abs(v[2] - v[1]) <= 1e-3L * (1 + std::abs(v[3]));
}

Verdict no_limit(const Expr& f, const Expr& place, LimitSide side, bool far, test::Draw& draw) {
  std::vector<std::vector<Value>> of_sides;
  for (const int s : {1, -1}) {
    if (s == (side == LimitSide::above ? -1 : side == LimitSide::below ? 1 : 0)) continue;
    if (far && s < 0) continue;
    for (int again = 0; again < 6; ++again) {
      const auto v = approach(f, place, s, far, draw, again);
      if (v.empty()) return Verdict::undecided;
      of_sides.push_back(v);
    }
  }
  for (const auto& v : of_sides) {
    if (!settled(v) || std::abs(v[3] - of_sides[0][3]) > 1e-5L * (1 + std::abs(v[3]))) return Verdict::right;
  }
  return Verdict::wrong;
}

void one_case(int number, test::Counts& counts) {
  test::Draw draw(20261203, number);
  const bool far = draw.chance(30);
  const Family& family = far ? far_out[static_cast<std::size_t>(draw.whole(0, std::size(far_out) - 1))]
                             : at_places[static_cast<std::size_t>(draw.whole(0, std::size(at_places) - 1))];
  std::string text = draw.pick(family.forms);
  if (!far) {
    for (const char slot : {'T', 'U', 'V'}) {
      const std::string u = small(draw);
      text = draw.filled(text, slot, [&] { return u; });
    }
  }
  text = draw.filled(text, 'S', [&] { return draw.pick({"2", "3", "1/2", "5"}); });
  if (far && draw.chance(30)) text = draw.pick({"1/", "-2*", "atan", "exp"}) + ("(" + text + ")");
  const std::string place = far ? "infinity" : draw.pick({"0", "0", "1", "-1", "1/2", "2"});
  const Expr f = substitute(parse(text), {{Symbol("t"), far ? Expr(x) : x - parse(place)}}, Unused::allowed);
  const LimitSide side = far ? LimitSide::both
                             : (std::initializer_list<LimitSide>{LimitSide::both, LimitSide::above, LimitSide::below})
                                   .begin()[draw.whole(0, 2)];
  CAPTURE(number);
  CAPTURE(to_text(f));
  CAPTURE(place);
  const int towards = side == LimitSide::above ? 1 : side == LimitSide::below ? -1 : 0;
  CAPTURE(towards);
  test::Outcome& outcome = counts[family.category];
  const auto found = test::attempted(outcome, [&] { return limit_with_report(f, x, parse(place), side); });
  if (!found) return;
  const LimitResult& r = *found;
  CAPTURE(to_text(r.value));
  CAPTURE(r.reason);
  std::vector<Verdict> verdicts;
  if (r.value.is_constant(ConstantCode::undefined)) {
    verdicts.push_back(no_limit(f, parse(place), side, far, draw));
  } else {
    const bool infinite = r.value == infinity() || r.value == -infinity();
    for (const int s : {1, -1}) {
      if ((far && s < 0) || (towards != 0 && s != towards)) continue;
      const auto v = approach(f, parse(place), s, far, draw);
      if (v.empty()) {
        verdicts.push_back(Verdict::undecided);
        continue;
      }
      if (infinite) {
        verdicts.push_back(grows(v, r.value.is_constant(ConstantCode::infinity) ? 1 : -1));
      } else {
        const auto l = evaluate_complex(r.value);
        verdicts.push_back(finite(v, Value{l.real(), l.imag()}));
      }
    }
  }
  bool undecided = false;
  for (const Verdict v : verdicts) {
    CHECK(v != Verdict::wrong);
    if (v == Verdict::wrong) {
      ++outcome.wrong;
      return;
    }
    undecided = undecided || v == Verdict::undecided;
  }
  ++(undecided ? outcome.undecided : outcome.right);
}

TEST_CASE("search: limits at jumps, at branch cuts, of what oscillates, far out") {
  test::search(test::cases(250, 5000, 40), one_case);
}

}  // namespace limit_search
