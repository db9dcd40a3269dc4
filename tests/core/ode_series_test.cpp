// SPDX-License-Identifier: MIT
// Power series of differential equations: known expansions, and closed forms or numbers beside them.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace ode_series {

static const Symbol t("t");

static Expr equation_of(const std::string& text) {
  ParseContext context;
  context.independent = t;
  context.names.emplace("y", UnknownFunction("y")(t));
  context.functions.emplace("y", 1);
  const Expr e = parse(text, context);
  return e.is(Kind::relation) ? e.operands()[0] - e.operands()[1] : e;
}

static OdeSeries solved(const std::string& text, int order, const Expr& about = 0) {
  const OdeSeries s = series_solution(equation_of(text), UnknownFunction("y")(t), {.about = about, .order = order});
  CAPTURE(text);
  CHECK(s.reason.empty());
  CHECK(s.found);
  CHECK(s.check.verdict == Verdict::agrees);
  return s;
}

static void same(const Expr& a, const std::string& b) {
  CAPTURE(to_text(a));
  CHECK((simplify(a - parse(b)) == 0));
}

TEST_CASE("series of differential equations: ordinary points") {
  const OdeSeries airy = solved("y'' = t*y", 6);
  REQUIRE(airy.independent.size() == 2);
  same(airy.independent[0], "1 + t^3/6 + t^6/180");
  same(airy.independent[1], "t + t^4/12 + t^7/504");
  same(solved("y' = y", 5).independent[0], "1 + t + t^2/2 + t^3/6 + t^4/24 + t^5/120");
  const OdeSeries moved = solved("y'' + y = 0", 4, 1);
  same(moved.independent[0], "1 - (t - 1)^2/2 + (t - 1)^4/24");
  CHECK(solved("y''' + t*y = 0", 6).independent.size() == 3);
  CHECK(solved("y'' + sin(t)*y = 0", 7).independent.size() == 2);
}

TEST_CASE("series of differential equations: regular singular points") {
  const OdeSeries bessel = solved("t^2*y'' + t*y' + (t^2 - 1/9)*y = 0", 6);
  REQUIRE(bessel.independent.size() == 2);
  CHECK(bessel.singular);
  CHECK((bessel.exponents == std::vector<Expr>{Expr(1) / 3, Expr(-1) / 3}));
  // beside the function itself: t^(1/3)*(1 - 3*t^2/16 + ...)
  const Expr first = bessel.independent[0];
  const double scale = std::pow(2.0, 1.0 / 3) * std::tgamma(4.0 / 3);
  for (const double at : {0.1, 0.3}) {
    const double value = evaluate(first, {{t, Expr(Number::exact(at))}});
    const double j = evaluate(parse("cyl_bessel_j(1/3, t)"), {{t, Expr(Number::exact(at))}});
    CHECK(value == doctest::Approx(j * scale).epsilon(1e-7));
  }
  // equal exponents, and such that differ by a whole number with a logarithm and without
  const OdeSeries zero = solved("t*y'' + y' + t*y = 0", 6);
  same(zero.independent[0], "1 - t^2/4 + t^4/64 - t^6/2304");
  CHECK(to_text(zero.independent[1]).find("log(t)") != std::string::npos);
  const OdeSeries one = solved("t^2*y'' + t*y' + (t^2 - 1)*y = 0", 5);
  CHECK(to_text(one.independent[1]).find("log(t)") != std::string::npos);
  const OdeSeries half = solved("t^2*y'' + t*y' + (t^2 - 1/4)*y = 0", 5);
  CHECK(to_text(half.independent[1]).find("log") == std::string::npos);
  // complex exponents, parameters
  const OdeSeries wave = solved("t^2*y'' + t*y' + (1 + t)*y = 0", 5);
  CHECK(to_text(wave.independent[0]).find("cos(log(t))") != std::string::npos);
  const OdeSeries n = solved("t^2*y'' + t*y' + (t^2 - n^2)*y = 0", 4);
  CHECK(n.conditions.size() == 1);
  CHECK(solved("t*(1 - t)*y'' + (c - (a + b + 1)*t)*y' - a*b*y = 0", 4).independent.size() == 2);
  CHECK(solved("(1 - t^2)*y'' - 2*t*y' + 6*y = 0", 5, 1).singular);
}

TEST_CASE("series of differential equations: forcing, nonlinear ones, values that are given") {
  same(solved("y' = t + y^2", 5).solution,
       "C1 + C1^2*t + (C1^3 + 1/2)*t^2 + (C1^4 + C1/3)*t^3 + (C1^5 + 5*C1^2/12)*t^4 + (C1^6 + C1^3/2 + 1/20)*t^5");
  const UnknownFunction y("y");
  ParseContext places;
  places.independent = t;
  places.functions.emplace("y", 1);
  const OdeSeries pendulum = series_solution(equation_of("y'' = -sin(y)"), y(t),
                                             {.order = 5, .given = {y(Expr(0)), parse("y'(0) - 1", places)}});
  REQUIRE(pendulum.found);
  same(pendulum.solution, "t - t^3/6 + t^5/60");
  // beside the closed form
  const OdeSeries forced =
      series_solution(equation_of("y' + y = exp(t)"), y(t), {.order = 6, .given = {y(Expr(0)) - 2}});
  REQUIRE(forced.found);
  const double at = 1e-2;
  CHECK(evaluate(forced.solution, {{t, Expr(Number::exact(at))}}) ==
        doctest::Approx(std::exp(at) / 2 + 1.5 * std::exp(-at)).epsilon(1e-14));
  CHECK(forced.constants.empty());
}

// The coefficients of equations with random polynomials, against values by steps of the classical method.
TEST_CASE("series of differential equations: random linear ones beside steps in time") {
  std::mt19937 dice(20261130);
  const auto digit = [&] { return static_cast<int>(dice() % 7) - 3; };
  for (int k = 0; k < 20; ++k) {
    const int a = digit();
    const int b = digit();
    const int c = digit();
    const int d = digit();
    const std::string text = "(1 + (" + std::to_string(a) + ")*t/4)*y'' + (" + std::to_string(b) + " + t)*y' + (" +
                             std::to_string(c) + " + (" + std::to_string(d) + ")*t^2)*y = 0";
    CAPTURE(text);
    const OdeSeries s = solved(text, 14);
    const auto rate = [&](double x, double value, double slope) {
      return (-(b + x) * slope - (c + d * x * x) * value) / (1 + a * x / 4);
    };
    double x = 0;
    double value = 1;
    double slope = 0;
    const int steps = 400;
    const double h = 0.2 / steps;
    for (int i = 0; i < steps; ++i) {
      const double k1 = slope;
      const double l1 = rate(x, value, slope);
      const double k2 = slope + h / 2 * l1;
      const double l2 = rate(x + h / 2, value + h / 2 * k1, slope + h / 2 * l1);
      const double k3 = slope + h / 2 * l2;
      const double l3 = rate(x + h / 2, value + h / 2 * k2, slope + h / 2 * l2);
      const double k4 = slope + h * l3;
      const double l4 = rate(x + h, value + h * k3, slope + h * l3);
      value += h / 6 * (k1 + 2 * k2 + 2 * k3 + k4);
      slope += h / 6 * (l1 + 2 * l2 + 2 * l3 + l4);
      x += h;
    }
    CHECK(evaluate(s.independent[0], {{t, Expr(1) / 5}}) == doctest::Approx(value).epsilon(1e-7));
  }
}

TEST_CASE("series of differential equations: what has none says why") {
  const UnknownFunction y("y");
  const OdeSeries irregular = series_solution(equation_of("t^3*y'' + y = 0"), y(t), {});
  CHECK(!irregular.found);
  CHECK(irregular.reason.find("irregular") != std::string::npos);
  CHECK(!series_solution(equation_of("(y')^2 = y"), y(t), {}).found);
  CHECK(!series_solution(equation_of("y' = 1/t"), y(t), {}).found);
  CHECK(!series_solution(equation_of("y' = sqrt(y)"), y(t), {.given = {y(Expr(0))}}).found);
  CHECK(!series_solution(equation_of("y' = 1/y"), y(t), {.given = {y(Expr(0))}}).found);
  CHECK_THROWS_AS((void)series_solution(equation_of("y' = y"), y(t), {.order = 0}), Error);
  CHECK_THROWS_AS((void)series_solution(equation_of("y' = y"), y(t), {.given = {y(Expr(1)) - 1}}), Error);
  CHECK_THROWS_AS((void)series_solution(equation_of("y = 1"), y(t), {}), Error);
}

}  // namespace ode_series
