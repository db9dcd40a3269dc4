// SPDX-License-Identifier: MIT
// Rules: matching modulo order, conditions, orders, extents, limits, errors.
#include <doctest/doctest.h>

#include "boreon/algebra.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/rewrite.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"

using namespace boreon;

namespace {

Expr apply(const char* text, const char* rules, RewriteOptions options = {}) {
  return rewrite(parse(text), parse_rules(rules), options);
}

}  // namespace

TEST_CASE("rules: order and place of operands do not matter") {
  const char* pythagoras = "k*sin(u)^2 + k*cos(u)^2 becomes k for any u, k";
  CHECK(apply("sin(x)^2 + cos(x)^2", "sin(u)^2 + cos(u)^2 becomes 1 for any u") == 1);
  CHECK(apply("cos(2*y)^2 + a + sin(2*y)^2", "sin(u)^2 + cos(u)^2 becomes 1 for any u") == parse("a + 1"));
  CHECK(apply("3*sin(x)^2 + 3*cos(x)^2", pythagoras) == 3);
  CHECK(apply("sin(x)^2 + cos(y)^2", pythagoras) == parse("sin(x)^2 + cos(y)^2"));
  CHECK(apply("z*b*cos(x)^2 + z*b*sin(x)^2", "k*r*sin(u)^2 + k*r*cos(u)^2 becomes k*r for any u, k, r") ==
        parse("b*z"));
  CHECK(apply("2*x*sin(x)*cos(x)", "sin(u)*cos(u) becomes sin(2*u)/2 for any u") == parse("x*sin(2*x)"));
  CHECK(apply("exp(a)*exp(b + c)*d", "exp(u)*exp(v) becomes exp(u + v) for any u, v") == parse("d*exp(a + b + c)"));
}

TEST_CASE("rules: the same placeholder is the same thing") {
  CHECK(apply("f(x, x) + f(x, y)", "f(u, u) becomes g(u) for any u") == parse("g(x) + f(x, y)"));
  CHECK(apply("a^n*b^n", "u^m*v^m becomes (u*v)^m for any u, v, m") == parse("(a*b)^n"));
  CHECK(apply("a^n*b^k", "u^m*v^m becomes (u*v)^m for any u, v, m") == parse("a^n*b^k"));
}

TEST_CASE("rules: the rest of a sum or product") {
  CHECK(apply("f(a + b + c)", "f(u + r) becomes f(u) + f(r) for any u, rest r") == parse("f(a) + f(b) + f(c)"));
  CHECK(apply("log(2*x*y)", "log(a*b) becomes log(a) + log(b) for any a, rest b where a number") ==
        parse("log(2) + log(x*y)"));
  CHECK(apply("f(x) + f(2*x)", "f(u*r) becomes g(u, r) for any u, rest r") ==
        parse("f(x) + g(2, x)"));  // a rest is never empty
  CHECK(apply("3*x^2*y", "u^n becomes g(u) for any u, n where n number") == parse("3*y*g(x)"));
}

TEST_CASE("rules: conditions must be proved") {
  const char* split = "log(a*b) becomes log(a) + log(b) for any a, rest b where a > 0, b > 0";
  ParseContext context;
  context.names.emplace("p", Symbol("p", {Assumption::positive}));
  context.names.emplace("q", Symbol("q", {Assumption::positive}));
  CHECK(rewrite(parse("log(p*q)", context), parse_rules(split)) == parse("log(p) + log(q)", context));
  CHECK(apply("log(x*y)", split) == parse("log(x*y)"));  // signs are not known
  RewriteOptions given;
  given.given = {parse("x > 0"), parse("y > 0")};
  CHECK(apply("log(x*y)", split, given) == parse("log(x) + log(y)"));
  CHECK(apply("x^3 + x^(1/2)", "x^n becomes g(n) for any n where n integer") == parse("g(3) + sqrt(x)"));
  CHECK(apply("2*f(t) + a*f(t)", "c*f(u) becomes g(c, u) for any c, u where c number") == parse("g(2, t) + a*f(t)"));
  CHECK(apply("f(x + 1) + f(y)", "f(u) becomes 0 for any u where u symbol") == parse("f(x + 1)"));
  CHECK(apply("sum(k*x, k from 1 to n)",
              "sum(c*u, k from 1 to n) becomes c*sum(u, k from 1 to n) for any u, c where c free of k") ==
        parse("x*sum(k, k from 1 to n)"));
}

TEST_CASE("rules: order and extent") {
  const auto rules = parse_rules("f(u) becomes u + 1 for any u");
  const Expr e = parse("f(f(f(x)))");
  CHECK(rewrite(e, rules) == parse("x + 3"));
  CHECK(rewrite(e, rules, {.order = RewriteOrder::bottom_up, .extent = RewriteExtent::first}) == parse("f(f(x + 1))"));
  CHECK(rewrite(e, rules, {.order = RewriteOrder::top_down, .extent = RewriteExtent::first}) == parse("f(f(x)) + 1"));
  CHECK(rewrite(e, rules, {.order = RewriteOrder::top_down, .extent = RewriteExtent::pass}) == parse("f(f(x)) + 1"));
  CHECK(rewrite(e, rules, {.order = RewriteOrder::top_down}) == parse("x + 3"));
  const Rewritten r = rewrite_with_report(e, rules);
  CHECK(r.applications == 3);
  CHECK(!r.limit_reached);
  REQUIRE(r.by_rule.size() == 1);
  CHECK(r.by_rule[0].second == 3);
  CHECK(r.by_rule[0].first == "f(u) becomes u + 1 for any u");
}

TEST_CASE("rules that go round in circles stop and say so") {
  RewriteOptions o;
  o.limit = 25;
  const Rewritten r =
      rewrite_with_report(parse("f(x)"), parse_rules("f(u) becomes g(u) for any u; g(u) becomes f(u) for any u"), o);
  CHECK(r.limit_reached);
  CHECK(r.applications == 25);
  const Rewritten grows = rewrite_with_report(parse("x"), parse_rules("x becomes x + 1"), o);
  CHECK(grows.expression == parse("x + 25"));
  CHECK(grows.limit_reached);
  // Matching all orders of a long sum is cut off too.
  std::string sum = "f(x1)";
  for (int i = 2; i < 40; ++i) sum += " + f(x" + std::to_string(i) + ")";
  o.match_steps = 2000;
  const Rewritten hard = rewrite_with_report(
      parse(sum), parse_rules("f(a) + f(b) + f(c) + f(d) + f(h) + f(a*b*c*d*h) becomes 0 for any a, b, c, d, h"), o);
  CHECK(hard.limit_reached);
}

TEST_CASE("rules from C++") {
  const Symbol u("u"), x("x"), y("y");
  Rule rule(sin(2 * u), 2 * sin(u) * cos(u), {u});
  const Rule rules[] = {rule};
  CHECK(rewrite(sin(2 * x) + sin(3 * x), rules) == 2 * sin(x) * cos(x) + sin(3 * x));
  rule.tests.push_back([&](const Matches& m) { return m.at("u") == y; });
  const Rule picky[] = {rule};
  CHECK(rewrite(sin(2 * x) + sin(2 * y), picky) == sin(2 * x) + 2 * sin(y) * cos(y));
  Matches found;
  CHECK(matches(sin(2 * y), picky[0], found));
  CHECK(found.at("u") == y);
  CHECK(!matches(sin(3 * y), picky[0], found));
  CHECK_THROWS_WITH_AS(Rule(u, 1, {u}), doctest::Contains("matches everything"), Error);
  CHECK_THROWS_WITH_AS(Rule(sin(x), 1, {u}), doctest::Contains("does not occur"), Error);
  CHECK_THROWS_WITH_AS(Rule(sin(u), 1, {}, {u}), doctest::Contains("rest placeholder"), Error);
}

TEST_CASE("mistakes in rules are explained") {
  const std::pair<const char*, const char*> cases[] = {
      {"sin(u) -> 1", "becomes"},
      {"sin(u) becomes 1 for u", "for any"},
      {"sin(u) becomes 1 for any u, v", "does not occur"},
      {"becomes 1", "pattern is missing"},
      {"sin(u) becomes", "replacement is missing"},
      {"sin(u) becomes 1 for any u where u integre", "did you mean 'integer'"},
      {"sin(u) becomes 1 for any u where u", "no condition"},
      {"sin(u) becomes 1 for any 2u", "name of a placeholder"},
      {"sin(u) becomes 1 for any u, u", "twice"},
      {"sin(u becomes 1 for any u", "becomes"}};
  for (const auto& one : cases) {
    const auto& text = one.first;
    const auto& says = one.second;
    INFO(text);
    CHECK_THROWS_WITH_AS((void)parse_rules(text), doctest::Contains(says), Error);
  }
  // Position of the line, comments and empty lines skipped.
  try {
    (void)parse_rules("# trigonometry\nsin(u) becomes u for any u  # small angles\n\nnonsense\n");
    FAIL("the rule was accepted");
  } catch (const Error& e) {
    CHECK(e.position().line == 4);
  }
}
