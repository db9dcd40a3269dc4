// SPDX-License-Identifier: MIT
// The witness that looks between the ends of a range has to see jumps and poles there, and nothing where there are
// none.
#include <doctest/doctest.h>

#include <cmath>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/integral.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/inside.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

namespace {

bool grows(const std::string& antiderivative, double a, double b) {
  const Expr F = parse(antiderivative);
  return grows_as_integral(derivative(F, x), F, x, a, b, {}, {});
}

}  // namespace

TEST_CASE("antiderivatives without fault between the ends") {
  struct Row {
    const char* F;
    double a, b;
  };
  const Row rows[] = {{"x^3/3 - x", -2, 5},           {"2*sqrt(x)", 0, 1},
                      {"x*log(x) - x", 0, 3},         {"atan(x)", -HUGE_VAL, HUGE_VAL},
                      {"-exp(-x)", 0, HUGE_VAL},      {"fresnel_S(x)", 0, HUGE_VAL},
                      {"Si(x)", -HUGE_VAL, HUGE_VAL}, {"asin(x)", -1, 1},
                      {"3*cbrt(x - 1/3)", 0, 1},      {"erf(1000*(x - 0.3127))", 0, 1},
                      {"abs(x - 1/3)", -1, 1},        {"sin(300*x)", 0, 1},
                      {"log(1 + x^2)", -HUGE_VAL, 0}};
  for (const Row& r : rows) {
    CAPTURE(r.F);
    CHECK(grows(r.F, r.a, r.b));
  }
}

TEST_CASE("jumps and poles between the ends") {
  struct Row {
    const char* F;
    double a, b;
  };
  const Row rows[] = {{"log(abs(x - 0.4))", 0, 1},
                      {"-1/(x - 1/3)", 0, 1},
                      {"atan(2*tan(x))", 0, 3},
                      {"2*atan(tan(x/2)/3)", 0, 6},
                      {"tan(x)", 0, 2},
                      {"-1/x", -HUGE_VAL, HUGE_VAL},
                      {"log(abs((x - 3)/(x + 3)))", 0, HUGE_VAL},
                      {"atan(1/(x - 0.7))", -4, 4},
                      {"x/abs(x) + x^2", -1, 2},
                      {"1/sin(x - 2)^2", 0, 3}};
  for (const Row& r : rows) {
    CAPTURE(r.F);
    CHECK(!grows(r.F, r.a, r.b));
  }
}

TEST_CASE("no value is claimed for parameters at which the integral diverges or has another value") {
  struct Row {
    const char* f;
    const char* from;
    const char* to;
    double a, b;
  };
  // each at parameters that put a pole into the range or make an end too steep
  const Row rows[] = {{"1/(exp(x) - a)", "0", "infinity", 1.5, 1},
                      {"sin(x)/x^a", "0", "infinity", 2.5, 1},
                      {"1/(1 + a*cos(x))", "0", "2*pi", 3, 1},
                      {"1/(a + tan(x))", "0", "pi", 0.5, 1},
                      {"sin(x)/(a + cos(x))", "0", "pi", 0.3, 1},
                      {"1/sin(x + a)", "0", "pi", 1, 1},
                      {"x^a*exp(-x)", "0", "infinity", -1.5, 1},
                      {"exp(a*x)", "0", "infinity", 0.5, 1},
                      {"1/(x^2 - a)", "0", "2", 1, 1},
                      {"log(x)/(x - a)", "0", "infinity", 2, 1},
                      {"1/(a*sin(x) + b*cos(x))", "0", "pi", 1, 2}};
  const Symbol a("a"), b("b");
  for (const Row& r : rows) {
    const std::string text = r.f;
    CAPTURE(text);
    const IntegralResult result = integrate(parse(r.f), x, parse(r.from), parse(r.to));
    if (result.status != IntegralStatus::exact) continue;
    const auto holds = [&](const Expr& c) {
      const Expr at = substitute(c, {{a, Expr(Number::exact(r.a))}, {b, Expr(Number::exact(r.b))}}, Unused::allowed);
      return !at.is_constant(ConstantCode::false_value);
    };
    bool claimed = true;
    for (const Expr& c : result.conditions) claimed = claimed && holds(c);
    for (const IntegralException& e : result.exceptions) claimed = claimed && !holds(e.when);
    CHECK(!claimed);
  }
}
