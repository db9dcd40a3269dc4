// SPDX-License-Identifier: MIT
// Real roots without a closed form, proved to be all, and inequalities whose ends they are.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"
#include "effort.hpp"

using namespace boreon;

namespace real_line {

const Symbol x("x", {Assumption::real});

class Dice {
 public:
  explicit Dice(unsigned seed) : random_(seed) {}
  int operator()(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random_); }
  const std::string& of(const std::vector<std::string>& list) {
    return list[static_cast<std::size_t>((*this)(0, static_cast<int>(list.size()) - 1))];
  }

 private:
  std::mt19937 random_;
};

static ParseContext context() {
  ParseContext c;
  c.names["x"] = x;
  return c;
}

static Expr read(const std::string& text) { return parse(text, context()); }

static double value(const Expr& f, double at) {
  try {
    return evaluate(f, {{x, Expr(Number::exact(at))}}, Unused::allowed);
  } catch (const Error&) {
    return NAN;
  }
}

// Changes of sign between finite neighbours of a fine grid that is not hit by round numbers.
static std::vector<double> changes_of_sign(const Expr& f, double low, double high) {
  std::vector<double> out;
  constexpr int points = 3000;
  double before = NAN;
  double at_before = low;
  for (int i = 0; i <= points; ++i) {
    const double at = low + (high - low) * (i + 0.3717) / (points + 1);
    const double here = value(f, at);
    // a pole changes the sign with large values on both sides
    if (before * here < 0 && std::abs(before) + std::abs(here) < 50) out.push_back((at + at_before) / 2);
    before = here;
    at_before = at;
  }
  return out;
}

TEST_CASE("equations without a closed form: what is called complete has every change of sign") {
  Dice dice(20261130);
  const std::vector<std::string> parts{"x",         "x^2",      "x^3",      "exp(x)",   "exp(-x)", "log(x)",
                                       "sqrt(x)",   "sin(x)",   "atan(x)",  "1/x",      "abs(x)",  "cosh(x)",
                                       "exp(-x^2)", "x*exp(x)", "x*log(x)", "cos(2*x)", "tanh(x)", "1/(x - 2)"};
  int complete = 0;
  int roots = 0;
  const int tried = test::cases(240, 240, 40);
  for (int k = 0; k < tried; ++k) {
    std::string text = std::to_string(dice(-9, 9));
    const int terms = dice(2, 3);
    for (int i = 0; i < terms; ++i) {
      text += (dice(0, 1) == 0 ? " + " : " - ") + std::to_string(dice(1, 4));
      text += "*" + dice.of(parts);
    }
    CAPTURE(text);
    const Expr f = read(text);
    if (!depends_on(f, x)) continue;
    const SolutionSet s = solve({f}, {x});
    if (s.status == SolveStatus::unevaluated || !s.complete || !s.integers.empty()) continue;
    ++complete;
    std::vector<double> found;
    for (const Solution& one : s.solutions) {
      if (!one.real) continue;
      const double at = evaluate(*one.values.find(x));
      found.push_back(at);
      ++roots;
    }
    for (const double change : changes_of_sign(f, -12, 12)) {
      CAPTURE(change);
      CHECK(std::any_of(found.begin(), found.end(), [&](double r) { return std::abs(r - change) < 0.01; }));
    }
  }
  MESSAGE(complete, " of ", tried, " complete, ", roots, " roots");
  CHECK(complete >= tried / 2);
}

TEST_CASE("all real roots, with a proof, where no closed form exists") {
  const struct {
    const char* equation;
    std::vector<double> roots;
  } cases[] = {{"exp(x) - x^2 - x^3", {1.2431233651815523, 5.0244687617939933}},
               {"exp(x) - 2*x - 3*x^2", {-0.83853228722265606, 0.46915920580198886, 4.0471003129965168}},
               {"sin(x) - x/3", {-2.2788626600758283, 0, 2.2788626600758283}},
               {"sqrt(x) + log(x) + exp(x) - 7", {1.6512443741904903}},
               {"exp(x) + x^2 + 1", {}},
               {"cos(x) - x", {0.73908513321516064}}};
  for (const auto& c : cases) {
    CAPTURE(c.equation);
    const SolutionSet s = solve({read(c.equation)}, {x});
    CHECK(s.complete);
    CHECK(s.real_only);
    REQUIRE(s.solutions.size() == c.roots.size());
    for (std::size_t i = 0; i < c.roots.size(); ++i)
      CHECK(evaluate(*s.solutions[i].values.find(x)) == doctest::Approx(c.roots[i]).epsilon(1e-14));
  }
  // zeros without end, or what cannot be proved, is never called complete
  for (const char* text : {"x*sin(x) - 1", "tan(x) - x", "gamma(x) - 3"}) {
    CAPTURE(text);
    CHECK_FALSE(solve({read(text)}, {x}).complete);
  }
}

TEST_CASE("inequalities with ends that have no closed form, and within a range") {
  const IntervalSet s = solve_inequality(read("exp(x) + x^3 > 2"), x);
  REQUIRE(s.solved);
  CHECK(s.status == SolveStatus::approximate);
  REQUIRE(s.intervals.size() == 1);
  CHECK(evaluate(s.intervals[0].low) == doctest::Approx(0.58670101921457541).epsilon(1e-15));
  const IntervalSet both = solve_inequality(read("exp(x) - 2*x >= 3*x^2 and x > 0"), x);
  REQUIRE(both.intervals.size() == 2);
  CHECK(both.intervals[0].high_closed);
  CHECK_FALSE(both.intervals[0].low_closed);
  CHECK(both.intervals[1].low_closed);
  const IntervalSet none = solve_inequality(read("exp(x) + x^3 > 2 and exp(x) + x^3 <= 2"), x);
  CHECK(none.solved);
  CHECK(none.intervals.empty());
  const IntervalSet waves = solve_inequality(read("sin(x) >= 1/2"), x, {{{0, 10}}});
  REQUIRE(waves.intervals.size() == 2);
  CHECK(waves.status == SolveStatus::exact);
  CHECK(waves.intervals[1].high == parse("17*pi/6"));
  CHECK_FALSE(solve_inequality(read("sin(x) >= 1/2"), x).solved);
  const IntervalSet cut = solve_inequality(read("x^2 < 9"), x, {{{-1, 5}}});
  REQUIRE(cut.intervals.size() == 1);
  CHECK(cut.intervals[0].low_closed);
  CHECK(cut.intervals[0].high == Expr(3));
  CHECK_THROWS_AS((void)solve_inequality(read("x < 1"), x, {{{2, 1}}}), Error);
  // complex for x < 0, but for one place
  const IntervalSet complex = solve_inequality(read("log(x)/x + log(x) + 5 > -3"), x);
  REQUIRE(complex.intervals.size() == 1);
  CHECK(evaluate(complex.intervals[0].low) > 0);
  // amounts: each form by itself, with its derivative
  CHECK(solve_inequality(read("abs(x - 1) + log(abs(x)) + 5 >= x"), x).solved);
  CHECK(solve_inequality(read("2*atan(x) - 1 < 4*sign(x) - 3*exp(-x)"), x).solved);
}

TEST_CASE("what is known of a system that is not solved") {
  const Symbol y("y");
  const Symbol a("a");
  const std::vector<Expr> system{power(x, 5) + a * y + 1, power(y, 4) + x * y + a};
  const SolutionSet s = solve(system, {x, y});
  CHECK(s.status == SolveStatus::unevaluated);
  CHECK(s.reason.find("dimension 20") != std::string::npos);
  CHECK(known_of_system({x * y, x * (y - 1)}, {x, y}).find("infinitely many") != std::string::npos);
  CHECK(known_of_system({sin(x) - y}, {x, y}).empty());
}

TEST_CASE("multiplicities of systems with parameters") {
  const Symbol y("y");
  const Symbol a("a");
  const Symbol b("b");
  const SolutionSet s = solve({power(x - a, 2), (y - b) * (x - a), power(y - b, 3)}, {x, y});
  REQUIRE(s.solutions.size() == 1);
  CHECK(s.solutions[0].multiplicity == 4);
  const SolutionSet two = solve({power(x, 2) + power(y, 2) - 1, (x - 1) * (y - a)}, {x, y});
  unsigned simple = 0;
  unsigned doubled = 0;
  for (const Solution& one : two.solutions) (one.multiplicity == 1 ? simple : doubled) += 1;
  CHECK(simple == 2);
  CHECK(doubled == 1);
}

}  // namespace real_line
