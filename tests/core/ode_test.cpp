// SPDX-License-Identifier: MIT
// Differential equations: random ones built so that the answer is known, each kind with a disguise, conditions,
// refusals.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/ode.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "effort.hpp"
#include "odes/jet.hpp"
#include "odes/verify.hpp"

using namespace boreon;

namespace ode_cases {
namespace {

const Symbol t("t"), x("x");
const UnknownFunction y("y"), u("u");

// "y' = f" with y for y(t)
Expr ode(const std::string& text) {
  ParseContext c;
  c.names = {{"y", y(t)}, {"u", u(t)}, {"k", Symbol("k", {Assumption::positive})}};
  c.functions = {{"y", 1}, {"u", 1}};
  return parse_equation(text, c).residual();
}

Expr condition(const std::string& text) {
  ParseContext c;
  c.functions = {{"y", 1}, {"u", 1}};
  return parse_equation(text, c).residual();
}

OdeSolutionSet solved(const std::string& text, const std::vector<std::string>& given = {},
                      std::vector<Expr> conditions = {}) {
  OdeOptions o;
  o.conditions = std::move(conditions);
  for (const std::string& g : given) o.given.push_back(condition(g));
  return solve_ode({ode(text)}, {y(t)}, o);
}

Expr value_of(const OdeSolutionSet& s, std::size_t i = 0) { return *s.solutions.at(i).values.find(y(t)); }

// The equation at numbers, by difference quotients: nothing of the library's derivatives.
double residual(const Expr& equation, const Expr& solution, double at, const Bindings& constants) {
  const double h = 1e-3;
  const auto f = [&](double z) {
    Bindings b = constants;
    b.set(t, z);
    return evaluate(solution, b, Unused::allowed);
  };
  const double f0 = f(at);
  // central differences of sixth order
  const double d1 =
      (45 * (f(at + h) - f(at - h)) - 9 * (f(at + 2 * h) - f(at - 2 * h)) + f(at + 3 * h) - f(at - 3 * h)) / (60 * h);
  const double d2 = (-490 * f0 + 270 * (f(at + h) + f(at - h)) - 27 * (f(at + 2 * h) + f(at - 2 * h)) +
                     2 * (f(at + 3 * h) + f(at - 3 * h))) /
                    (180 * h * h);
  std::vector<Expr> calls = unknown_calls({&equation, 1});
  Bindings b = constants;
  b.set(t, at);
  for (const Expr& c : calls) {
    const auto order = c.operands()[2].word();
    b.set(c, order == 0 ? f0 : order == 1 ? d1 : d2);
  }
  return evaluate(equation, b, Unused::allowed);
}

}  // namespace

TEST_CASE("each classical form is solved and verified") {
  for (const char* text : {"y' + 2*t*y = t",
                           "y' = (1 + y^2)/(1 + t^2)",
                           "y' = y/t - y^2",
                           "y' = (t + y)/t",
                           "y' = (t^2 + y^2)/(t*y)",
                           "y' = (t + y)^2",
                           "y' = exp(t - y)",
                           "y' = 1/t^2 - y/t - y^2",
                           "2*t*y + (t^2 + 1)*y' = 0",
                           "y = t*y' + y'^2",
                           "y'' - 3*y' + 2*y = t*exp(t)",
                           "y'' + y = 1/cos(t)",
                           "t^2*y'' - t*y' + y = t",
                           "t^2*y'' + t*y' + y = log(t)",
                           "y'' = 6*t - 2/t^2",
                           "t*y'' + y' = 4*t",
                           "y'' - t*y = 0",
                           "t^2*y'' + t*y' + (t^2 - 1/4)*y = 0",
                           "t^2*y'' + t*y' - (t^2 + 9)*y = 0",
                           "(1 - t^2)*y'' - 2*t*y' + 2*y = 0",
                           "y'' - 2*t*y' + 6*y = 0",
                           "t*y'' + (1 - t)*y' + y = 0",
                           "y'' + y'^2 = 0",
                           "y*y'' = y'^2",
                           "y'' = -k*y' + 1",
                           "y''' = y",
                           "y'''' - 16*y = sin(2*t)"}) {
    INFO(std::string(text));
    const OdeSolutionSet s = solved(text);
    REQUIRE(s.status == SolveStatus::exact);
    REQUIRE_FALSE(s.solutions.empty());
    CHECK(s.check.verdict == Verdict::agrees);
    CHECK_FALSE(s.steps.empty());
    if (s.solutions[0].relation || ode(text).symbol_filter() == 0) continue;
    // once more by difference quotients, at positive times and random constants
    bool high = false;
    const Expr e = ode(text);
    for (const Expr& c : unknown_calls({&e, 1})) high = high || *c.operands()[2].word() > 2;
    if (high) continue;
    int tested = 0;
    for (const double at : {0.37, 0.61, 1.23}) {
      Bindings b{{Symbol("k", {Assumption::positive}), 1.25}};
      for (std::size_t i = 0; i < s.constants.size(); ++i) b.set(s.constants[i], 0.25 + 0.5 * static_cast<double>(i));
      try {
        const double r = residual(e, value_of(s), at, b);
        CHECK(std::abs(r) < 1e-5);
        ++tested;
      } catch (const Error&) {
        // outside the domain of a root or logarithm
      }
    }
    CHECK(tested > 0);
  }
}

TEST_CASE("random linear equations with constant coefficients, some resonant, with initial values") {
  const int cases = test::cases(80, 500, 15);
  std::mt19937 random(20261130);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  int resonant = 0;
  for (int k = 0; k < cases; ++k) {
    const int order = pick(1, 4);
    // the characteristic polynomial from its roots
    Expr p = 1;
    const Symbol z("z");
    int left = order;
    int rate = 0;
    int frequency = 0;
    while (left > 0) {
      rate = pick(-2, 2);
      if (left >= 2 && pick(0, 1) == 1) {
        frequency = pick(1, 3);
        p *= power(z - rate, 2) + frequency * frequency;
        left -= 2;
      } else {
        frequency = 0;
        p *= z - rate;
        left -= 1;
      }
    }
    if (pick(0, 2) == 0) {
      rate = pick(-1, 1);
      frequency = pick(0, 2);
    } else {
      ++resonant;
    }
    const std::vector<Expr> c = coefficients(expand(p), z);
    const int power_of_t = pick(0, 2);
    Expr forcing = power(t, power_of_t) * exp(rate * t);
    if (frequency > 0) forcing *= pick(0, 1) == 0 ? sin(frequency * t) : cos(frequency * t);
    Expr equation = -forcing;
    for (int i = 0; i <= order; ++i) equation += c[static_cast<std::size_t>(i)] * derivative(y(t), t, i);
    OdeOptions o;
    std::vector<int> values;
    const Expr zero[] = {0};
    for (int i = 0; i < order; ++i) {
      const int orders[] = {i};
      values.push_back(pick(-2, 2));
      o.given.push_back(y.derivative_at(zero, orders) - values.back());
    }
    INFO(to_text(equation));
    const OdeSolutionSet s = solve_ode({equation}, {y(t)}, o);
    REQUIRE(s.status == SolveStatus::exact);
    REQUIRE(s.solutions.size() == 1);
    CHECK(s.constants.empty());
    const Expr f = value_of(s);
    for (int i = 0; i < order; ++i)
      CHECK(evaluate(derivative(f, t, i), {{t, 0}}, Unused::allowed) ==
            doctest::Approx(values[static_cast<std::size_t>(i)]).epsilon(1e-11));
    // the equation, at times, with derivatives by this test
    for (const double at : {0.4, 1.1}) {
      double sum = -evaluate(forcing, {{t, at}}, Unused::allowed);
      double size = std::abs(sum);
      for (int i = 0; i <= order; ++i) {
        const double term =
            evaluate(c[static_cast<std::size_t>(i)]) * evaluate(derivative(f, t, i), {{t, at}}, Unused::allowed);
        sum += term;
        size += std::abs(term);
      }
      CHECK(std::abs(sum) < 1e-10 * (1 + size));
    }
  }
  CHECK(resonant > cases / 3);
}

TEST_CASE("random linear systems, defective ones among them") {
  const int cases = test::cases(25, 200, 5);
  std::mt19937 random(11);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  for (int k = 0; k < cases; ++k) {
    const int n = k % 5 == 4 ? 4 : pick(2, 3);
    std::vector<Expr> unknowns;
    for (int i = 0; i < n; ++i) unknowns.push_back(UnknownFunction("w" + std::to_string(i))(t));
    // a Jordan matrix in disguise: P*J*P^-1 with P of determinant 1
    std::vector<std::vector<Expr>> A(static_cast<std::size_t>(n), std::vector<Expr>(static_cast<std::size_t>(n), 0));
    const int rate = pick(-2, 1);
    for (int i = 0; i < n; ++i) {
      for (int j = 0; j < n; ++j) {
        if (i == j) A[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)] = pick(0, 1) == 0 ? rate : pick(-2, 2);
        if (j == i + 1) A[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)] = pick(-1, 2);
      }
    }
    const int shear = pick(-2, 2);
    for (std::size_t j = 0; j < A.size(); ++j) A[1][j] += shear * A[0][j];
    for (auto& row : A) row[0] -= shear * row[1];
    std::vector<Expr> equations;
    for (std::size_t i = 0; i < A.size(); ++i) {
      Expr e = derivative(unknowns[i], t);
      for (std::size_t j = 0; j < A.size(); ++j) e -= A[i][j] * unknowns[j];
      if (i == 0 && pick(0, 1) == 1) e -= sin(t);
      equations.push_back(e);
    }
    INFO(to_text(equations[0]) << ", " << to_text(equations[1]));
    const OdeSolutionSet s = solve_ode(equations, unknowns);
    REQUIRE(s.status == SolveStatus::exact);
    REQUIRE(s.constants.size() == static_cast<std::size_t>(n));
    Bindings at;
    for (std::size_t i = 0; i < s.constants.size(); ++i) at.set(s.constants[i], Expr(3 - 2 * static_cast<int>(i)));
    for (const double when : {0.3, 1.2}) {
      at.set(t, when);
      for (const Expr& e : equations) {
        Expr there = e;
        for (const Expr& w : unknowns) {
          const auto calls = unknown_calls({&there, 1});
          if (std::none_of(calls.begin(), calls.end(), [&](const Expr& c) { return c.name() == w.name(); })) continue;
          there = substitute(there, UnknownFunction(w.name()), Function("f", {t}, *s.solutions[0].values.find(w)));
        }
        CHECK(std::abs(evaluate(there, at, Unused::allowed)) < 1e-9);
      }
    }
  }
}

TEST_CASE("steps and impulses: what jumps is what the equation says") {
  OdeSolutionSet s = solved("y'' + y = heaviside(t - 1)", {"y(0) = 0", "y'(0) = 0"});
  REQUIRE(s.solutions.size() == 1);
  CHECK(evaluate(value_of(s), {{t, 0.5}}) == 0);
  CHECK(evaluate(value_of(s), {{t, 3}}) == doctest::Approx(1 - std::cos(2)));
  s = solved("2*y'' + 8*y = dirac_delta(t - 1)", {"y(0) = 0", "y'(0) = 0"});
  REQUIRE(s.solutions.size() == 1);
  CHECK(evaluate(value_of(s), {{t, 2}}) == doctest::Approx(std::sin(2.0) / 4));
  // a wrong strength of the impulse, and a step where none belongs, are seen
  const std::vector<Expr> equations{ode("2*y'' + 8*y = dirac_delta(t - 1)")};
  const std::vector<Expr> unknowns{y(t)};
  const odes::Jet jet(equations, unknowns);
  const auto holds = [&](const char* f) {
    const std::vector<Expr> functions{parse(f)};
    return odes::verified(jet, functions, {}, 4, 1).holds;
  };
  CHECK(holds("heaviside(t - 1)*sin(2*(t - 1))/4"));
  CHECK_FALSE(holds("heaviside(t - 1)*sin(2*(t - 1))/3"));
  CHECK_FALSE(holds("heaviside(t - 1)*sin(2*(t - 1))/4 + heaviside(t - 2)*cos(2*(t - 2))"));
  CHECK_FALSE(holds("0"));
}

TEST_CASE("parameters: other cases are solved, not passed over") {
  const OdeSolutionSet s = solved("y'' + 2*b*y' + w^2*y = 0");
  REQUIRE(s.status == SolveStatus::exact);
  CHECK(s.constants.size() == 2);
  CHECK(s.exceptions.size() >= 2);  // overdamped, and the border
  const OdeSolutionSet driven = solved("y'' + w^2*y = cos(v*t)");
  bool resonance = false;
  for (const SolveException& e : driven.exceptions) resonance = resonance || e.what.find("t*sin(") != std::string::npos;
  CHECK(resonance);
}

TEST_CASE("conditions: met, impossible, at infinity, at places where part of the solution has no value") {
  CHECK(value_of(solved("y'' - y = 0", {"y(0) = 1", "y(infinity) = 0"})) == exp(-t));
  CHECK(value_of(solved("y' = y^2", {"y(0) = 0"})).is_integer(0));
  CHECK(evaluate(value_of(solved("y'' + y'/t = 1", {"y(1) = 0", "y'(0) = 0"})), {{t, 3}}) == doctest::Approx(2));
  for (const auto& given :
       {std::vector<std::string>{"y(0) = 0", "y(pi) = 1"}, std::vector<std::string>{"y(0) = 1", "y(0) = 2"}}) {
    try {
      (void)solved("y'' + y = 0", given);
      FAIL("conditions that exclude each other were met");
    } catch (const Error& e) {
      CHECK(e.kind() == ErrorKind::domain);
      CHECK(e.message().find("y(0)") != std::string::npos);
    }
  }
  // a root has two branches, of which one starts at the value
  CHECK(evaluate(value_of(solved("y*y' = t", {"y(0) = -2"})), {{t, 1}}) == doctest::Approx(-std::sqrt(5.0)));
}

TEST_CASE("a solution that is none does not pass, nor do constants that are one") {
  const auto passes = [](const char* equation, const char* f) {
    const std::vector<Expr> equations{ode(equation)};
    const std::vector<Expr> unknowns{y(t)};
    const odes::Jet jet(equations, unknowns);
    const std::vector<Expr> functions{parse(f)};
    return odes::verified(jet, functions, {}, 4, 1).holds;
  };
  CHECK(passes("y'' = y", "C1*exp(t)"));
  CHECK_FALSE(passes("y'' = y", "C1*exp(t) + exp(-30*t)/10^9"));
  CHECK_FALSE(passes("y' = sqrt(y)", "(C1 - t)^2/4 + 1"));
  const std::vector<Expr> equations{ode("y'' = y")};
  const std::vector<Expr> unknowns{y(t)};
  const odes::Jet jet(equations, unknowns);
  const std::vector<Expr> constants{Symbol("C1"), Symbol("C2")};
  const auto independent = [&](const char* f) {
    const std::vector<Expr> functions{parse(f)};
    return odes::independent_constants(jet, functions, constants, {}, 1);
  };
  CHECK(independent("C1*exp(t) + C2*exp(-t)") == 2);
  CHECK(independent("C1*exp(t + C2)") == 1);
}

TEST_CASE("the envelope of a family is a solution of its own") {
  const auto singular = [](const char* text) {
    std::vector<std::string> out;
    for (const OdeSolution& s : solved(text).solutions) {
      if (s.singular) out.push_back(to_text(*s.values.find(y(t))));
    }
    return out;
  };
  CHECK(singular("y = t*y' - y'^3").size() == 2);
  CHECK(singular("y'^2 + t*y' - y = 0") == std::vector<std::string>{"-t^2/4"});
  CHECK(singular("t*y'^2 - y*y' + 1 = 0").size() == 2);
  // y = 1 belongs to the family: C1 = 0
  CHECK(singular("y = t*y' + exp(y')").size() == 1);
}

TEST_CASE("signs of constants divide a solution into its forms") {
  // free fall towards a centre: bound, free, and just free
  const OdeSolutionSet s = solve_ode({ode("y'' = -1/y^2")}, std::vector<Expr>{y(t)});
  CHECK(s.status == SolveStatus::exact);
  CHECK(s.solutions.size() == 6);
  std::size_t with_conditions = 0;
  for (const OdeSolution& one : s.solutions) with_conditions += one.conditions.empty() ? 0 : 1;
  CHECK(with_conditions == 4);
}

TEST_CASE("refusals say what is wrong") {
  const auto message = [](const std::vector<Expr>& equations, const std::vector<Expr>& unknowns) {
    try {
      (void)solve_ode(equations, unknowns);
    } catch (const Error& e) {
      return e.message();
    }
    return std::string("no error");
  };
  CHECK(message({derivative(y(t), t)}, {t}).find("calls such as y(t)") != std::string::npos);
  CHECK(message({y(t) - t}, {y(t)}).find("no derivative") != std::string::npos);
  CHECK(message({derivative(y(t), t)}, {u(t)}).find("does not occur") != std::string::npos);
  CHECK(message({derivative(y(t), t) + y(t - 1)}, {y(t)}).find("delays") != std::string::npos);
  CHECK(message({derivative(y(t), t) - u(t), u(t)}, {y(t)}).find("cannot determine") != std::string::npos);
  const OdeSolutionSet s = solved("y' = cos(t*y)");
  CHECK(s.status == SolveStatus::unevaluated);
  CHECK_FALSE(s.reason.empty());
  // C1 is taken by the equation
  CHECK(to_text(solved("y' = -C1*y").constants.at(0)) == "C2");
}

}  // namespace ode_cases
