// SPDX-License-Identifier: MIT
// Slopes of implicit functions, inverse functions, stationary points.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/text.hpp"

using namespace boreon;

namespace consequences_cases {

const Symbol x("x"), y("y"), a("a", {Assumption::positive});

TEST_CASE("the slope of an implicit function is that of the curve") {
  CHECK(to_text(implicit_derivative(power(x, 2) + power(y, 2) - 25, y, x)) == "-x/y");
  // by differences along the curve, the other coordinate found by bisection
  for (const char* text :
       {"x^3 + y^3 - 3*x*y - 1", "sin(x*y) + x - y/2", "exp(y) + y - x^2", "y*log(x + 2) - x + y^3"}) {
    INFO(std::string(text));
    const Expr F = parse(text);
    const Expr slope = implicit_derivative(F, y, x);
    const double x0 = 0.7;
    const double y0 = 0.9;
    const double level = evaluate(F, {{x, x0}, {y, y0}});
    const auto on_curve = [&](double at) {
      double low = y0 - 0.02;
      double high = y0 + 0.02;
      const auto f = [&](double v) { return evaluate(F, {{x, at}, {y, v}}) - level; };
      const double sign = f(high) > 0 ? 1 : -1;
      for (int k = 0; k < 60; ++k) {
        const double middle = (low + high) / 2;
        (f(middle) * sign > 0 ? high : low) = middle;
      }
      return (low + high) / 2;
    };
    const double h = 1e-5;
    const double measured = (on_curve(x0 + h) - on_curve(x0 - h)) / (2 * h);
    CHECK(evaluate(slope, {{x, x0}, {y, y0}}) == doctest::Approx(measured).epsilon(1e-5));
  }
  CHECK_THROWS_AS((void)implicit_derivative(x - 1, y, x), Error);
  CHECK_THROWS_AS((void)implicit_derivative(x + y, x, x), Error);
}

TEST_CASE("inverse functions: every branch gives back its argument") {
  for (const char* body : {"3*x - 2", "x^3", "exp(2*x) + 1", "(x + 1)/(x - 2)", "x^2 - 2*x", "log(x) + x", "tanh(x)"}) {
    INFO(std::string(body));
    const InverseFunctions inv = inverse(Function("f", {x}, parse(body)));
    REQUIRE_FALSE(inv.branches.empty());
    for (const Function& g : inv.branches) {
      for (const double value : {0.3, 0.55}) {
        const std::complex<double> there = evaluate_complex(g(Expr(Number::exact(value))));
        if (there.imag() != 0 || !std::isfinite(there.real())) continue;
        CHECK(evaluate(parse(body), {{x, there.real()}}, Unused::allowed) == doctest::Approx(value).epsilon(1e-10));
      }
    }
  }
  CHECK(inverse(Function("f", {x}, power(x, 2) - 2 * x)).branches.size() == 2);
  CHECK_THROWS_AS((void)inverse(Function("f", {x, y}, x + y)), Error);
}

TEST_CASE("stationary points and their kind") {
  const StationarySet s = stationary_points(power(x, 3) - 3 * x + power(y, 2), {x, y});
  REQUIRE(s.points.size() == 2);
  CHECK(s.solutions.complete);
  for (const StationaryPoint& p : s.points) {
    const bool right = evaluate(*p.at.values.find(x)) > 0;
    CHECK(p.kind == (right ? StationaryKind::minimum : StationaryKind::saddle));
    CHECK(evaluate(p.value) == doctest::Approx(right ? -2 : 2));
  }
  CHECK(stationary_points(-power(x - 1, 2) - a * power(y, 2), {x, y}).points.at(0).kind == StationaryKind::maximum);
  CHECK(stationary_points(power(x, 4) + power(y, 2), {x, y}).points.at(0).kind == StationaryKind::undecided);
  CHECK_THROWS_AS((void)stationary_points(a, {x}), Error);
  // random quadratic forms around a random place, against their eigenvalues by hand (two unknowns)
  std::mt19937 random(5);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  for (int k = 0; k < 30; ++k) {
    const int p = pick(-3, 3);
    const int q = pick(-3, 3);
    const int r = pick(-3, 3);
    if (4 * p * r == q * q) continue;
    const int x0 = pick(-4, 4);
    const int y0 = pick(-4, 4);
    const Expr u = x - x0;
    const Expr v = y - y0;
    const StationarySet one = stationary_points(p * u * u + q * u * v + r * v * v + 7, {x, y});
    REQUIRE(one.points.size() == 1);
    CHECK(one.points[0].at.values.find(x)->is_integer(x0));
    CHECK(one.points[0].value.is_integer(7));
    const int determinant = 4 * p * r - q * q;
    const StationaryKind kind = determinant < 0 ? StationaryKind::saddle
                                : p > 0         ? StationaryKind::minimum
                                                : StationaryKind::maximum;
    // a zero first minor decides nothing by itself
    if (p != 0) CHECK(one.points[0].kind == kind);
  }
}

}  // namespace consequences_cases
