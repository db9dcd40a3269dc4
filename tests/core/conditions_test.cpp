// SPDX-License-Identifier: MIT
// Conditions of integrals and sums: none is said twice, none follows from the others.
#include <doctest/doctest.h>

#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/sums.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"

using namespace boreon;

namespace {

bool holds(const Expr& condition, const Bindings& at) {
  const Expr value[] = {1, condition, 0};
  return evaluate(piecewise(value), at, Unused::allowed) == 1;
}

// Points of a grid over the symbols of the conditions.
std::vector<Bindings> grid(std::span<const Expr> conditions) {
  const std::vector<Symbol> symbols = free_symbols(conditions);
  const std::vector<Expr> values = {
      -3, -2, -1, Expr(Number(-1, 2)), Expr(Number(-1, 3)), 0, Expr(Number(1, 3)), Expr(Number(1, 2)), 1, 2, 3};
  std::vector<Bindings> points = {{}};
  for (const Symbol& s : symbols) {
    std::vector<Bindings> next;
    for (const Bindings& p : points) {
      for (const Expr& v : values) next.push_back(Bindings(p).set(s, v));
    }
    points = std::move(next);
  }
  return points;
}

// For each condition there is a point at which it fails and all others hold.
void check_irredundant(std::span<const Expr> conditions, const char* what) {
  CAPTURE(std::string(what));
  const std::vector<Bindings> points = grid(conditions);
  for (std::size_t i = 0; i < conditions.size(); ++i) {
    CAPTURE(to_text(conditions[i]));
    bool needed = false;
    for (const Bindings& p : points) {
      bool others = true;
      for (std::size_t k = 0; k < conditions.size() && others; ++k) others = k == i || holds(conditions[k], p);
      needed = needed || (others && !holds(conditions[i], p));
      if (needed) break;
    }
    CHECK(needed);
  }
}

}  // namespace

TEST_CASE("conditions of integrals are said once") {
  const Symbol x("x");
  struct Case {
    const char* integrand;
    Expr from;
    Expr to;
  };
  const Symbol b("b");
  const std::vector<Case> cases = {
      {"x^2/(a^2 - x^2)^(3/2)", 0, b},      {"exp(-a*x)*sin(b*x)", 0, infinity()},
      {"1/(a^2 + b^2*x^2)", 0, infinity()}, {"x^(a - 1)*exp(-b*x)", 0, infinity()},
      {"1/sqrt(a^2 - x^2)", 0, b},          {"exp(-a*x^2 - b*x)", -infinity(), infinity()},
      {"1/(x^2 + a*x + b)", 0, 1},          {"sqrt(a - x)", 0, b},
      {"1/(a*exp(x) + b)", 0, infinity()},  {"log(a + b*x)", 0, 1},
      {"sin(a*x)*sin(b*x)", 0, pi()},       {"1/(x^2 - a^2)", 1, 2},
  };
  for (const Case& c : cases) {
    const IntegralResult r = integrate(parse(c.integrand), x, c.from, c.to);
    check_irredundant(r.conditions, c.integrand);
    for (std::size_t i = 0; i < r.exceptions.size(); ++i) {
      for (std::size_t k = 0; k < i; ++k)
        CHECK_FALSE((r.exceptions[i].when == r.exceptions[k].when && r.exceptions[i].value == r.exceptions[k].value));
    }
  }
  for (const char* f :
       {"1/(x^2 + a*x + b)", "1/sqrt(a^2 - x^2)", "x^a*log(b*x)", "1/(a + b*cos(x))", "sqrt(a*x^2 + b)"})
    check_irredundant(integrate(parse(f), x).conditions, f);
}

TEST_CASE("alternatives that differ in one comparison are joined") {
  const Symbol x("x");
  const Symbol a("a");
  const IntegralResult r = integrate(parse("exp(-x^2)*cos(a*x)"), x, 0, infinity());
  for (const Expr& c : r.conditions) CHECK_FALSE(c.is(Kind::logic));
  const IntegralResult s = integrate(parse("1/(a^2 + x^2)"), x, 0, infinity());
  CAPTURE(s.conditions.size());
  for (const Expr& c : s.conditions) CHECK_FALSE(c.is(Kind::logic));
}

TEST_CASE("conditions of sums are said once") {
  const Symbol k("k");
  for (const char* term : {"q^k", "k*q^k", "q^k + p^k", "(p*q)^k + p^k + q^k", "q^k/factorial(k)"})
    check_irredundant(sum_with_report(parse(term), k, 0, infinity()).conditions, term);
}
