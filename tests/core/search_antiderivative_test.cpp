// SPDX-License-Identifier: MIT
// Antiderivatives with joints, poles and parameters: their change from place to place is the integral between them.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/integral.hpp"
#include "boreon/program.hpp"
#include "boreon/text.hpp"
#include "boreon/work.hpp"
#include "core/claims.hpp"
#include "core/one_variable.hpp"
#include "core/search.hpp"
#include "core/subdivided.hpp"
#include "effort.hpp"

using namespace boreon;

namespace antiderivative_search {

struct Family {
  const char* category;
  std::initializer_list<const char*> integrands;  // U stands for an inner function, S for a number, N for a factor
  std::initializer_list<const char*> inner;
};

const Family families[] = {
    {"periodic",
     {"N*abs(sin(U))",
      "N*abs(cos(U))",
      "sign(sin(U))*N",
      "asin(sin(U))*N",
      "acos(cos(U))",
      "atan(tan(U))",
      "N*sqrt(1 + sin(U))",
      "N*sqrt(S - S*cos(U))",
      "max(sin(U), 0)",
      "1/(S + tan(U)^2)",
      "1/(S + sin(U))",
      "1/(1 + S*sin(U)^2)",
      "cos(U)*log(S + cos(U))",
      "sin(U)/(S + cos(U)^2)",
      "1/(S*cos(U) + sin(U))",
      "sin(U)^3*N",
      "1/(S*cos(U)^2 + sin(U)^2)",
      "tan(U)^2*N",
      "1/(1 + tan(U))",
      "abs(sin(U) - 1/S)"},
     {"x", "2*x", "x/2", "x + 1", "3*x - 2", "-x", "pi*x/3"}},
    {"steps",
     {"floor(U)*N", "ceil(U)*N", "round(U)", "(U - floor(U))^2", "fmod(U, S)", "floor(U)^2", "sign(floor(U) - 1/2)*N",
      "exp(-x/3)*floor(U)", "heaviside(U)*N", "floor(U)*sin(x)", "abs(U - round(U))"},
     {"x", "2*x", "x/2", "x + 1", "1 - x", "x/3 - 1/4"}},
    {"signs of polynomials",
     {"abs(U)*N", "sign(U)*N", "max(U, x)", "min(U, 1)*N", "sqrt(U^2)*N", "abs(U)^3", "sqrt(abs(U))", "1/(1 + abs(U))",
      "exp(-abs(U))", "cos(abs(U))", "log(1 + abs(U))", "abs(U)*exp(x/2)", "abs(abs(U) - S)", "U*abs(U)"},
     {"x", "x - 1", "x^2 - 2", "2 - 3*x", "x^2 - x", "x^3 - x", "x^2 + x + 1"}},
    {"rational",
     {"N/(U)", "N/(U)^2", "1/(x*(U))", "1/((U)*(x + S))", "x^3/(U)", "N/(1 + (U)^2)", "1/(x^2*(U))"},
     {"x^2 + 1", "x^2 - 2", "x^3 + 1", "x^2 + x + 1", "x^4 + 1", "x^4 - 5*x^2 + 4", "x^3 - x + 1", "x^2 + 2*x - 1"}},
    {"roots",
     {"1/sqrt(U)", "sqrt(U)*N", "x/sqrt(U)", "1/(x*sqrt(U))", "sqrt(U)/x", "1/(U)^(3/2)", "x^2*sqrt(U)",
      "1/((x + S)*sqrt(U))", "(1 + sqrt(U))/N", "1/(1 + sqrt(U))", "x*(U)^(1/3)"},
     {"x^2 + 1", "x^2 - 1", "4 - x^2", "x + 3", "x^2 + x + 1", "2*x - x^2 + 5", "1 + exp(x)", "x^2 + 4*x"}},
    {"exponentials",
     {"1/(1 + S*exp(U))", "N*exp(U)", "exp(x)/(S + exp(2*x))", "tanh(U)*N", "1/cosh(U)", "1/(S + cosh(x))",
      "log(S + exp(x))", "N*exp(-x^2)", "exp(U)*sin(x)", "exp(x)*cos(2*x)*N", "1/sinh(U)", "exp(-x)*abs(sin(x))",
      "atan(exp(x))/cosh(x)"},
     {"x", "-x", "x/2", "2*x - 1", "1 - x"}},
    {"logarithms and arcs",
     {"log(abs(U))", "log(x^2 + S)*N", "atan(U)*N", "log(abs(U))^2", "asin(x/12)*N", "atan(S*x)/x^2",
      "log(x^2)/(x - 13)^2", "atan(U)^2", "x*log(abs(U))", "log(abs(x))/x", "atan(1/(U))", "N*log(1 + (U)^2)",
      "asinh(U)*N"},
     {"x", "x - 1", "2*x + 1", "x^2 - 2", "1 - x"}},
    {"with a parameter",
     {"N/(x^2 + p)",         "1/(U + p)",           "abs(x - p)*N",       "exp(p*x)*sin(U)",
      "floor(x/p)",          "sign(x - p)*N",       "1/(p + cos(x))",     "sqrt(x^2 + p)",
      "atan(p*x)",           "abs(sin(p*x))",       "1/(1 + p*sin(x)^2)", "1/(exp(x) + p)",
      "1/(x^2 + 2*p*x + 1)", "cos(x)/(p - sin(x))", "log(abs(x - p))",    "1/(p*cos(x) + sin(x))",
      "max(x, p)",           "x/sqrt(x^2 - p)",     "tan(p*x)",           "abs(x^2 - p)"},
     {"x", "2*x", "x^2", "x + 1"}}};

void one_case(int number, test::Counts& counts) {
  test::Draw draw(20261202, number);
  const Family& family = families[static_cast<std::size_t>(draw.whole(0, std::size(families) - 1))];
  const std::string u = draw.pick(family.inner);
  const std::string s = draw.pick({"2", "3", "5/2", "7", "4/3"});
  std::string text = draw.filled(draw.pick(family.integrands), 'U', [&] { return u; });
  text = draw.filled(text, 'S', [&] { return s; });
  text = draw.filled(text, 'N', [&] { return draw.pick({"1", "1", "1", "x", "2 - x", "x^2", "x + 3"}); });
  const Expr f = parse(text);
  CAPTURE(number);
  CAPTURE(text);
  test::Outcome& outcome = counts[family.category];
  const auto found = test::attempted(outcome, [&] { return integrate(f, x); });
  if (!found) return;
  const IntegralResult& r = *found;
  if (r.status != IntegralStatus::exact) {
    CHECK(r.value.is(Kind::integral));
    ++outcome.unevaluated;
    return;
  }
  CAPTURE(to_text(r.value));
  const Symbol p("p");
  int decided = 0;
  for (int trial = 0; trial < 4; ++trial) {
    const Number q(draw.whole(-350, 350), 97);
    const double at = q.to_double();
    const double a = draw.between(-11, 11);
    const double b = draw.between(-11, 11);
    const auto antiderivative = [&](double place) {
      return evaluate_complex(r.value, {{x, Number::exact(place)}, {p, q}}, Unused::allowed);
    };
    bool claimed = true;
    for (const Expr& c : r.conditions) {
      // A condition on the place holds on an interval: at both ends and, where it changes, between them.
      for (int i = 0; i <= 16; ++i) {
        const Expr here = substitute(c, {{x, Expr(Number::exact(a + (b - a) * i / 16))}}, Unused::allowed);
        claimed = claimed && test::true_at(here, q);
      }
    }
    if (!claimed) continue;
    const test::Judgement truth =
        test::subdivided(test::function_of_x(substitute(f, {{p, Expr(q)}}, Unused::allowed)), a, b);
    if (truth.kind != test::Judgement::number) continue;
    std::complex<double> change;
    double size = 0;
    try {
      change = antiderivative(b) - antiderivative(a);
      size = std::abs(antiderivative(b));
    } catch (const Error&) {  // the place itself is singular
      continue;
    }
    ++decided;
    const double scale = 1e-2 + std::abs(truth.value) + 1e-7 * size;
    const bool right = std::abs(change - truth.value) <= 3e-6 * scale;
    CAPTURE(at);
    CAPTURE(a);
    CAPTURE(b);
    CAPTURE(change);
    CAPTURE(truth.value);
    CHECK(right);
    if (!right) {
      ++outcome.wrong;
      return;
    }
  }
  ++(decided == 0 ? outcome.undecided : outcome.right);
}

TEST_CASE("search: antiderivatives do not jump, at joints and with parameters") {
  test::search(test::cases(60, 5000, 6), one_case);
}

}  // namespace antiderivative_search
