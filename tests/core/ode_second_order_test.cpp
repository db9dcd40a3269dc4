// SPDX-License-Identifier: MIT
// Linear equations of second order: built from a solution (Kovacic's first case), and those that another variable or
// one derivative makes simple. Solutions are put back by difference quotients of the test's own.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "effort.hpp"

using namespace boreon;

namespace {

const Symbol t("t");
const UnknownFunction y("y");

OdeSolutionSet solved(const Expr& p, const Expr& q) {
  return solve_ode({derivative(y(t), t, 2) + p * derivative(y(t), t) + q * y(t)}, std::vector<Expr>{y(t)});
}

// The largest residual of y'' + p*y' + q*y at some places, relative to its terms; the constants are 0.7 and -1.3.
double worst_residual(const Expr& p, const Expr& q, const Expr& solution) {
  double worst = 0;
  int looked = 0;
  for (const double at : {0.37, 0.62, 1.21, 1.73, 2.31, 3.4}) {
    const double h = 1e-3;
    const auto value = [&](const Expr& e, double place) {
      Bindings b{{t, Number::exact(place)}, {Symbol("C1"), Number::exact(0.7)}, {Symbol("C2"), Number::exact(-1.3)}};
      return evaluate(e, b, Unused::allowed);
    };
    try {
      double f[5];
      for (int k = -2; k <= 2; ++k) f[k + 2] = value(solution, at + k * h);
      const double first = (f[0] - 8 * f[1] + 8 * f[3] - f[4]) / (12 * h);
      const double second = (-f[0] + 16 * f[1] - 30 * f[2] + 16 * f[3] - f[4]) / (12 * h * h);
      const double terms[] = {second, value(p, at) * first, value(q, at) * f[2]};
      const double size = std::abs(terms[0]) + std::abs(terms[1]) + std::abs(terms[2]);
      if (!std::isfinite(size)) continue;
      ++looked;
      worst = std::max(worst, std::abs(terms[0] + terms[1] + terms[2]) / (size + 1e-300));
    } catch (const Error&) {
      // not real there
    }
  }
  return looked >= 2 ? worst : 1;
}

TEST_CASE("equations built from a polynomial times an exponential of an integral: that solution is found") {
  std::mt19937 random(20261130);
  const auto below = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  int found = 0;
  int tried = 0;
  int whole = 0;
  constexpr int equations = 30;
  for (int k = 0; k < equations; ++k) {
    // w = sum of a/(t - c), b/(t - c)^2 and a polynomial; u = P*exp(integral of w)
    Expr w = 0;
    const int poles = below(3);
    for (int i = 0; i < poles; ++i) {
      const Expr distance = t - (below(5) - 2 - 6 * i);
      w += Expr(Number(1 + below(6), below(2) + 2)) / distance;
      if (below(3) == 0) w += Expr(1 + below(2)) / power(distance, 2);
    }
    if (poles == 0 || below(2) == 0) w += (below(2) == 0 ? 1 : -1) * (below(2) == 0 ? Expr(t) : Expr(1));
    const Expr P = below(2) == 0 ? Expr(1) : Expr(t - (3 + below(3)));
    const Expr log_slope = w + derivative(P, t) / P;
    const Expr r = combine_fractions(derivative(log_slope, t) + log_slope * log_slope);
    if (r.is_integer(0)) continue;
    ++tried;
    CAPTURE(to_text(r));
    const OdeSolutionSet s = solved(0, -r);
    if (s.solutions.empty()) continue;
    ++found;
    whole += s.status == SolveStatus::exact ? 1 : 0;
    const Expr value = *s.solutions[0].values.find(y(t));
    bool open = false;
    postorder(value, [&](const Expr& n) { open = open || n.is(Kind::integral); });
    if (!open) CHECK(worst_residual(0, -r, value) < 1e-5);
  }
  MESSAGE(found << " of " << tried << " solved, " << whole << " with both solutions closed");
  CHECK(tried > 20);
  CHECK(found >= tried * 9 / 10);
}

struct Row {
  const char* p;
  const char* q;
};

// The solution, closed and put back.
std::string closed_solution(const Row& row) {
  const Expr p = parse(row.p);
  const Expr q = parse(row.q);
  const OdeSolutionSet s = solved(p, q);
  REQUIRE(s.status == SolveStatus::exact);
  const Expr value = *s.solutions[0].values.find(y(t));
  CAPTURE(to_text(value));
  CHECK(depends_on(value, Symbol("C1")));
  CHECK(depends_on(value, Symbol("C2")));
  CHECK(worst_residual(p, q, value) < 1e-5);
  return to_text(value);
}

TEST_CASE("constant coefficients in another variable, exact equations, half orders") {
  const Row rows[] = {
      {"-t/(1 - t^2)", "4/(1 - t^2)"},
      {"tan(t)", "cos(t)^2"},
      {"1/(2*t)", "1/(4*t)"},
      {"1/(2*t)", "-1/t"},
      {"-1/t", "4*t^2"},
      {"-1", "exp(2*t)"},
      {"2*t/(1 + t^2)", "1/(1 + t^2)^2"},
      {"2/t", "1/t^4"},
      {"(3*t - 1)/(t^2 - t)", "1/(t^2 - t)"},
      {"-3*t/(1 - t^2)", "-1/(1 - t^2)"},
      {"0", "-2/cos(t)^2"},
      {"0", "-1 - 2*tan(t)^2"},
      {"0", "-2/sin(t)^2"},
      {"-1/(exp(t) + 1)", "-exp(t)/(exp(t) + 1)"},
      {"0", "1 - 2/t^2"},
      {"0", "1 - 12/t^2"},
      {"0", "-1 - 6/t^2"},
      {"1/t", "1 - 9/(4*t^2)"},
      {"1/t", "4*t^2 - 1/t^2"},
      {"0", "exp(2*t) - 1/4"},
      {"0", "3/(16*t^2) - 1/t"},
      {"0", "1/t^4"},
  };
  for (const Row& row : rows) {
    CAPTURE(std::string(row.p));
    CAPTURE(std::string(row.q));
    CHECK(closed_solution(row).find("bessel") == std::string::npos);
  }
}

TEST_CASE("equations built from the product of two solutions: Kovacic's second case") {
  std::mt19937 random(20261203);
  const auto below = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  int found = 0;
  int tried = 0;
  const int equations = test::cases(16, 60, 5);
  for (int k = 0; k < equations; ++k) {
    // w = P*product of (t - c)^(e/2), u'' = r*u with r = w''/(2*w) - w'^2/(4*w^2) + K/(4*w^2)
    Expr theta = 0;
    Expr square = 1;
    const int poles = 1 + below(2);
    for (int i = 0; i < poles; ++i) {
      const Expr distance = below(5) == 0 ? t * t + 1 + below(3) : Expr(t + Expr(below(4) + 5 * i));
      const int e = 2 * below(3) - 1;
      theta += Expr(e) / 2 * derivative(distance, t) / distance;
      square *= power(distance, e);
    }
    const Expr P = below(3) == 0 ? Expr(1) : Expr(t + (1 + below(3)));
    const Expr phi = theta + derivative(P, t) / P;
    const Expr K = Expr(below(9) - 4);
    const Expr r = factor(combine_fractions(derivative(phi, t) / 2 + phi * phi / 4 + K / (4 * square * P * P)));
    if (r.is_integer(0)) continue;
    ++tried;
    CAPTURE(to_text(r));
    const OdeSolutionSet s = solved(0, -r);
    if (s.solutions.empty()) continue;
    ++found;
    const Expr value = *s.solutions[0].values.find(y(t));
    bool open = false;
    postorder(value, [&](const Expr& n) { open = open || n.is(Kind::integral); });
    if (!open) CHECK(worst_residual(0, -r, value) < 1e-5);
  }
  MESSAGE(found << " of " << tried << " solved");
  CHECK(tried >= equations * 8 / 10);
  CHECK(found >= tried * 8 / 10);
}

TEST_CASE("whole parameters of Kummer's and Gauss's equations: solutions with logarithms") {
  const Row rows[] = {
      {"(1 - t)/t", "-1/(3*t)"},
      {"(2 + t)/t", "1/(3*t)"},
      {"-1", "-1/(3*t)"},
      {"(-1 - t)/t", "-1/(3*t)"},
      {"(1 - 2*t)/(t*(1 - t))", "-1/(4*t*(1 - t))"},
      {"(2 - 3*t)/(t*(1 - t))", "-1/(5*t*(1 - t))"},
      {"(3 + 5*t)/(t*(1 + t))", "2/(t*(1 + t))"},
      {"-2*t/(t*(1 - t))", "-1/(5*t*(1 - t))"},
      // three regular singular points: powers in front
      {"0", "3/(16*t^2) + 2/(9*(t - 1)^2) - 3/(16*t*(t - 1))"},
      {"(1 - 2*t)/(t*(1 - t))", "-(1/9 + t/5)/(t^2*(1 - t))"},
      {"1/(t + 1)", "-1/(7*t^2*(t + 1)^2)"},
  };
  for (const Row& row : rows) {
    CAPTURE(std::string(row.p));
    CAPTURE(std::string(row.q));
    CHECK(closed_solution(row).find("hyperg") != std::string::npos);
  }
}

TEST_CASE("Kummer's and Gauss's equations, at any place of their singular points") {
  const Row rows[] = {
      {"1/(2*t) - 1", "-1/(3*t)"},
      {"3/(4*t) + 2", "1/t"},
      {"(1/2 - t)/(t + 1/3)", "2/(5*(t + 1/3))"},
      {"(1/2 - 2*t)/(t*(1 - t))", "-1/(5*t*(1 - t))"},
      {"-5*t/(16 - t^2)", "3/(7*(16 - t^2))"},
      {"(t - 1/3)/((t + 1)*(t + 7))", "-1/(5*(t + 1)*(t + 7))"},
  };
  for (const Row& row : rows) {
    CAPTURE(std::string(row.p));
    CHECK(closed_solution(row).find("hyperg") != std::string::npos);
  }
}

}  // namespace
