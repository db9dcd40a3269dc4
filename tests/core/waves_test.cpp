// SPDX-License-Identifier: MIT
// Limits with parts that oscillate, principal values and whole periods: what exists, what does not, and for which
// parameters.
#include <doctest/doctest.h>

#include <cmath>
#include <random>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/definite.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

TEST_CASE("limits in which waves cancel or are squeezed") {
  const Symbol n("n", {Assumption::integer});
  struct Row {
    const char* f;
    const char* limit;  // nullptr: there is none
  };
  for (const Row& row : {Row{"sin(sqrt(x + 1)) - sin(sqrt(x))", "0"},
                         {"sqrt(x + 1)*sin(x) - sqrt(x)*sin(x)", "0"},
                         {"sin(x)*cos(x) - sin(2*x)/2", "0"},
                         {"sin(3*x) - 3*sin(x) + 4*sin(x)^3 + 1/x", "0"},
                         {"sin(x)^4 - cos(x)^4 + cos(2*x)", "0"},
                         {"(x*cos(x) + 2*x)/(x + 1) - cos(x)", "2"},
                         {"exp(1i*x)/x", "0"},
                         {"sin(x)^2", nullptr},
                         {"sin(x) + sin(sqrt(2)*x)", nullptr},
                         {"(-1)^n/n", "0"},
                         {"(-1)^n*sin(1/n) + 2", "2"},
                         {"sin(pi*sqrt(n^2 + 1))", "0"},
                         {"(-1)^n", nullptr},
                         {"(-1)^n*(n + 1)/n", nullptr},
                         {"(-1)^(2*n)*(n + 1)/n", "1"}}) {
    CAPTURE(row.f);
    const Expr f = parse(row.f, ParseContext::of(x + n));
    const Expr variable = depends_on(f, n) ? Expr(n) : Expr(x);
    const LimitResult r = limit_with_report(f, variable, infinity());
    if (row.limit == nullptr) {
      CHECK(r.value == undefined());
      CHECK(!r.reason.empty());
    } else {
      CHECK(r.value == parse(row.limit));
    }
  }
  const LimitResult even_and_odd = limit_with_report(parse("(-1)^n", ParseContext::of(n)), n, infinity());
  CHECK(even_and_odd.reason == "it tends to 1 for even n and to -1 for odd ones");
}

TEST_CASE("the check of principal values looks at all of the range") {
  struct Row {
    const char* f;
    double from, to;
    const char* value;
    Verdict verdict;
  };
  for (const Row& row : {Row{"1/(x - 1)", 0, 3, "log(2)", Verdict::agrees},
                         {"1/(x - 1)", 0, 3, "log(2) + 1/1000", Verdict::disagrees},
                         {"1/(x - 1)", 0, 3, "log(2) + 1i*pi", Verdict::disagrees},
                         {"1/(x^2 - 2)", 0, 2, "log((2 - sqrt(2))/(2 + sqrt(2)))/(2*sqrt(2))", Verdict::agrees},
                         {"1/((x - 1)*(x - 2))", 0, 4, "log(1/3)", Verdict::agrees},
                         {"1/((x - 1)*(x - 2))", 0, 4, "log(2/3)", Verdict::disagrees},
                         {"log(abs(x))", -1, 1, "-2", Verdict::agrees},
                         {"1/sqrt(abs(x - 1))", 0, 2, "4", Verdict::agrees},
                         {"1/sqrt(abs(x - 1))", 0, 2, "3.999", Verdict::disagrees}}) {
    CAPTURE(row.f);
    CAPTURE(row.value);
    CHECK(check_principal(parse(row.f), x, row.from, row.to, parse(row.value), {}).verdict == row.verdict);
  }
  const Expr line = integral(parse("sin(x)/(x - 2)"), x, -infinity(), infinity(), {.principal_value = true});
  CHECK(line == pi() * cos(Expr(2)));
}

TEST_CASE("whole periods: each region of parameters has its value or diverges") {
  std::mt19937 random(4);
  std::uniform_real_distribution<double> any(-3, 3);
  const Symbol a("a"), b("b");
  int values = 0;
  int divergent = 0;
  for (const char* text : {"1/(a + b*cos(x))", "1/(a + b*sin(x))^2", "1/(a + b*sin(x)*cos(x))", "1/(a - b*sin(x)^2)"}) {
    const Expr f = parse(text);
    const IntegralResult r = integrate(f, x, 0, 2 * pi());
    CAPTURE(text);
    REQUIRE(r.status == IntegralStatus::exact);
    for (int k = 0; k < 12; ++k) {
      const Bindings at{{a, Expr(Number::exact(any(random)))}, {b, Expr(Number::exact(any(random)))}};
      const auto holds = [&](const Expr& c) {
        return substitute(c, at, Unused::allowed).is_constant(ConstantCode::true_value);
      };
      Expr claimed = undefined();
      bool found = false;
      for (const IntegralException& e : r.exceptions) {
        if (found || !holds(e.when)) continue;
        found = true;
        claimed = e.value;
      }
      if (!found) {
        for (const Expr& c : r.conditions) CHECK(holds(c));
        claimed = r.value;
      }
      // the denominator has a zero where it takes both signs
      const Expr u = 1 / substitute(f, at, Unused::allowed);
      double low = HUGE_VAL;
      double high = -HUGE_VAL;
      for (int i = 0; i < 400; ++i) {
        const double v = evaluate(std::string(text).ends_with("^2") ? sqrt(u) : u, {{x, i * 0.0157079632679}});
        low = std::min(low, v);
        high = std::max(high, v);
      }
      if (std::string(text).ends_with("^2") ? low < 0.05 : low * high < 0) {
        if (claimed == undefined()) ++divergent;
        if (!std::string(text).ends_with("^2")) CHECK(claimed == undefined());
        continue;
      }
      const QuadratureResult q = quadrature(f, x, 0, 2 * pi(), at);
      CHECK(evaluate(claimed, at, Unused::allowed) == doctest::Approx(q.value).epsilon(1e-9));
      ++values;
    }
  }
  CHECK(values > 10);
  CHECK(divergent > 10);
}
