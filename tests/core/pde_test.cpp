// SPDX-License-Identifier: MIT
// Partial differential equations: solutions put into the equation by difference quotients, sums beside what is given.
#include <doctest/doctest.h>

#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace pde_cases {

const Symbol x("x"), t("t"), L("L", {Assumption::positive}), k("k", {Assumption::positive});
const UnknownFunction u("u");

static Expr read(const std::string& text) {
  ParseContext c;
  c.names = {{"x", x}, {"t", t}, {"L", L}, {"k", k}};
  c.functions = {{"u", 2}, {"F", 1}};
  const Expr e = parse(text, c);
  return e.is(Kind::relation) ? e.operands()[0] - e.operands()[1] : e;
}

static PdeSolution solved(const std::string& equation, const std::vector<std::string>& given = {}) {
  PdeOptions o;
  for (const std::string& g : given) {
    const std::size_t at = g.find(" at ");
    Expr e = read(g.substr(0, at));
    if (at != std::string::npos) {
      const Expr place = read(g.substr(at + 6));
      e = substitute(evaluate_derivatives(e), {{g[at + 4] == 'x' ? x : t, place}}, Unused::allowed);
    }
    o.given.push_back(e);
  }
  return solve_pde(read(equation), u(x, t), o);
}

// What is left of an equation in u, u_x, u_t, ... at a point, by central differences.
static double remainder(const std::string& equation, const Expr& f, double at_x, double at_t, const Bindings& numbers) {
  const double h = 1e-3;
  const auto value = [&](double dx, double dt) {
    Bindings b = numbers;
    b.set(x, Expr(Number::exact(at_x + dx)));
    b.set(t, Expr(Number::exact(at_t + dt)));
    return evaluate(f, b, Unused::allowed);
  };
  const double here = value(0, 0);
  Bindings b = numbers;
  b.set(x, Expr(Number::exact(at_x)));
  b.set(t, Expr(Number::exact(at_t)));
  const Expr e = evaluate_derivatives(read(equation));
  for (const Expr& call : unknown_calls({&e, 1})) {
    const auto in_x = call.operands()[2].word().value();
    const auto in_t = call.operands()[4].word().value();
    double d = here;
    if (in_x == 1) d = (value(h, 0) - value(-h, 0)) / (2 * h);
    if (in_t == 1) d = (value(0, h) - value(0, -h)) / (2 * h);
    if (in_x == 2) d = (value(h, 0) - 2 * here + value(-h, 0)) / (h * h);
    if (in_t == 2) d = (value(0, h) - 2 * here + value(0, -h)) / (h * h);
    b.set(call, d);
  }
  return evaluate(e, b, Unused::allowed);
}

TEST_CASE("equations of first order by characteristics") {
  for (const std::string equation :
       {"derivative(u(x,t),t) + 3*derivative(u(x,t),x) = 0", "derivative(u(x,t),t) + 3*derivative(u(x,t),x) = -u(x,t)",
        "x*derivative(u(x,t),x) + t*derivative(u(x,t),t) = u(x,t)",
        "t*derivative(u(x,t),x) - x*derivative(u(x,t),t) = 0", "derivative(u(x,t),t) + x*derivative(u(x,t),x) = t",
        "derivative(u(x,t),t) + 2*t*derivative(u(x,t),x) = x", "derivative(u(x,t),x) = x*t",
        "derivative(u(x,t),t) + exp(-t)*derivative(u(x,t),x) + 2*u(x,t) = 1",
        "x^2*derivative(u(x,t),x) + derivative(u(x,t),t) = u(x,t)"}) {
    CAPTURE(equation);
    const PdeSolution s = solved(equation);
    REQUIRE(s.status == SolveStatus::exact);
    REQUIRE(s.arbitrary);
    const Symbol z("z");
    const Expr f = substitute(s.value, UnknownFunction(s.arbitrary->name()), Function("F", {z}, sin(z) + z * z / 3));
    for (const double at_x : {0.7, 1.9}) {
      for (const double at_t : {0.4, 1.3}) CHECK(std::abs(remainder(equation, f, at_x, at_t, {})) < 1e-4);
    }
  }
}

TEST_CASE("values on a line fix the free function") {
  const struct {
    std::string equation;
    std::string given;
    std::string value;
  } cases[] = {
      {"derivative(u(x,t),t) + 3*derivative(u(x,t),x) = 0", "u(x,0) = exp(-x^2)", "exp(-(x - 3*t)^2)"},
      {"derivative(u(x,t),t) + 3*derivative(u(x,t),x) = -u(x,t)", "u(x,0) = x", "(x - 3*t)*exp(-t)"},
      {"derivative(u(x,t),t) + x*derivative(u(x,t),x) = t", "u(x,0) = sin(x)", "sin(x*exp(-t)) + t^2/2"},
      {"derivative(u(x,t),t) + 2*derivative(u(x,t),x) = 0", "u(0,t) = cos(t)", "cos(t - x/2)"},
      {"derivative(u(x,t),t) + 2*t*derivative(u(x,t),x) = x", "u(x,0) = 0", "x*t - 2*t^3/3"},
  };
  for (const auto& c : cases) {
    CAPTURE(c.equation);
    const PdeSolution s = solved(c.equation, {c.given});
    REQUIRE(s.status == SolveStatus::exact);
    CHECK_FALSE(s.arbitrary);
    for (const double at : {0.3, 1.2})
      CHECK(evaluate(s.value, {{x, at}, {t, 0.7}}, Unused::allowed) ==
            doctest::Approx(evaluate(read(c.value), {{x, at}, {t, 0.7}}, Unused::allowed)).epsilon(1e-12));
  }
  // a characteristic takes no values
  CHECK(solved("derivative(u(x,t),x) = 0", {"u(x,0) = x"}).status == SolveStatus::unevaluated);
}

TEST_CASE("heat, waves and potentials on a segment") {
  const std::string heat = "derivative(u(x,t),t) = derivative(u(x,t),x,2)";
  const std::string wave = "derivative(u(x,t),t,2) = 4*derivative(u(x,t),x,2)";
  const std::string potential = "derivative(u(x,t),x,2) + derivative(u(x,t),t,2) = 0";
  const std::string fixed = "u(0,t) = 0";
  const std::string fixed_far = "u(1,t) = 0";
  const std::string free = "derivative(u(x,t),x) = 0 at x=0";
  const std::string free_far = "derivative(u(x,t),x) = 0 at x=1";
  const struct {
    std::string equation;
    std::vector<std::string> given;
    std::string start;  // at t = 0
  } cases[] = {{heat, {fixed, fixed_far, "u(x,0) = x*(1 - x)"}, "x*(1 - x)"},
               {heat, {free, free_far, "u(x,0) = x^2"}, "x^2"},
               {heat, {fixed, free_far, "u(x,0) = 1"}, "1"},
               {heat, {free, fixed_far, "u(x,0) = 1 - x"}, "1 - x"},
               {heat, {"u(0,t) = 1", "u(1,t) = 3", "u(x,0) = 0"}, "0"},
               {heat, {"u(0,t) = 1", "derivative(u(x,t),x) = 2 at x=1", "u(x,0) = 1"}, "1"},
               {heat, {fixed, fixed_far, "u(x,0) = sin(3*pi*x)"}, "sin(3*pi*x)"},
               {"derivative(u(x,t),t) = derivative(u(x,t),x,2) - 5*u(x,t)", {fixed, fixed_far, "u(x,0) = x"}, "x"},
               {wave, {fixed, fixed_far, "u(x,0) = x*(1 - x)", "derivative(u(x,t),t) = 0 at t=0"}, "x*(1 - x)"},
               {wave, {free, free_far, "u(x,0) = x", "derivative(u(x,t),t) = 1 at t=0"}, "x"},
               {potential, {fixed, fixed_far, "u(x,0) = x*(1 - x)", "u(x,infinity) = 0"}, "x*(1 - x)"},
               {potential, {fixed, fixed_far, "u(x,0) = x", "u(x,2) = 1"}, "x"},
               {potential, {free, free_far, "u(x,0) = x", "u(x,2) = 3"}, "x"}};
  for (const auto& c : cases) {
    CAPTURE(c.equation);
    CAPTURE(c.given[2]);
    const PdeSolution s = solved(c.equation, c.given);
    CAPTURE(s.reason);
    REQUIRE(s.status == SolveStatus::exact);
    const Expr sum = s.partial_sum(120);
    // later, where the sum has settled, by differences
    for (const double at : {0.21, 0.63}) {
      if (c.equation != wave) CHECK(std::abs(remainder(c.equation, sum, at, 0.4, {})) < 1e-3);
      CHECK(evaluate(sum, {{x, at}, {t, 0}}, Unused::allowed) ==
            doctest::Approx(evaluate(read(c.start), {{x, at}}, Unused::allowed)).epsilon(0.03));
    }
  }
  // the string that is let go: d'Alembert's picture, halves that run apart and come back turned over
  const PdeSolution string = solved(wave, {fixed, fixed_far, "u(x,0) = x*(1 - x)", "derivative(u(x,t),t) = 0 at t=0"});
  const Expr sum = string.partial_sum(200);
  for (const double at : {0.3, 0.55}) {
    const double run = 0.1;  // 2*t
    const double ahead = (at + run) * (1 - at - run);
    const double behind = (at - run) * (1 - at + run);
    CHECK(evaluate(sum, {{x, at}, {t, 0.05}}) == doctest::Approx((ahead + behind) / 2).epsilon(1e-4));
    CHECK(evaluate(sum, {{x, at}, {t, 0.5}}) == doctest::Approx(-at * (1 - at)).epsilon(1e-4));
  }
  // one mode alone is no sum
  const PdeSolution mode = solved(heat, {fixed, fixed_far, "u(x,0) = sin(3*pi*x)"});
  CHECK(mode.term->is_integer(0));
  CHECK(simplify(mode.value - read("sin(3*pi*x)*exp(-9*pi^2*t)")).is_integer(0));
  // with parameters
  const PdeSolution general =
      solved("derivative(u(x,t),t) = k*derivative(u(x,t),x,2)", {"u(0,t) = 0", "u(L,t) = 0", "u(x,0) = x*(L - x)"});
  REQUIRE(general.status == SolveStatus::exact);
  const Bindings numbers{{L, 1}, {k, 1}};
  const PdeSolution special = solved(heat, {fixed, fixed_far, "u(x,0) = x*(1 - x)"});
  CHECK(evaluate(substitute(general.partial_sum(9), numbers, Unused::allowed), {{x, 0.3}, {t, 0.1}}) ==
        doctest::Approx(evaluate(special.partial_sum(9), {{x, 0.3}, {t, 0.1}})));
}

TEST_CASE("what is not solved says why, what is wrong is refused") {
  const std::string heat = "derivative(u(x,t),t) = derivative(u(x,t),x,2)";
  const auto reason = [](const PdeSolution& s) {
    CHECK(s.status == SolveStatus::unevaluated);
    return s.reason;
  };
  CHECK(reason(solved(heat)).find("two ends") != std::string::npos);
  CHECK(reason(solved(heat, {"u(0,t) = 0", "u(1,t) = 0"})).find("start") != std::string::npos);
  CHECK(reason(solved(heat, {"u(0,t) = t", "u(1,t) = 0", "u(x,0) = 0"})).find("ends") != std::string::npos);
  CHECK(reason(solved("derivative(u(x,t),t) = u(x,t)^2")).find("linear") != std::string::npos);
  CHECK(reason(solved("derivative(u(x,t),t) = x*derivative(u(x,t),x,2)", {"u(0,t) = 0", "u(1,t) = 0", "u(x,0) = x"}))
            .find("depend") != std::string::npos);
  CHECK(reason(solved("derivative(u(x,t),t,2) + derivative(u(x,t),t) = derivative(u(x,t),x,2)",
                      {"u(0,t) = 0", "u(1,t) = 0", "u(x,0) = x", "derivative(u(x,t),t) = 0 at t=0"}))
            .find("damping") != std::string::npos);
  CHECK_THROWS_AS((void)solve_pde(x - t, u(x, t)), Error);
  CHECK_THROWS_AS((void)solve_pde(derivative(u(x, t), x), u(x, x)), Error);
  CHECK_THROWS_AS((void)solve_pde(derivative(u(x, t), x), x), Error);
  CHECK_THROWS_AS((void)solved(heat, {"u(0,0) = 1"}), Error);
  CHECK_THROWS_AS((void)solved(heat, {"u(x,t) = 1"}), Error);
}

}  // namespace pde_cases
