// SPDX-License-Identifier: MIT
// What follows from equations: inequalities with parameters, complex solutions, unknowns that are expressions, minimal
// polynomials, slopes of curves.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <random>

#include "boreon/boreon.hpp"

using namespace boreon;

// A namespace of its own: other files of a unity build have an x as well.
namespace equation_consequences {

const Symbol x("x"), y("y"), a("a"), b("b");

static bool holds(const Expr& condition, const Bindings& at) {
  const Expr there = substitute(condition, at, Unused::allowed);
  if (there.is_constant(ConstantCode::true_value)) return true;
  if (there.is_constant(ConstantCode::false_value)) return false;
  try {
    return evaluate(boreon::piecewise(std::vector<Expr>{1, there, 0, truth(true)})) > 0.5;
  } catch (const Error&) {
    return false;  // no real value
  }
}

// The truth at random numbers against each case that applies; one does.
static void check_cases(const std::string& text, std::mt19937& dice) {
  CAPTURE(text);
  const Expr c = parse(text);
  const InequalityCases s = solve_inequality_cases(c, x);
  REQUIRE(s.solved);
  std::uniform_int_distribution<int> eighth(-24, 24);
  for (int k = 0; k < 300; ++k) {
    const int first = eighth(dice);
    const int second = eighth(dice);
    const Bindings parameters{{a, Number(first, 8)}, {b, Number(second, k % 3 == 0 ? 24 : 8)}};
    int applicable = 0;
    for (const InequalityCase& one : s.cases) {
      bool applies = true;
      for (const Expr& condition : one.conditions) applies = applies && holds(condition, parameters);
      if (!applies) continue;
      ++applicable;
      for (int j = 0; j < 12; ++j) {
        Bindings at = parameters;
        at.set(x, Number(eighth(dice), j % 2 == 0 ? 8 : 7));
        CAPTURE(to_text(*at.find(a)));
        CAPTURE(to_text(*at.find(b)));
        CAPTURE(to_text(*at.find(x)));
        CHECK(holds(c, at) == holds(one.set.condition(x), at));
      }
    }
    CAPTURE(to_text(*parameters.find(a)));
    CAPTURE(to_text(*parameters.find(b)));
    CHECK(applicable >= 1);
  }
}

TEST_CASE("inequalities with parameters: a case applies, and each that does says what is true") {
  std::mt19937 dice(20261130);
  for (const char* text : {"a*x + b < 0",
                           "a*x <= b",
                           "x^2 + a*x + b < 0",
                           "(x - a)*(x - b) <= 0",
                           "(x - a)/(x - 1) > 0",
                           "a*x^2 > 1",
                           "exp(x) < a",
                           "exp(-x) >= a + b",
                           "sqrt(x) < a",
                           "x^2 >= a",
                           "1/(x - a) > b",
                           "abs(x - a) < b",
                           "log(x) > a",
                           "x > a and x < b",
                           "x < a or x > b",
                           "(x - a)^2 > 0",
                           "x^3 > a",
                           "(x - a)/(x - b) <= 1",
                           "a*x + 1 > x",
                           "(x^2 - a)/(x + b) <= 0",
                           "a*x^2 > b",
                           "1/x < a",
                           "x^4 > a",
                           "a*x > b*x"})
    check_cases(text, dice);
  // quadratics and quotients of linear functions with random numbers
  const auto digit = [&] { return std::to_string(static_cast<int>(dice() % 7) - 3); };
  for (int k = 0; k < 12; ++k) {
    check_cases("(" + digit() + ")*x^2 + (a + " + digit() + ")*x + b < " + digit(), dice);
    check_cases("((" + digit() + ")*x + a)/(x + " + digit() + ") <= " + digit(), dice);
  }
  CHECK_FALSE(solve_inequality_cases(parse("sin(x) > a"), x).solved);
  CHECK_THROWS_AS((void)solve_inequality_cases(x + a, x), Error);
}

TEST_CASE("complex unknowns: all branches") {
  const Symbol z("z", {Assumption::complex});
  std::mt19937 dice(7);
  int all = 0;
  for (const std::string text :
       {"exp(z) + 1", "sin(z) - 2", "cos(z) - 3i", "tan(z) - 2i", "cosh(z) + 2*sinh(z) - 1i", "sinh(z) - 1i/2",
        "exp(2*z) + exp(z) + 1", "sin(z) + 2*cos(z) - 1i", "2^z - 3i", "2*tanh(z) - 1i", "log(z) - 1i"}) {
    CAPTURE(text);
    ParseContext context;
    context.names.emplace("z", z);
    const Expr e = parse(text, context);
    const SolutionSet s = solve({e}, {z});
    REQUIRE(!s.solutions.empty());
    CHECK(s.complete);
    // from random places Newton's method ends at one of them
    std::vector<std::complex<double>> known;
    for (const Solution& one : s.solutions) {
      for (int n = s.integers.empty() ? 0 : -30; n <= (s.integers.empty() ? 0 : 30); ++n) {
        Bindings number;
        if (!s.integers.empty()) number.set(s.integers[0], n);
        known.push_back(evaluate_complex(*one.values.find(z), number, Unused::allowed));
      }
    }
    const Expr slope = derivative(e, z);
    int reached = 0;
    for (int k = 0; k < 40; ++k) {
      const double re = static_cast<double>(dice() % 2000) / 200 - 5;  // in this order with every compiler
      const double im = static_cast<double>(dice() % 2000) / 200 - 5;
      std::complex<double> at(re, im);
      double step = 1;
      for (int j = 0; j < 60 && step > 1e-10; ++j) {
        const Bindings here{{z, Number::exact(at.real()) + Expr(Number::exact(at.imag())) * imaginary_unit()}};
        try {
          const std::complex<double> d = evaluate_complex(e, here) / evaluate_complex(slope, here, Unused::allowed);
          at -= d;
          step = std::abs(d);
        } catch (const Error&) {
          step = 1;
          break;
        }
        if (!std::isfinite(step) || std::abs(at) > 80) break;
      }
      if (!(step <= 1e-10) || std::abs(at) > 40) continue;
      ++reached;
      double nearest = 1e300;
      for (const auto& p : known) nearest = std::min(nearest, std::abs(p - at));
      CHECK(nearest <= 1e-8);
    }
    all += reached;
  }
  CHECK(all > 100);
  CHECK(solve({sqrt(z) + 1}, {z}).solutions.empty());
  CHECK(solve({abs(z) - z * z}, {z}).status == SolveStatus::unevaluated);
}

TEST_CASE("unknowns that are expressions") {
  const SolutionSet s = solve({a * sin(x) + b * y - 1, sin(x) - y - 2}, {sin(x), y});
  REQUIRE(s.solutions.size() == 1);
  const Bindings& v = s.solutions[0].values;
  CHECK((simplify(*v.find(sin(x)) - (2 * b + 1) / (a + b)) == 0));
  // put back as it is
  CHECK((simplify(substitute(a * sin(x) + b * y - 1, v)) == 0));
  CHECK((substitute(sin(x) + power(sin(x), 2) + x, {{sin(x), y}}) == y + y * y + x));
  CHECK(evaluate(exp(x) + sin(Expr(1)), {{exp(x), 3}}) == doctest::Approx(3 + std::sin(1.0)));
  CHECK_THROWS_AS((void)substitute(x + 1, {{exp(x), 3}}), Error);
  CHECK_THROWS_AS((void)solve({exp(x) - 2}, {sin(x)}), Error);
}

TEST_CASE("cubics with symbols") {
  const Symbol p("p"), q("q");
  const SolutionSet s = solve({power(x, 3) + p * x + q}, {x});
  REQUIRE(s.solutions.size() == 3);
  CHECK(s.exceptions.size() == 1);
  std::mt19937 dice(3);
  for (int k = 0; k < 50; ++k) {
    const int first = static_cast<int>(dice() % 41) - 20;
    const int second = static_cast<int>(dice() % 41) - 20;
    const Bindings at{{p, Number(first, 4)}, {q, Number(second, 4)}};
    if (at.find(p)->number().is_zero()) continue;
    std::complex<double> sum = 0;
    std::complex<double> product = 1;
    for (const Solution& one : s.solutions) {
      const std::complex<double> root = evaluate_complex(*one.values.find(x), at);
      sum += root;
      product *= root;
    }
    CHECK(std::abs(sum) < 1e-9);
    CHECK(std::abs(product + evaluate(*at.find(q))) < 1e-8 * (1 + std::abs(product)));
  }
}

TEST_CASE("quartics with symbols: reciprocal ones, and quadratics of quadratics") {
  std::mt19937 dice(11);
  for (const std::string text : {"x^4 + a*x^3 + b*x^2 + a*x + 1", "x^4 + a*x^3 + b*x^2 + 2*a*x + 4",
                                 "(x^2 + a*x)^2 + b*(x^2 + a*x) + 1", "(x + a)^6 - b*(x + a)^3 + 2"}) {
    CAPTURE(text);
    const Expr f = parse(text);
    const SolutionSet s = solve({f}, {x});
    REQUIRE(s.solutions.size() == (text.find("^6") == std::string::npos ? 4 : 6));
    CHECK(s.complete);
    const int first = 1 + static_cast<int>(dice() % 9);
    const int second = 1 + static_cast<int>(dice() % 9);
    const Bindings at{{a, Number(first, 4)}, {b, Number(second, 4)}};
    std::complex<double> product = 1;
    for (const Solution& one : s.solutions) {
      const std::complex<double> root = evaluate_complex(*one.values.find(x), at);
      product *= root;
    }
    Bindings zero = at;
    zero.set(x, 0);
    CHECK(std::abs(product - evaluate(f, zero)) < 1e-8 * (1 + std::abs(product)));
  }
}

TEST_CASE("minimal polynomials, and polynomials in a numbered root") {
  CHECK((minimal_polynomial(sqrt(Expr(2)) + sqrt(Expr(3)), x) == power(x, 4) - 10 * power(x, 2) + 1));
  CHECK((minimal_polynomial(Expr(3) / 4, x) == 4 * x - 3));
  CHECK((minimal_polynomial(imaginary_unit() * sqrt(Expr(2)) + 1, x) == power(x, 2) - 2 * x + 3));
  CHECK((minimal_polynomial(power(Expr(2), Expr(1) / 3) - 1, x) == power(x, 3) + 3 * power(x, 2) + 3 * x - 1));
  CHECK((minimal_polynomial(sqrt(Expr(2) + sqrt(Expr(3))), x) == power(x, 4) - 4 * power(x, 2) + 1));
  CHECK_THROWS_AS((void)minimal_polynomial(pi(), x), Error);
  CHECK_THROWS_AS((void)minimal_polynomial(sqrt(y), x), Error);
  const SolutionSet s = solve({power(x, 5) - x - 1}, {x});
  const Expr r = *s.solutions[0].values.find(x);
  CHECK((minimal_polynomial(r, x) == power(x, 5) - x - 1));
  CHECK((simplify(power(r, 5) - r - 1) == 0));
  CHECK((simplify(power(r, 11) - power(r, 7) - power(r, 6)) == 0));
  CHECK((expand(power(r, 6)) == expand(r * (r + 1)) || simplify(power(r, 6) - r * r - r) == 0));
  const Expr square = minimal_polynomial(r * r, x);
  CHECK(std::abs(evaluate(substitute(square, {{x, r * r}}))) < 1e-12);
  CHECK((minimal_polynomial(2 * r + sqrt(Expr(2)), x) != 0));
}

TEST_CASE("slopes of curves are checked, and wrong ones are refuted") {
  const Expr circle = x * x + y * y - 25;
  const Expr first = implicit_derivative(circle, y, x);
  const Expr second = implicit_derivative(circle, y, x, 2);
  CHECK((simplify(first + x / y) == 0));
  CHECK((simplify(second + (x * x + y * y) / power(y, 3)) == 0));
  CHECK(check_implicit_derivatives(circle, y, x, std::vector{first, second}).verdict == Verdict::agrees);
  CHECK(check_implicit_derivatives(circle, y, x, std::vector{x / y}).verdict == Verdict::disagrees);
  CHECK(check_implicit_derivatives(circle, y, x, std::vector{first, -second}).verdict == Verdict::disagrees);
  CHECK(check_implicit_derivatives(circle, y, x, std::vector{first * (1 + Expr(1) / 10000)}).verdict ==
        Verdict::disagrees);
  const Expr curve = exp(x * y) + sin(y) * a - x;
  CHECK(check_implicit_derivatives(curve, y, x, std::vector{implicit_derivative(curve, y, x)}).verdict ==
        Verdict::agrees);
  CHECK_THROWS_AS((void)implicit_derivative(circle, y, x, 0), Error);
}

}  // namespace equation_consequences
