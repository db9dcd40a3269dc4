// SPDX-License-Identifier: MIT
// Functions at places where their usual rule fails: on cuts, at poles of what they are made of, at jumps.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "calculus/series/cut_sides.hpp"
#include "core/claims.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

namespace exceptional_places {

std::string limit_of(const char* f, const char* place, LimitSide side) {
  return to_text(limit(parse(f), x, parse(place), side));
}

std::string series_of(const char* f, const char* about, int order) {
  const SeriesResult s = series(parse(f), x, parse(about), order);
  CHECK(check_series(s, parse(f), x, parse(about)).points > 0);
  return to_text(s.expression());
}

TEST_CASE("what a function is beside its cut is read off values, for every function with cuts") {
  struct Row {
    const char* call;
    std::size_t argument;
    const char* place;
    BesideCut above, below;
  };
  using B = BesideCut;
  const Row rows[] = {
      {"asin(x)", 0, "2", B::mirrored, B::regular},       {"asin(x)", 0, "-2", B::regular, B::mirrored},
      {"asin(x)", 0, "1/2", B::regular, B::regular},      {"dilog(x)", 0, "3", B::mirrored, B::regular},
      {"acosh(x)", 0, "-2", B::regular, B::mirrored},     {"Ci(x)", 0, "-1", B::regular, B::mirrored},
      {"lambert_W(x)", 0, "-1", B::regular, B::mirrored}, {"lgamma(x)", 0, "-1/2", B::unknown, B::unknown},
      {"polylog(3, x)", 1, "2", B::mirrored, B::regular}, {"erf(x)", 0, "-2", B::regular, B::regular},
      {"atan(x)", 0, "5", B::regular, B::regular},        {"elliptic_K(x)", 0, "2", B::mirrored, B::regular}};
  for (const Row& r : rows) {
    CAPTURE(r.call);
    CAPTURE(r.place);
    const Expr call = parse(r.call);
    CHECK(beside_cut(call, r.argument, parse(r.place), 1) == r.above);
    CHECK(beside_cut(call, r.argument, parse(r.place), -1) == r.below);
  }
  CHECK(beside_cut(parse("asin(x)"), 0, parse("a"), 1) == B::unknown);
}

TEST_CASE("limits beside cuts, in functions that can be read") {
  CHECK(limit_of("asin(2 + 1i*x)", "0", LimitSide::above) == "pi - asin(2)");
  CHECK(limit_of("acos(-2 + 1i*x)", "0", LimitSide::below) == "2*pi - acos(-2)");
  CHECK(limit_of("atanh(2 + 1i*x)", "0", LimitSide::above) == "1i*pi + atanh(2)");
  CHECK(limit_of("sqrt(-4 - 1i*x)", "0", LimitSide::above) == "-2i");
  CHECK(limit_of("(-1 - 1i*x)^(1/3)", "0", LimitSide::above) == "exp(-1i*pi/3)");
  CHECK(limit_of("log(-x + 1i) - log(-x - 1i)", "0", LimitSide::above) == "1i*pi");
  CHECK(limit_of("Ci(round(x))", "1/2", LimitSide::below) == "-infinity");
  CHECK(limit_of("polylog(1/2, x)*sqrt(1 - x)", "1", LimitSide::below) == "sqrt(pi)");
  CHECK(limit_of("E1(floor(x))", "infinity", LimitSide::both) == "0");
  CHECK(limit_of("fmod(exp(x), 1)", "0", LimitSide::below) == "1");
  CHECK(limit_of("atan2(sin(x), -1)", "0", LimitSide::below) == "-pi");
  CHECK(limit_of("atan(log(x + exp(x))/x)", "infinity", LimitSide::both) == "pi/4");
}

TEST_CASE("series with powers that have symbols, at the pole of zeta, at the branch point of polylogarithms") {
  CHECK(series_of("zeta(x)", "1", 1) == "egamma - stieltjes(1)*(x - 1) + 1/(x - 1)");
  CHECK(series_of("x^n*exp(x)", "0", 1) == "x^n*(x + 1)");
  CHECK(series_of("log(x)^a", "1", 1) == "(x - 1)^a*(1 - a*(x - 1)/2)");
  const SeriesResult bessel = series(parse("cyl_bessel_j(n, x)"), x, 0, 3);
  CHECK(to_text(bessel.factor) == "x^n");
  CHECK(check_series(bessel, parse("cyl_bessel_j(n, x)"), x, 0).points > 0);
  const SeriesResult both = series(parse("cyl_bessel_j(n, x) + cyl_bessel_j(n + 2, x)"), x, 0, 2);
  CHECK(check_series(both, parse("cyl_bessel_j(n, x) + cyl_bessel_j(n + 2, x)"), x, 0).points > 0);
  CHECK_THROWS_AS((void)series(parse("1 + x^a"), x, 0, 2), Error);
  for (const char* f : {"polylog(1/2, x)", "polylog(3, x)", "polylog(-1/3, 1 + x^2 - (x - 1))"}) {
    CAPTURE(f);
    const SeriesResult s = series(parse(f), x, 1, 3);
    CHECK(check_series(s, parse(f), x, 1).points > 0);
  }
}

TEST_CASE("values where the usual formula is 0*infinity") {
  CHECK(parse("beta(-6, 3)") == Expr(Number(-1, 60)));
  CHECK(parse("beta(2, -5)") == Expr(Number(1, 20)));
  CHECK(parse("beta(-1, 3)").is_constant(ConstantCode::undefined));
  CHECK(evaluate(parse("beta(a, 3)"), {{Symbol("a"), -6}}) == doctest::Approx(-1.0 / 60));
  CHECK(evaluate(parse("beta(a, 3)"), {{Symbol("a"), Number(5, 2)}}) ==
        doctest::Approx(std::tgamma(2.5) * 2 / std::tgamma(5.5)));
  CHECK(parse("stieltjes(0)") == egamma());
  CHECK(certify(parse("stieltjes(1)"), {}, 20).real == "-0.072815845483676724861");
  CHECK_THROWS_AS((void)evaluate(parse("stieltjes(1/2)")), Error);
  CHECK(parse("Ci(-3)") == parse("Ci(3) + 1i*pi"));
  CHECK(std::abs(evaluate_complex(parse("Ci(-3)")) - evaluate_complex(parse("Ci(z)"), {{Symbol("z"), -3}})) < 1e-14);
  CHECK(std::abs(evaluate_complex(parse("Chi(-3)")) - evaluate_complex(parse("Chi(z)"), {{Symbol("z"), -3}})) < 1e-14);
  CHECK(parse("log(-2i)") == parse("log(2) - 1i*pi/2"));
}

TEST_CASE("derivatives that exist on part of the plane only") {
  const Symbol z("z", Assumptions::none());
  CHECK_THROWS_AS((void)derivative(abs(z), z), Error);
  CHECK(derivative(abs(x), x) == sign(x));
  CHECK(derivative(pow(Expr(0), x), x) == parse("piecewise(0 if x > 0)"));
  CHECK(has_piecewise_jump(parse("piecewise(1 if x < 0, 2 otherwise)"), x));
  CHECK_FALSE(has_piecewise_jump(parse("piecewise(x^2 if x < 1, 2*x - 1 otherwise)"), x));
  CHECK_FALSE(has_piecewise_jump(parse("piecewise(x if a < 1, 2*x otherwise)"), x));
  CHECK(has_piecewise_jump(parse("y + piecewise(x if 2*x < a, 2*x otherwise)"), x));
}

TEST_CASE("signs of sums with roots, whose squares are such sums again, come to an end") {
  const IntegralResult r = integrate(parse("asin(abs(x^2))"), x, parse("p"), parse("p + 1"));
  CHECK(r.status == IntegralStatus::unevaluated);
}

TEST_CASE("integrals with a phase, at exceptional values, over completed squares") {
  const Symbol p("p");
  const auto integral_of = [](const char* f, const char* from, const char* to) {
    return integrate(parse(f), x, parse(from), parse(to));
  };
  const IntegralResult phase = integral_of("1/sin(x + p)", "1", "3");
  CHECK(to_text(phase.value) == "log(abs(tan((p + 3)/2))) - log(abs(tan((p + 1)/2)))");
  REQUIRE(phase.conditions.size() == 1);
  CHECK(to_text(phase.conditions[0]) == "cos(2*p + 4) < cos(2)");
  // every phase counts, not those near the origin only
  const IntegralResult moving = integral_of("1/sin(x)", "p", "p + 1");
  for (const IntegralException& e : moving.exceptions) CHECK_FALSE(test::true_at(e.when, Number(3)));
  CHECK(std::any_of(moving.conditions.begin(), moving.conditions.end(),
                    [](const Expr& c) { return !test::true_at(c, Number(3)); }));
  const IntegralResult root = integral_of("sqrt(x^2 - 2*p)", "-1", "1");
  REQUIRE(root.exceptions.size() == 1);
  CHECK(root.exceptions[0].when == equal(p, 0));
  CHECK(root.exceptions[0].value.is_integer(1));
  const IntegralResult divergent = integral_of("1/(x*(x + 1))", "0", "p");
  CHECK(divergent.status == IntegralStatus::divergent);
  REQUIRE(divergent.exceptions.size() == 1);
  CHECK(divergent.exceptions[0].value.is_integer(0));
  CHECK(integral_of("cos(x^2 + x)", "0", "1").status == IntegralStatus::exact);
  CHECK(integral_of("log(x)/(x^2 + p^2)", "0", "infinity").exceptions.size() == 2);
  CHECK(integral_of("sin(x + p)/(2 - cos(x + p))", "0", "pi").conditions.empty());
  IntegralOptions principal;
  principal.principal_value = true;
  CHECK(to_text(integrate(parse("sin(x)/(x - 1)"), x, 0, 2, principal).value) == "2*Si(1)*cos(1)");
}

}  // namespace exceptional_places
