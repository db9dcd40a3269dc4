// SPDX-License-Identifier: MIT
// Limits and series: known values, laws of limits, Taylor coefficients, and agreement with numbers.
#include <doctest/doctest.h>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "core/one_variable.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

Expr at(const char* f, const char* place, LimitSide side = LimitSide::both, std::vector<Expr> conditions = {}) {
  ParseContext context;
  context.names.emplace("a", Symbol("a", {Assumption::positive}));
  context.names.emplace("n", Symbol("n", {Assumption::positive}));
  return limit(parse(f, context), x, parse(place, context), side, conditions);
}

bool same(const Expr& a, const char* b) {
  ParseContext context;
  context.names.emplace("a", Symbol("a", {Assumption::positive}));
  const Expr e = parse(b, context);
  if (a == e) return true;
  if (e.is_constant(ConstantCode::infinity) || e == -infinity() || e.is_constant(ConstantCode::undefined)) return false;
  return equivalent(a, e).verdict == Equivalence::proved || (compare(a, e).agrees && compare(a, e).points > 0);
}

}  // namespace

TEST_CASE("limits at finite places") {
  struct Row {
    const char* f;
    const char* place;
    const char* value;
  };
  for (const Row& r :
       {Row{"sin(x)/x", "0", "1"}, Row{"(1 - cos(x))/x^2", "0", "1/2"}, Row{"(tan(x) - sin(x))/x^3", "0", "1/2"},
        Row{"(a^x - 1)/x", "0", "log(a)"}, Row{"(x^4 - 16)/(x - 2)", "2", "32"},
        Row{"(sqrt(x) - 3)/(x - 9)", "9", "1/6"}, Row{"x*log(abs(x))", "0", "0"}, Row{"(1 + x)^(1/x)", "0", "exp(1)"},
        Row{"1/x^2", "0", "infinity"}, Row{"1/x - 1/(exp(x) - 1)", "0", "1/2"},
        Row{"(cos(x))^(1/x^2)", "0", "exp(-1/2)"}, Row{"(asin(x) - atan(x))/x^3", "0", "1/2"},
        Row{"gamma(x)*x", "0", "1"}, Row{"(gamma(x) - 1/x)", "0", "-egamma"}, Row{"x^2*cyl_bessel_k(2, x)", "0", "2"},
        Row{"log(x)/(x - 1)", "1", "1"}, Row{"(x^n - a^n)/(x - a)", "a", "n*a^(n - 1)"},
        Row{"erf(x)/x", "0", "2/sqrt(pi)"}}) {
    INFO(std::string(r.f) << " at " << std::string(r.place));
    if (std::string(r.value) == "n*a^(n - 1)") {
      const Symbol n("n", {Assumption::positive}), a("a", {Assumption::positive});
      CHECK(compare(at(r.f, r.place), n * power(a, n - 1)).agrees);
      continue;
    }
    CHECK(same(at(r.f, r.place), r.value));
  }
}

TEST_CASE("limits at infinity, from growth rates") {
  struct Row {
    const char* f;
    const char* value;
  };
  for (const Row& r : {Row{"x^20*exp(-x)", "0"},
                       Row{"log(x)^50/x", "0"},
                       Row{"(1 + a/x)^x", "exp(a)"},
                       Row{"sqrt(x^2 + 3*x) - x", "3/2"},
                       Row{"x - log(cosh(x))", "log(2)"},
                       Row{"exp(x^2)*erfc(x)*x", "1/sqrt(pi)"},
                       Row{"x*(pi/2 - atan(x))", "1"},
                       Row{"gamma(x + 1)/(x^x*exp(-x)*sqrt(x))", "sqrt(2*pi)"},
                       Row{"digamma(x) - log(x)", "0"},
                       Row{"x^(1/log(x))", "exp(1)"},
                       Row{"exp(exp(x))/exp(exp(x) + 1)", "exp(-1)"},
                       Row{"Si(x)", "pi/2"},
                       Row{"cyl_bessel_j(0, x)", "0"},
                       Row{"x*sin(1/x)", "1"},
                       Row{"(x + sin(x))/x", "1"},
                       Row{"floor(x)/x", "1"},
                       Row{"tanh(x)", "1"},
                       Row{"log(x + exp(x))/x", "1"},
                       Row{"exp(-a*x)*x^5", "0"},
                       Row{"E1(x)*x*exp(x)", "1"},
                       Row{"max(x, 3)/x", "1"},
                       Row{"x*(log(x + 1) - log(x))", "1"},
                       Row{"-exp(x)/x^3", "-infinity"}}) {
    INFO(std::string(r.f));
    CHECK(same(at(r.f, "infinity"), r.value));
  }
}

TEST_CASE("no limit, one-sided limits, unknown signs") {
  CHECK(at("sin(x)", "infinity").is_constant(ConstantCode::undefined));
  CHECK(at("x*cos(x)", "infinity").is_constant(ConstantCode::undefined));
  CHECK(at("1/(x*sin(x))", "infinity").is_constant(ConstantCode::undefined));
  CHECK(at("1/x", "0").is_constant(ConstantCode::undefined));
  CHECK(at("1/x", "0", LimitSide::above) == infinity());
  CHECK(at("1/x", "0", LimitSide::below) == -infinity());
  CHECK(at("sign(x)", "0", LimitSide::below) == Expr(-1));
  CHECK(at("atan(1/x)", "0", LimitSide::below) == -pi() / 2);
  CHECK(at("piecewise(x if x < 1, 5 otherwise)", "1", LimitSide::above) == Expr(5));
  CHECK(at("floor(x)", "2", LimitSide::below) == Expr(1));
  const LimitResult none = limit_with_report(sign(x), x, 0);
  CHECK(none.value.is_constant(ConstantCode::undefined));
  CHECK(none.reason.find("from below -1") != std::string::npos);
  const Symbol b("b");
  try {
    (void)limit(exp(b * x), x, infinity());
    FAIL("the sign of b decides");
  } catch (const Error& e) {
    CHECK(e.kind() == ErrorKind::unsupported);
    CHECK(std::string(e.what()).find("sign of b") != std::string::npos);
  }
  const Expr negative[] = {less(b, 0)};
  CHECK(limit(exp(b * x), x, infinity(), LimitSide::both, negative) == Expr(0));
  CHECK_THROWS_AS((void)limit(x, x, x), Error);
}

TEST_CASE("series of random analytic functions have Taylor's coefficients") {
  test::RandomExpression grow(77, {x});
  int compared = 0;
  for (int k = 0; k < 120; ++k) {
    const Expr f = grow(2 + static_cast<int>(grow.pick(6)));
    SeriesResult s;
    try {
      s = series(f, x, 0, 4);
    } catch (const Error& e) {
      REQUIRE(e.kind() == ErrorKind::unsupported);
      continue;
    }
    INFO(to_text(f));
    Expr d = f;
    Number factorial(1);
    for (int n = 0; n <= 4; ++n) {
      if (n > 0) {
        d = derivative(d, x);
        factorial = factorial * Number(n);
      }
      Expr expected;
      try {
        expected = substitute(d, {{x, 0}}, Unused::allowed) / Expr(factorial);
      } catch (const Error&) {
        break;
      }
      Expr found = 0;
      for (const SeriesTerm& t : s.terms) {
        if (t.exponent == Number(n)) found = t.coefficient;
      }
      INFO("power " << n << ": " << to_text(found) << " against " << to_text(expected));
      REQUIRE(compare(found, expected).agrees);
      ++compared;
    }
  }
  CHECK(compared > 300);
}

TEST_CASE("Laurent, Puiseux and asymptotic expansions against numbers") {
  for (const char* f : {"1/sin(x)", "1/(exp(x) - 1 - x)", "sqrt(x)*cos(x)", "log(sin(x))", "x^(1/3)/(1 + sqrt(x))",
                        "gamma(x)", "digamma(x)", "E1(x)", "cyl_bessel_k(1, x)", "cyl_neumann(0, x)", "x^x",
                        "elliptic_K(x)", "polylog(3, x)", "atan(sqrt(x))", "Ci(x)", "1/log(1 + x)"}) {
    INFO(f);
    const Expr e = parse(f);
    const SeriesResult s = series(e, x, 0, 3);
    const SeriesEvidence evidence = check_series(s, e, x, 0);
    CHECK(evidence.points >= 2);
    CHECK(evidence.digits >= 10);
  }
  for (const char* f :
       {"lgamma(x)", "digamma(x)", "sqrt(x^2 + x)", "atan(x)", "log(1 + x)", "(x + 1)/(x^2 - 3)", "x*log(1 + 1/x)"}) {
    INFO(f);
    const Expr e = parse(f);
    const SeriesResult s = series(e, x, infinity(), 3);
    CHECK(check_series(s, e, x, infinity()).digits >= 10);
  }
  // the order bounds the exponents, and nothing is missing below it
  const SeriesResult s = series(exp(x), x, 0, 5);
  CHECK(s.terms.size() == 6);
  CHECK(s.next == Number(6));
  CHECK_FALSE(s.exact);
  CHECK(series(power(x, 3) + x, x, 0, 5).exact);
  CHECK_THROWS_AS((void)series(exp(1 / x), x, 0, 3, {}, LimitSide::above), Error);
}

TEST_CASE("laws of limits on random pairs") {
  test::RandomExpression grow(4321, {x});
  int used = 0;
  for (int k = 0; k < 60; ++k) {
    const Expr f = grow(5);
    const Expr g = grow(5);
    try {
      const Expr a = limit(f, x, infinity());
      const Expr b = limit(g, x, infinity());
      const auto finite = [](const Expr& e) {
        return !e.is_constant(ConstantCode::infinity) && !(e == -infinity()) && !e.is_constant(ConstantCode::undefined);
      };
      if (!finite(a) || !finite(b)) continue;
      INFO(to_text(f) << " and " << to_text(g));
      CHECK(compare(limit(f + g, x, infinity()), a + b).agrees);
      CHECK(compare(limit(f * g, x, infinity()), a * b).agrees);
      ++used;
    } catch (const Error& e) {
      REQUIRE((e.kind() == ErrorKind::unsupported || e.kind() == ErrorKind::limit));
    }
  }
  CHECK(used > 5);
}
