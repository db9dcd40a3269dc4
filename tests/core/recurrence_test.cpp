// SPDX-License-Identifier: MIT
// Difference equations stepped by numbers, z-transforms there and back.
#include <doctest/doctest.h>

#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"
#include "effort.hpp"

using namespace boreon;

namespace recurrences_test {

static const Symbol n("n"), z("z");
static const UnknownFunction y("y");

static int below(std::mt19937& random, int most) { return static_cast<int>(random() % static_cast<unsigned>(most)); }

static Expr shifted(std::int64_t k) { return y(n + Expr(k)); }

// c[0]*y(n) + ... - forcing
static Expr equation_of(const std::vector<Expr>& c, const Expr& forcing) {
  Expr e = -forcing;
  for (std::size_t k = 0; k < c.size(); ++k) e += c[k] * shifted(static_cast<std::int64_t>(k));
  return e;
}

// The value at a whole number stepped from the first ones in doubles.
static double stepped(const std::vector<double>& c, const Expr& forcing, std::vector<double> first, int place) {
  const std::size_t order = c.size() - 1;
  for (int k = 0; static_cast<int>(first.size()) <= place; ++k) {
    double sum = evaluate(forcing, Bindings{{n, Expr(k)}}, Unused::allowed);
    for (std::size_t j = 0; j < order; ++j) sum -= c[j] * first[static_cast<std::size_t>(k) + j];
    first.push_back(sum / c[order]);
  }
  return first[static_cast<std::size_t>(place)];
}

TEST_CASE("random linear difference equations, some resonant, beside their steps") {
  std::mt19937 random(20261201);
  const char* const forcings[] = {"0",        "1",        "n",           "n^2 - 1",      "2^n",           "(-1)^n",
                                  "n*2^n",    "cos(n)",   "sin(pi*n/2)", "3^n*cos(n)",   "(1/2)^n + 3*n", "exp(n/3)",
                                  "cos(n)^2", "n*(-2)^n", "n^3",         "2^(n + 1) - 1"};
  const int equations = test::cases(60, 400, 15);
  int solved = 0;
  for (int k = 0; k < equations; ++k) {
    // roots, so that resonance and repeated ones are common
    std::vector<Expr> c{1};
    const int order = 1 + below(random, 3);
    for (int i = 0; i < order; ++i) {
      const int pick = below(random, 6);
      std::vector<Expr> factor{Expr(Number(below(random, 4) + 1, 2)), 1};
      if (pick == 0) factor = {-1, 1};
      if (pick == 1) factor = {1, 1};
      if (pick == 2) factor = {-2, 1};
      if (pick == 3) factor = {1, 0, 1};
      if (pick == 4) factor = {4, -2, 1};
      std::vector<Expr> product(c.size() + factor.size() - 1, 0);
      for (std::size_t a = 0; a < c.size(); ++a) {
        for (std::size_t b = 0; b < factor.size(); ++b) product[a + b] += c[a] * factor[b];
      }
      c = product;
    }
    const Expr forcing = parse(forcings[below(random, 16)]);
    RecurrenceOptions options;
    std::vector<double> first;
    for (std::size_t i = 0; i + 1 < c.size(); ++i) {
      const int value = below(random, 7) - 3;
      first.push_back(value);
      options.given.push_back(y(Expr(i)) - value);
    }
    const Expr e = equation_of(c, forcing);
    CAPTURE(to_text(e));
    const RecurrenceSolution s = solve_recurrence(e, y(n), options);
    CAPTURE(s.reason);
    REQUIRE(s.check.verdict == Verdict::agrees);
    CHECK(s.status == SolveStatus::exact);
    CHECK(s.constants.empty());
    CAPTURE(to_text(s.value));
    std::vector<double> numbers;
    for (const Expr& one : c) numbers.push_back(evaluate(one));
    for (const int place : {0, 1, 2, 5, 9, 14}) {
      const double expected = stepped(numbers, forcing, first, place);
      const double found = evaluate(s.value, Bindings{{n, Expr(place)}}, Unused::allowed);
      CHECK(std::abs(found - expected) <= 1e-9 * (1 + std::abs(expected)));
    }
    ++solved;
  }
  CHECK(solved == equations);
}

TEST_CASE("general solutions have as many constants as the order, and say where they fail") {
  struct Row {
    const char* equation;
    std::size_t constants;
    std::vector<const char*> exceptions;
  };
  const Row rows[] = {
      {"y(n + 1) - a*y(n) - b", 1, {"a = 1", "a = 0"}},
      {"y(n + 2) - (a + b)*y(n + 1) + a*b*y(n)", 2, {"b = a", "a = 0", "b = 0"}},
      {"y(n + 2) + w*y(n)", 2, {"w < 0", "w = 0"}},
      {"y(n + 1) - a*y(n) - c^n", 1, {"c = a", "a = 0"}},
      {"y(n) - y(n - 1) - y(n - 2)", 2, {}},
      {"y(n + 1) - (n + 1)*y(n)", 1, {}},
      {"y(n + 1) - exp(n)*y(n)", 1, {}},
      {"y(n + 1) - n/(n + 2)*y(n) - 1", 1, {}},
  };
  for (const Row& row : rows) {
    CAPTURE(std::string(row.equation));
    ParseContext context;
    context.functions.emplace("y", 1);
    const RecurrenceSolution s = solve_recurrence(parse(row.equation, context), y(n));
    if (std::string(row.equation).find("n/(n + 2)") != std::string::npos) {
      // the product passes through zero at n = 0: nothing is claimed
      CHECK(s.check.verdict == Verdict::untested);
      continue;
    }
    REQUIRE(s.check.verdict == Verdict::agrees);
    CHECK(s.constants.size() == row.constants);
    for (const char* when : row.exceptions) {
      CAPTURE(std::string(when));
      bool listed = false;
      for (const SolveException& e : s.exceptions) listed = listed || to_text(e.when) == when;
      CHECK(listed);
    }
    CHECK(s.exceptions.size() == row.exceptions.size());
  }
}

TEST_CASE("difference equations: roots known by their number, what has none, what is refused") {
  const RecurrenceSolution long_one =
      solve_recurrence(shifted(5) - shifted(1) - shifted(0), y(n),
                       {.given = {y(Expr(0)) - 1, y(Expr(1)), y(Expr(2)), y(Expr(3)) - 2, y(Expr(4))}});
  REQUIRE(long_one.check.verdict == Verdict::agrees);
  const double expected = stepped({-1, -1, 0, 0, 0, 1}, 0, {1, 0, 0, 2, 0}, 17);
  CHECK(evaluate(long_one.value, Bindings{{n, 17}}, Unused::allowed) == doctest::Approx(expected));
  CHECK(solve_recurrence(shifted(1) - pow(shifted(0), 2), y(n)).reason.find("linear") != std::string::npos);
  CHECK_THROWS_AS((void)solve_recurrence(y(n / 2) - y(n), y(n)), Error);
  CHECK_THROWS_AS((void)solve_recurrence(shifted(1) - shifted(0), n), Error);
  CHECK_THROWS_AS(
      (void)solve_recurrence(shifted(1) - 2 * shifted(0), y(n), {.given = {y(Expr(0)) - 1, y(Expr(1)) - 5}}), Error);
  CHECK_THROWS_AS((void)solve_recurrence(shifted(1) - 2 * shifted(0), y(n), {.given = {y(Expr(Number(1, 2))) - 1}}),
                  Error);
  // conditions that ask for one another when signs are decided: no loop without end
  const Symbol a("a");
  (void)solve_recurrence(a * a * shifted(0) + shifted(1) / 2 + a * shifted(2) - pow(a, n), y(n),
                         {.given = {y(Expr(0)), y(Expr(1)) - 1}});
  const RecurrenceSolution open = solve_recurrence(shifted(1) - shifted(0) / 2 - 1 / (n + 1), y(n));
  CHECK(open.status == SolveStatus::unevaluated);
  CHECK(open.check.verdict == Verdict::agrees);
}

TEST_CASE("z-transforms there and back") {
  const Symbol a("a"), w("w"), r("r");
  for (const char* text : {"1", "n", "n^2", "a^n", "n*a^n", "(-1)^n*n^2", "cos(w*n)", "r^n*sin(w*n)", "2^n - 3*n + 1",
                           "n*cos(n)", "cosh(n)", "a^(n + 2)"}) {
    CAPTURE(std::string(text));
    const Expr f = parse(text);
    const TransformResult image = z_transform(f, n, z);
    REQUIRE(image.status == TransformStatus::exact);
    CAPTURE(to_text(image.value));
    const TransformResult back = inverse_z_transform(image.value, z, n);
    CAPTURE(back.reason);
    REQUIRE(back.status == TransformStatus::exact);
    const Bindings values{{a, Number(3, 2)}, {w, Number(4, 5)}, {r, Number(2, 3)}};
    for (int k = 0; k < 9; ++k) {
      Bindings at = values;
      at.set(n, k);
      const double expected = evaluate(f, at, Unused::allowed);
      CHECK(evaluate(back.value, at, Unused::allowed) == doctest::Approx(expected));
    }
  }
  CHECK(z_transform(1 / gamma(n + 1), n, z).value == exp(1 / z));
  CHECK(z_transform(tan(n), n, z).status == TransformStatus::unevaluated);
  CHECK(inverse_z_transform(exp(1 / z), z, n).status == TransformStatus::unevaluated);
  CHECK(inverse_z_transform(z * z / (z - 1), z, n).reason.find("grows") != std::string::npos);
  CHECK_THROWS_AS((void)z_transform(z, n, z), Error);
}

TEST_CASE("random rational functions are transformed back: the sequence is their expansion") {
  std::mt19937 random(20261202);
  const int cases = test::cases(60, 400, 20);
  for (int k = 0; k < cases; ++k) {
    Expr bottom = power(z, below(random, 3));
    const int factors = 1 + below(random, 3);
    for (int i = 0; i < factors; ++i) {
      const int root = below(random, 7) - 3;
      bottom = bottom * (below(random, 4) == 0 ? z * z + z + Expr(1 + below(random, 3)) : z - Expr(Number(root, 2)));
    }
    Expr top = 0;
    const int degree = below(random, factors + 1);
    for (int i = 0; i <= degree; ++i) top += Expr(below(random, 9) - 4) * power(z, i);
    const Expr F = top / bottom;
    CAPTURE(to_text(F));
    const TransformResult back = inverse_z_transform(F, z, n);
    CAPTURE(back.reason);
    REQUIRE(back.status == TransformStatus::exact);
    // added up again at a place beyond all poles
    const double place = 7;
    double sum = 0;
    for (int j = 0; j < 60; ++j) sum += evaluate(back.value, Bindings{{n, j}}, Unused::allowed) * std::pow(place, -j);
    CHECK(sum == doctest::Approx(evaluate(F, Bindings{{z, 7}}, Unused::allowed)).epsilon(1e-9));
  }
}

}  // namespace recurrences_test
