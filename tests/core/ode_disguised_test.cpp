// SPDX-License-Identifier: MIT
// Equations of the named types, disguised by changes of variable: solved, and true by difference quotients.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"
#include "calculus/signs.hpp"
#include "effort.hpp"

using namespace boreon;

namespace ode_disguised {

// z and p stand for y and y'
const Symbol x("x"), z("z"), p("p");
const UnknownFunction y("y");

struct Kind {
  const char* name;
  int order;
  std::vector<std::string> highest;  ///< y' or y'' as an expression of x, z, p; $1, $2: whole numbers 1 to 3
};

static const std::vector<Kind>& kinds() {
  static const std::vector<Kind> all{
      {"separable",
       1,
       {"$1*x*z", "x^2/z", "exp(x)*(1 + z^2)", "x*exp(-z)", "$1*z*(1 - z)", "cos(x)*z^2", "sqrt(z)/x", "z^$1/x^$2",
        "(1 + x)*(1 + z)", "x*z*log(z)"}},
      {"linear",
       1,
       {"z/x + x", "-$1*z/x + x^2", "x*z + x", "$1*z + sin(x)", "-z + exp(-x)", "2*x*z + exp(x^2)", "$1*z/x + x^$2",
        "-z*tan(x) + cos(x)", "z/(x*log(x)) + 1/x"}},
      {"Bernoulli", 1, {"z/x + $1*z^2", "x*z + z^3", "$1*z - z^2", "-z/x + x*z^2", "z + x/z", "2*z/x + sqrt(z)"}},
      {"homogeneous",
       1,
       {"z/x + (z/x)^2", "(x + z)/(x - z)", "z/x + exp(-z/x)", "(x^2 + z^2)/(x*z)", "(x + $1*z)/x", "z/x + x/z",
        "(z - sqrt(x^2 + z^2))/x", "z^2/(x*z + x^2)"}},
      {"Riccati",
       1,
       {"1 + (z - x)^2", "1 + $1*(z - x) + (z - x)^2", "-1/x^2 - (z - 1/x)/x + (z - 1/x)^2", "z^2 - 2/x^2", "z^2 + 1",
        "$1 - z^2", "2*x + (z - x^2)*x - (z - x^2)^2", "z^2 + z/x - 1/x^2"}},
      {"exact",
       1,
       {"-(2*x*z + 1)/(x^2 + 3*z^2)", "-(z + $1*x)/(x + $2*z)", "-(exp(x)*z + 1)/(exp(x) + 2*z)",
        "-(z*cos(x*z) + 1)/(x*cos(x*z) + 1)", "-(3*x^2 + z^2)/(2*x*z + $1)", "-z/(x + z^2)"}},
      {"of a*x + b*y",
       1,
       {"(x + z)^2", "exp(x + z)", "sqrt(x + z + 1)", "1/(x + $1*z)", "(x - z)^2 + 1", "cos(x + z)", "1 + exp(x - z)",
        "(x + z + 1)/(x + z - 1)"}},
      {"Euler",
       2,
       {"-($1*x*p + z)/x^2", "($1*z - x*p)/x^2", "(2*x*p - 2*z)/x^2 + x", "-z/(4*x^2)", "(x*p - z)/x^2 + 1/x"}},
      {"without y", 2, {"-p^2", "p/x + x", "$1*p/x", "sqrt(1 + p^2)", "1 + p^2", "p - x", "p^2/x", "-2*x*p^2"}},
      {"without x", 2, {"-$1*z", "2*z*p", "p^2/z", "exp(z)", "1/z^3", "p^2*tan(z)", "-p^2/z", "$1*p^2/z + p", "z^2"}},
      {"special",
       2,
       {"x*z", "-z - p/x", "-p/x - (1 - $1^2/x^2)*z", "(2*x*p - $1*($1 + 1)*z)/(1 - x^2)", "2*x*p - 2*$1*z", "-x*z",
        "x^2*z", "-p/x - $1*z", "-2*p/x - z", "(p*(x - 1) - $1*z)/x"}},
      {"Liouvillian",
       2,
       {"p*(1 + 1/x) - z/x", "(x^2 + 3)*z", "2*p - z + 6*z/x^2", "(p*(x + 2) - 2*z)/x", "z*(1 + 2/x^2)",
        "(x*p - z)/(x - 1)"}},
  };
  return all;
}

// Values by a solution with numbers for its constants; nothing where it has none.
static std::optional<double> at(const Expr& f, const Bindings& constants, double where) {
  Bindings b = constants;
  b.set(x, Expr(Number::exact(where)));
  try {
    const double v = evaluate(f, b, Unused::allowed);
    return std::isfinite(v) ? std::optional<double>(v) : std::nullopt;
  } catch (const Error&) {
    return std::nullopt;
  }
}

// The largest remainder of u'' = F or u' = F along a solution, by difference quotients; points where all is defined.
static int agreeing(const Expr& highest, int order, const OdeSolution& solution, const Bindings& constants,
                    double& worst) {
  const Expr& f = *solution.values.find(y(x));
  int points = 0;
  for (const double where : {0.37, 0.71, 1.13, 1.62, 2.21, 3.4, -0.44, -1.3}) {
    Bindings here = constants;
    here.set(x, Expr(Number::exact(where)));
    const bool holds = std::none_of(solution.conditions.begin(), solution.conditions.end(),
                                    [&](const Expr& c) { return is_false(substitute(c, here, Unused::allowed)); });
    if (!holds) continue;
    double first[2], second[2], value = 0;
    bool all = true;
    for (int step = 0; step < 2 && all; ++step) {
      const double h = step == 0 ? 4e-3 : 2e-3;
      std::optional<double> v[7];
      for (int i = -3; i <= 3; ++i) {
        v[i + 3] = at(f, constants, where + i * h);
        all = all && v[i + 3];
      }
      if (!all) break;
      value = *v[3];
      first[step] = (45 * (*v[4] - *v[2]) - 9 * (*v[5] - *v[1]) + *v[6] - *v[0]) / (60 * h);
      second[step] =
          (-490 * *v[3] + 270 * (*v[4] + *v[2]) - 27 * (*v[5] + *v[1]) + 2 * (*v[6] + *v[0])) / (180 * h * h);
    }
    const auto settled = [](const double(&d)[2]) { return std::abs(d[0] - d[1]) < 1e-6 * (1 + std::abs(d[1])); };
    if (!all || !settled(first) || (order == 2 && !settled(second))) continue;  // beside a pole or an end
    const double d1 = first[1];
    const double d2 = second[1];
    try {
      const Bindings b{{x, Expr(Number::exact(where))}, {z, Expr(Number::exact(value))}, {p, Expr(Number::exact(d1))}};
      const double right = evaluate(highest, b, Unused::allowed);
      const double left = order == 1 ? d1 : d2;
      if (!std::isfinite(right)) continue;
      ++points;
      worst = std::max(worst, std::abs(left - right) / (1 + std::abs(left) + std::abs(value)));
    } catch (const Error&) {
    }
  }
  return points;
}

TEST_CASE("differential equations of the named types in disguise") {
  std::mt19937 random(20261201);
  const auto pick = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  const int cases = test::cases(60, 300, 8);
  int solved = 0;
  std::map<std::string, std::pair<int, int>> by_kind;
  for (int k = 0; k < cases; ++k) {
    const Kind& kind = kinds()[static_cast<std::size_t>(k) % kinds().size()];
    std::string text = kind.highest[static_cast<std::size_t>(pick(0, static_cast<int>(kind.highest.size()) - 1))];
    for (const char* parameter : {"$1", "$2"}) {
      const std::string value = std::to_string(pick(1, 3));
      for (std::size_t i = 0; (i = text.find(parameter)) != std::string::npos;) text.replace(i, 2, value);
    }
    ParseContext c;
    c.names = {{"x", x}, {"z", z}, {"p", p}};
    // x -> a*x + b, y -> c*y + d
    const int disguise = pick(0, 3);
    const int a = disguise == 0 ? 1 : pick(1, 3);
    const int b = disguise == 1 ? pick(-2, 2) : 0;
    const int scale = disguise == 2 ? pick(2, 3) : 1;
    const int d = disguise == 3 ? pick(-1, 2) : 0;
    const Expr turned =
        substitute(parse(text, c), {{x, a * x + b}, {z, scale * z + d}, {p, scale * p / a}}, Unused::allowed);
    const Expr highest = (kind.order == 1 ? Expr(a) : Expr(a * a)) / scale * turned;
    const Expr right = substitute(highest, {{z, y(x)}, {p, derivative(y(x), x)}}, Unused::allowed);
    const Expr equation = derivative(y(x), x, static_cast<unsigned>(kind.order)) - right;
    CAPTURE(kind.name);
    CAPTURE(to_text(equation));
    auto& [all, right_ones] = by_kind[kind.name];
    ++all;
    const OdeSolutionSet s = solve_ode({equation}, {y(x)});
    if (s.status != SolveStatus::exact || s.solutions.empty()) {
      MESSAGE(std::string(kind.name), ": ", to_text(equation));
      continue;
    }
    ++solved;
    ++right_ones;
    CHECK(s.constants.size() == static_cast<std::size_t>(kind.order));
    for (const OdeSolution& one : s.solutions) {
      if (one.relation) continue;  // verified by implicit slopes in the library
      const Expr* f = one.values.find(y(x));
      REQUIRE(f != nullptr);
      CAPTURE(to_text(*f));
      int points = 0;
      double worst = 0;
      for (const double first : {0.8, -0.6, 2.3}) {
        Bindings constants;
        for (std::size_t i = 0; i < s.constants.size(); ++i)
          constants.set(s.constants[i], Expr(Number::exact(first + 0.45 * static_cast<double>(i))));
        points += agreeing(highest, kind.order, one, constants, worst);
      }
      CHECK(worst < 1e-4);
      if (points == 0) MESSAGE("no point: ", to_text(equation), " -> ", to_text(*f));
    }
  }
  for (const auto& [name, count] : by_kind) MESSAGE(name, ": ", count.second, " of ", count.first);
  MESSAGE(solved, " of ", cases);
  CHECK(solved >= cases * 85 / 100);
}

static OdeSolutionSet solved(const std::vector<std::string>& equations, const std::vector<std::string>& names,
                             const std::string& given = {}) {
  ParseContext c;
  c.names["x"] = x;
  std::vector<Expr> unknowns;
  ParseContext places;
  for (const std::string& name : names) {
    unknowns.push_back(UnknownFunction(name)(x));
    c.names.emplace(name, unknowns.back());
    c.functions.emplace(name, 1);
    places.functions.emplace(name, 1);
  }
  std::vector<Expr> residuals;
  for (const std::string& e : equations) residuals.push_back(parse_equation(e, c).residual());
  OdeOptions o;
  if (!given.empty()) o.given.push_back(parse_equation(given, places).residual());
  return solve_ode(residuals, unknowns, o);
}

TEST_CASE("curves with the slope as parameter") {
  for (const std::string text :
       {"y = x*y'^2 + y'", "y = 2*x*y' + log(y')", "y = x*(1 + y') + y'^2", "x = y'^3 + y'", "y = y'^2*exp(y')"}) {
    CAPTURE(text);
    const OdeSolutionSet s = solved({text}, {"y"});
    REQUIRE(s.status == SolveStatus::exact);
    REQUIRE(s.solutions[0].parameter);
    CHECK(s.constants.size() == 1);
    CHECK(s.conditions.empty());
    const Expr& slope = *s.solutions[0].parameter;
    const Expr& along_t = *s.solutions[0].values.find(x);
    const Expr& along_y = *s.solutions[0].values.find(y(x));
    // dy/dt is the parameter, by differences
    for (const double at : {0.4, 1.7, 2.6}) {
      const auto value = [&](const Expr& e, double where) {
        return evaluate(e, {{slope, Expr(Number::exact(where))}, {s.constants[0], Expr(Number(3, 4))}},
                        Unused::allowed);
      };
      const double h = 1e-4;
      const double dt = value(along_t, at + h) - value(along_t, at - h);
      const double dy = value(along_y, at + h) - value(along_y, at - h);
      CHECK(dy / dt == doctest::Approx(at).epsilon(1e-6));
    }
  }
  // straight lines beside the curves, and the curve through a place
  const OdeSolutionSet lines = solved({"y = x*y'^2 + y'"}, {"y"});
  REQUIRE(lines.solutions.size() == 3);
  CHECK(std::any_of(lines.solutions.begin(), lines.solutions.end(),
                    [](const OdeSolution& one) { return !one.parameter && vanishes(*one.values.find(y(x)) - x - 1); }));
  const OdeSolutionSet through = solved({"y = x*y'^2 + y'"}, {"y"}, "y(1) = 2");
  REQUIRE(!through.solutions.empty());
  CHECK(through.constants.empty());
}

TEST_CASE("linear systems whose coefficients are multiples of one function") {
  for (const auto& equations :
       std::vector<std::vector<std::string>>{{"x*u' = 2*u + w", "x*w' = u + 2*w"},
                                             {"u' = w/x", "w' = u/x + 1"},
                                             {"u' = 2*x*w", "w' = -2*x*u"},
                                             {"(2*x + 1)*u' = u - w", "(2*x + 1)*w' = u + w + x"},
                                             {"x*u' = u + w + log(x)", "x*w' = w"},
                                             {"u' = cos(x)*(u + w)", "w' = cos(x)*(u - w)"}}) {
    CAPTURE(equations[0]);
    const OdeSolutionSet s = solved(equations, {"u", "w"});
    REQUIRE(s.status == SolveStatus::exact);
    CHECK(s.constants.size() == 2);
  }
  CHECK(solved({"u' = x*w", "w' = u"}, {"u", "w"}).status == SolveStatus::unevaluated);
}

TEST_CASE("other places to count from, polynomials as particular solutions") {
  for (const std::string text :
       {"y'' + 8*x*(y + 1) = 0", "9*y + y'' + 3*y'/(3*x + 2) = 0", "y'' - 9*y*(3*x - 2)^2 = 0",
        "y' = 3*sqrt(y + 2) + 2*(y + 2)/x", "y' = 2*(y + 2)^3 + 4*x*(y + 2)", "y'' + x*y = x^2",
        "2*y + y'' + y'/x + 4 = 0", "y'' = y'^2/x", "x^2*y'' + x*y' + (x^2 - 1)*y = x^3"}) {
    CAPTURE(text);
    CHECK(solved({text}, {"y"}).status == SolveStatus::exact);
  }
}

}  // namespace ode_disguised
