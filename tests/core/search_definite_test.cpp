// SPDX-License-Identifier: MIT
// Definite integrals with a parameter that moves poles, jumps and branch points through the range, judged by
// quadrature that looks inside.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <limits>
#include <optional>
#include <string>

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

namespace definite_search {

struct Family {
  const char* category;
  std::initializer_list<const char*> integrands;  // A stands for a form in p, N for a factor
  std::initializer_list<const char*> ranges;      // the ends, apart by a blank
};

const Family families[] = {
    {"trigonometric",
     {"N/(1 + A*cos(x))", "N/(A + sin(x))", "N/(A - cos(x))", "1/(A + tan(x))", "1/(A*sin(x) + cos(x))", "tan(A*x)",
      "1/sin(x + A)", "sin(x)/(1 - A*cos(x))^2", "cos(x)/(sin(x)^2 - A)", "1/(1 + A*sin(x)^2)", "1/cos(x - A)^2",
      "1/(A^2*cos(x)^2 + sin(x)^2)", "sin(A*x)*N", "abs(sin(x - A))", "abs(cos(x) - A)", "1/(2 + cos(x) + A*sin(x))"},
     {"0 pi", "0 2*pi", "0 pi/2", "-1 1", "0 1", "1 3", "-pi pi", "1/2 5"}},
    {"rational",
     {"N/(x - A)", "N/(x^2 - A)", "N/(x^2 + A*x + 1)", "1/(x^2 + 2*x - A)", "x/(x - A)^2", "1/((x - 1)*(x - A))",
      "N/(1 - A*x)", "1/(A*x^2 + 1)", "(x - A)/(x^2 + A^2)", "1/(x^3 - A)", "1/(x^4 - A)", "1/(x - A)^3"},
     {"0 1", "-1 1", "0 2", "1 3", "-2 1", "-3 3", "0 infinity", "1 infinity", "-infinity infinity"}},
    {"roots and powers",
     {"1/sqrt(x - A)", "sqrt(x^2 - A)", "1/sqrt(abs(x - A))", "sqrt(1 - A*x)", "x/sqrt(x^2 + A)", "1/(x*sqrt(x + A))",
      "1/((1 + x)*sqrt(abs(x - A)))", "abs(x - A)^(1/3)", "x^A", "x^A*(1 - x)", "1/(1 + x)^A", "abs(x - A)^(-3/2)",
      "1/sqrt(A + x^2)", "sqrt(abs(x^2 - A))"},
     {"0 1", "-1 1", "0 2", "1 3", "-2 1", "1 4"}},
    {"exponentials",
     {"N/(exp(x) - A)", "1/(A + exp(x))", "exp(-A*x)*N", "exp(-x)/(x - A)", "1/(cosh(x) - A)", "1/(sinh(x) + A)",
      "exp(x)/(exp(2*x) - A)", "tanh(x - A)", "1/tanh(x + A)", "exp(-abs(x - A))", "x*exp(-A*x^2)", "exp(-A*x^2)"},
     {"0 1", "-1 1", "0 2", "1 3", "0 infinity", "-infinity infinity", "1 infinity"}},
    {"pieces",
     {"abs(x - A)*N", "sign(x - A)*N", "floor(x - A)", "floor(A*x)", "max(x, A)*N", "min(x^2, A)", "heaviside(x - A)*N",
      "abs(x^2 - A)", "sign(x^2 - A)*x", "abs(x - A)/(1 + x^2)", "1/(1 + abs(x - A))", "sign(sin(x - A))",
      "round(x + A)", "fmod(x + A, 1)", "(x - A)*abs(x - 1)"},
     {"0 1", "-1 1", "0 2", "1 3", "-2 1", "0 5"}},
    {"logarithms",
     {"log(abs(x - A))", "log(x^2 + A^2)", "log(1 + A*x^2)", "1/(A + log(x))", "log(x)/(x + A)", "1/(x*log(x)^A)",
      "atan(A*x)", "atan(x - A)", "log(x + A)", "1/(x*(A - log(x)))", "log(abs(x^2 - A))", "atan(1/(x - A))"},
     {"0 1", "1 2", "0 2", "1 3", "2 5", "1/2 3"}},
    {"ends that move",
     {"N/(x - 2)",    "1/(x^2 - A)", "tan(x)",         "1/sqrt(abs(x))",  "log(x^2)",
      "abs(x - 1)*N", "floor(x)",    "1/(1 + cos(x))", "sign(x)*exp(x)",  "1/(exp(x) - 2)",
      "1/(1 + x^2)",  "sqrt(x + 2)", "x^(-1/3)",       "1/(x*(x + 1))",   "abs(sin(x))",
      "1/sin(x)",     "N*exp(-x)",   "x^2*cos(x)",     "1/sqrt(4 - x^2)", "atan(x)"},
     {"0 p", "p 2", "-p p", "1 p", "p p+1", "p 2*p", "-1 p^2", "p infinity"}},
    {"half line",
     {"exp(-A*x)*cos(x)",      "x^A*exp(-x)",
      "1/(x^2 + A^2)^2",       "log(x)/(x^2 + A^2)",
      "x^A/(1 + x)",           "(exp(-x) - exp(-A*x))/x",
      "exp(-x^2)*cos(A*x)",    "erf(A*x)*exp(-x^2)",
      "exp(-x)/sqrt(x + A^2)", "x/(exp(x) - A)",
      "exp(-A*x)*sin(x)^2",    "1/(1 + x^2)^A",
      "log(1 + A^2/x^2)",      "x^A/(1 + x^2)",
      "exp(-x - A/x)",         "1/(x^2 + 2*A*x + 1)",
      "(1 - exp(-A*x^2))/x^2", "exp(-A*x)*log(x)",
      "x^A/(exp(x) + 1)",      "1/((x + A)*sqrt(x))",
      "exp(-x)*abs(x - A)",    "exp(-x)*floor(x + A)",
      "atan(A*x)*exp(-x)",     "exp(-A*x)/(1 + x)",
      "1/cosh(A*x)",           "x/sinh(A*x)"},
     {"0 infinity"}}};

double end_of(const std::string& text, const Number& p) {
  if (text == "infinity") return std::numeric_limits<double>::infinity();
  if (text == "-infinity") return -std::numeric_limits<double>::infinity();
  return evaluate(parse(text), {{Symbol("p"), Expr(p)}}, Unused::allowed);
}

bool close(std::complex<double> claimed, double truth) {
  return std::abs(claimed - truth) <= 3e-6 * (1e-2 + std::abs(truth));
}

// A number for the parameter: simple ones too, at which closed forms have their exceptions.
Number parameter(test::Draw& draw) {
  if (draw.chance(15)) return Number(draw.whole(-2, 3));
  return Number(draw.whole(-350, 350), 97);
}

void one_case(int number, test::Counts& counts) {
  test::Draw draw(20261201, number);
  const Family& family = families[static_cast<std::size_t>(draw.whole(0, std::size(families) - 1))];
  std::string text = draw.filled(draw.pick(family.integrands), 'A', [&] {
    return draw.pick({"p", "p", "p", "2*p", "-p", "p + 1", "p/3", "p^2"});
  });
  text = draw.filled(text, 'N', [&] { return draw.pick({"1", "1", "x", "1 - x", "x^2", "2*x + 1"}); });
  const std::string range = draw.pick(family.ranges);
  const std::string from = range.substr(0, range.find(' '));
  const std::string to = range.substr(range.find(' ') + 1);
  const Expr f = parse(text);
  const bool with_numbers = draw.chance(20);  // the parameter is a number from the start
  CAPTURE(number);
  CAPTURE(text);
  CAPTURE(from);
  CAPTURE(to);
  const Symbol p("p");
  test::Outcome& outcome = counts[with_numbers ? std::string(family.category) + ", numbers" : family.category];
  const Number fixed = parameter(draw);
  const auto at_fixed = [&](const Expr& e) {
    return with_numbers ? substitute(e, {{p, Expr(fixed)}}, Unused::allowed) : e;
  };
  const auto found =
      test::attempted(outcome, [&] { return integrate(at_fixed(f), x, at_fixed(parse(from)), at_fixed(parse(to))); });
  if (!found) return;
  const IntegralResult& r = *found;
  int answered = 0;
  int decided = 0;
  for (int trial = 0; trial < (with_numbers ? 1 : 5); ++trial) {
    const Number q = with_numbers ? fixed : parameter(draw);
    const double at = q.to_double();
    CAPTURE(at);
    CAPTURE(to_text(r.value));
    std::optional<std::complex<double>> claimed;
    CHECK_NOTHROW(claimed = test::claimed_at(r, q));
    if (!claimed) continue;
    ++answered;
    const test::Judgement truth = test::subdivided(test::function_of_x(substitute(f, {{p, Expr(q)}}, Unused::allowed)),
                                                   end_of(from, q), end_of(to, q));
    if (truth.kind == test::Judgement::unknown) continue;
    ++decided;
    const bool diverges = truth.kind == test::Judgement::divergent;
    const bool right = std::isnan(claimed->real()) ? diverges : !diverges && close(*claimed, truth.value);
    CAPTURE(*claimed);
    CAPTURE(diverges);
    CAPTURE(truth.value);
    CHECK(right);
    if (!right) {
      ++outcome.wrong;
      return;
    }
  }
  ++(answered == 0 ? outcome.unevaluated : decided == 0 ? outcome.undecided : outcome.right);
}

TEST_CASE("search: definite integrals with poles, jumps and branch points that move with a parameter") {
  test::search(test::cases(40, 6000, 6), one_case);
}

TEST_CASE("the witness of the search sees poles, jumps and divergence") {
  const auto judged = [](double (*f)(double), double a, double b) { return test::subdivided(f, a, b); };
  CHECK(judged([](double t) { return 1 / (1 + 2 * std::cos(t)); }, 0, 6.283185307179586).kind ==
        test::Judgement::divergent);
  CHECK(judged([](double t) { return std::tan(t); }, 0, 2).kind == test::Judgement::divergent);
  CHECK(judged([](double t) { return 1 / t; }, 1, INFINITY).kind == test::Judgement::divergent);
  CHECK(judged([](double t) { return 1 / (t * t); }, 0, 1).kind == test::Judgement::divergent);
  const auto root = judged([](double t) { return 1 / std::sqrt(std::abs(t - 0.3)); }, 0, 1);
  CHECK(root.kind == test::Judgement::number);
  CHECK(root.value == doctest::Approx(2 * (std::sqrt(0.3) + std::sqrt(0.7))).epsilon(1e-7));
  const auto jump = judged([](double t) { return t < 0.123 ? 1.0 : -2.0; }, 0, 1);
  CHECK(jump.value == doctest::Approx(0.123 - 2 * 0.877).epsilon(1e-9));
  const auto bell = judged([](double t) { return std::exp(-t * t); }, -INFINITY, INFINITY);
  CHECK(bell.value == doctest::Approx(std::sqrt(3.141592653589793)).epsilon(1e-9));
}

}  // namespace definite_search
