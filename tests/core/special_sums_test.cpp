// SPDX-License-Identifier: MIT
// Sums of waves, binomial coefficients, logarithms, alternating and quadratic terms; sums without end as numbers.
#include <doctest/doctest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <string>

#include "boreon/boreon.hpp"
#include "effort.hpp"

using namespace boreon;

namespace special_sums_test {

static const Symbol k("k"), n("n"), x("x"), a("a"), r("r");

// By adding up in doubles.
static double added(const Expr& term, const Bindings& values, int from, int to) {
  double sum = 0;
  for (int j = from; j <= to; ++j) {
    Bindings at = values;
    at.set(k, j);
    sum += evaluate(term, at, Unused::allowed);
  }
  return sum;
}

TEST_CASE("finite sums of waves, binomial coefficients and logarithms") {
  struct Row {
    const char* term;
    int from;
  };
  const Row rows[] = {{"cos(k*x)", 1},
                      {"sin(k*x + 1/3)", 0},
                      {"k*cos(k*x)", 1},
                      {"k^2*sin(k*x)", 2},
                      {"r^k*cos(k*x)", 0},
                      {"k*r^k*sin(k*x)", 1},
                      {"exp(-k/3)*cos(2*k)", 0},
                      {"log(k)", 1},
                      {"log(2*k + 1)", 0},
                      {"log(k/(k + 1))", 1},
                      {"3*log(k*(k + 2))", 1},
                      {"k/(k^2 + 1)", 0},
                      {"1/(k^2 + k + 1)", 0},
                      {"1/(k^2 + a^2)", 1},
                      {"1/(k^2 - 2)", 0},
                      {"binomial(n, k)", 0},
                      {"binomial(n, k)*x^k", 0},
                      {"k*binomial(n, k)", 0},
                      {"k^2*binomial(n, k)*2^k", 0},
                      {"binomial(n, k)^2", 0},
                      {"binomial(n, k)/(k + 1)", 0}};
  for (const Row& row : rows) {
    CAPTURE(std::string(row.term));
    const Expr term = parse(row.term);
    const SumResult s = sum_with_report(term, k, row.from, n);
    REQUIRE(s.closed);
    CAPTURE(to_text(s.value));
    CHECK(s.points > 0);
    for (const int last : {3, 6, 11}) {
      const Bindings values{{x, Number(7, 10)}, {a, Number(6, 5)}, {r, Number(3, 4)}, {n, last}};
      CHECK(evaluate(s.value, values, Unused::allowed) == doctest::Approx(added(term, values, row.from, last)));
    }
  }
  // where the formula divides by zero is said
  bool said = false;
  for (const Expr& c : sum_with_report(cos(k * x), k, 1, n).conditions) said = said || c == not_equal(cos(x), 1);
  CHECK(said);
  CHECK(sum(k, k, 5, 4).is_integer(0));
  CHECK(sum(3, k, 5, 2).is_integer(0));
}

TEST_CASE("sums without end: closed forms") {
  struct Row {
    const char* term;
    int from;
    const char* value;
  };
  const Row rows[] = {{"(-1)^k/(2*k + 1)", 0, "pi/4"},
                      {"(-1)^k/(2*k + 3)", 0, "1 - pi/4"},
                      {"(-1)^k/(4*k + 1)", 0, "(pi + 2*log(1 + sqrt(2)))/(4*sqrt(2))"},
                      {"(-1)^k/(3*k + 1)", 0, "pi/(3*sqrt(3)) + log(2)/3"},
                      {"(-1)^(k + 1)/k", 1, "log(2)"},
                      {"1/(k^2 + 4)", 1, "pi/4/tanh(2*pi) - 1/8"},
                      {"1/(k^2 + k + 1)", 0, "pi/sqrt(3)*tanh(sqrt(3)*pi/2)"},
                      {"1/(4*k^2 + 1)", 0, "1/2 + pi/4/tanh(pi/2)"},
                      {"(-1)^k/(k^2 + 1)", 0, "1/2 + pi/(2*sinh(pi))"},
                      {"1/(k^2 - 2)", 1, "1/4 - pi/(2*sqrt(2))/tan(pi*sqrt(2))"},
                      {"1/k^(11/10)", 1, "zeta(11/10)"},
                      {"(1/3)^(2*k + 1)/(2*k + 1)", 0, "atanh(1/3)"},
                      {"(-1/4)^k/(2*k + 1)", 0, "2*atan(1/2)"},
                      {"(1/2)^k*cos(k)", 0, "(4 - 2*cos(1))/(5 - 4*cos(1))"},
                      {"k*(1/2)^k*sin(k)", 0, "6*sin(1)/(5 - 4*cos(1))^2"}};
  for (const Row& row : rows) {
    CAPTURE(std::string(row.term));
    const SumResult s = sum_with_report(parse(row.term), k, row.from, infinity());
    REQUIRE(s.closed);
    CAPTURE(to_text(s.value));
    CHECK(evaluate(s.value) == doctest::Approx(evaluate(parse(row.value))).epsilon(1e-12));
  }
  const Symbol p("s", {Assumption::positive});
  CHECK(sum_with_report(pow(k, -p), k, 1, infinity()).value == zeta(p));
  CHECK(sum_with_report(power(x, 2 * Expr(k) + 1) / (2 * Expr(k) + 1), k, 0, infinity()).value == atanh(x));
}

TEST_CASE("sums without end: what diverges says so") {
  for (const char* term : {"1/k", "1/sqrt(k)", "1/(k*log(k + 1))", "k", "(-1)^k", "(-1)^k*log(k)", "1 + 1/k^2",
                           "1/(k + sqrt(k))", "cos(1/k)"}) {
    CAPTURE(std::string(term));
    const NumericSum s = numeric_sum(parse(term), k, 1);
    CHECK(s.diverges);
    CHECK(!s.converged);
  }
  CHECK(sum_with_report(1 / Expr(k), k, 1, infinity()).divergent);
  CHECK(!sum_with_report(1 / (Expr(k) * k), k, 1, infinity()).divergent);
  CHECK_THROWS_AS((void)numeric_sum(1 / (k * k + a), k, 1), Error);
}

TEST_CASE("sums without end as numbers, within the error that is said") {
  struct Row {
    const char* term;
    int from;
    const char* value;
  };
  const Row rows[] = {{"1/k^2", 1, "pi^2/6"},
                      {"1/k^(3/2)", 1, "zeta(3/2)"},
                      {"1/k^(11/10)", 1, "zeta(11/10)"},
                      {"(-1)^k/k", 1, "-log(2)"},
                      {"(-1)^k/sqrt(k)", 1, "(sqrt(2) - 1)*zeta(1/2)"},
                      {"2^(-k)", 0, "2"},
                      {"k^3*exp(-k/20)", 0, "exp(-1/20)*(1 + 4*exp(-1/20) + exp(-1/10))/(1 - exp(-1/20))^4"},
                      {"(99/100)^k", 0, "100"},
                      {"1/gamma(k + 1)", 0, "exp(1)"},
                      {"cos(k)/2^k", 0, "(4 - 2*cos(1))/(5 - 4*cos(1))"},
                      {"1/(k*(k + 1/2))", 1, "4 - 4*log(2)"},
                      {"log(1 + 1/k^2)", 1, "log(sinh(pi)/pi)"},
                      {"(-1)^k/log(k)", 2, "0.92429989722293885595"},
                      {"1/(k*log(k)^2)", 2, "2.10974280123689197447"}};
  for (const Row& row : rows) {
    CAPTURE(std::string(row.term));
    const NumericSum s = numeric_sum(parse(row.term), k, row.from);
    REQUIRE(s.converged);
    const double expected = evaluate(parse(row.value));
    CAPTURE(s.value.real());
    CAPTURE(s.error);
    CHECK(std::abs(s.value.real() - expected) <= 20 * s.error + 4e-15 * std::abs(expected));
    CHECK(std::abs(s.value.real() - expected) <= 1e-9 * (1 + std::abs(expected)));
  }
  CHECK(evaluate(parse("sum(1/(k^3 + k + 1), k from 1 to infinity)")) == doctest::Approx(0.494724919645676));
  CHECK_THROWS_AS((void)evaluate(parse("sum(1/k, k from 1 to infinity)")), Error);
}

TEST_CASE("random rational terms without end: closed forms beside numbers") {
  std::mt19937 random(20261204);
  const auto below = [&](int most) { return static_cast<int>(random() % static_cast<unsigned>(most)); };
  const int cases = test::cases(80, 600, 25);
  int closed = 0;
  for (int i = 0; i < cases; ++i) {
    Expr bottom = 1;
    int degree = 0;
    const int factors = 1 + below(2);
    for (int j = 0; j < factors; ++j) {
      const int shift = 1 + below(4);
      const int square = 1 + below(5);
      const int pick = below(3);
      bottom = bottom * (pick == 0 ? k * k + shift * k + square : pick == 1 ? Expr(2 * k + shift) : Expr(k + shift));
      degree += pick == 0 ? 2 : 1;
    }
    const bool alternating = below(2) == 0;
    if (degree < 2 && !alternating) continue;
    const Expr term = (alternating ? pow(Expr(-1), k) : Expr(1)) * Expr(1 + below(5)) / bottom;
    CAPTURE(to_text(term));
    const int from = below(3);
    const SumResult s = sum_with_report(term, k, from, infinity());
    const NumericSum number = numeric_sum(term, k, from);
    REQUIRE(number.converged);
    if (!s.closed) continue;
    ++closed;
    CAPTURE(to_text(s.value));
    CHECK(std::abs(evaluate(s.value) - number.value.real()) <= 1e-8 * (1 + std::abs(number.value.real())));
  }
  MESSAGE(closed << " of " << cases << " with a closed form");
  CHECK(closed >= cases / 2);
}

}  // namespace special_sums_test
