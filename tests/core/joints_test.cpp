// SPDX-License-Identifier: MIT
// Antiderivatives across their joints: no jump where the integrand is regular, no complex values of real integrands.
// The witness adds up the integrand by a rule of its own, in double precision.
#include <doctest/doctest.h>
#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <random>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/program.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/counted.hpp"
#include "calculus/integral/inside.hpp"
#include "calculus/integral/joints.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

namespace {

// Instrumented builds are an order of magnitude slower; they look for memory errors, not for rare mathematics.
#if defined(BOREON_SANITIZES_ADDRESSES) || defined(BOREON_SANITIZES_THREADS)
constexpr int integrands = 12;
#else
constexpr int integrands = 120;
#endif

double at(const Expr& e, double place) { return evaluate(e, {{x, place}}); }

// Simpson's rule on ever shorter pieces, down to those at which a jump no longer counts.
double added_up(const std::function<double(double)>& f, double a, double b) {
  const std::function<double(double, double, double, double, double, int)> piece =
      [&](double low, double high, double at_low, double at_middle, double at_high, int depth) -> double {
    const double middle = (low + high) / 2;
    const double left = f((low + middle) / 2);
    const double right = f((middle + high) / 2);
    const double coarse = (high - low) / 6 * (at_low + 4 * at_middle + at_high);
    const double fine = (high - low) / 12 * (at_low + 4 * left + 2 * at_middle + 4 * right + at_high);
    if (depth == 0 || std::abs(fine - coarse) < 1e-11) return fine + (fine - coarse) / 15;
    return piece(low, middle, at_low, left, at_middle, depth - 1) +
           piece(middle, high, at_middle, right, at_high, depth - 1);
  };
  double total = 0;
  constexpr int parts = 97;  // so that no symmetry of the integrand hides it
  for (int i = 0; i < parts; ++i) {
    const double low = a + (b - a) * i / parts;
    const double high = a + (b - a) * (i + 1) / parts;
    total += piece(low, high, f(low), f((low + high) / 2), f(high), 30);
  }
  return total;
}

struct Count {
  int right = 0;
  int unevaluated = 0;
  int wrong = 0;
};

void judge(const std::string& text, std::mt19937& random, Count& count) {
  const Expr f = parse(text);
  const IntegralResult r = integrate(f, x);
  if (r.status != IntegralStatus::exact) {
    CHECK(r.value.is(Kind::integral));
    ++count.unevaluated;
    return;
  }
  const Kernel k = compile({OutputGroup("f", {f}), OutputGroup("F", {r.value})}, {InputGroup("x", {x})});
  const auto value = [&](double place, std::size_t which) {
    double out[2];
    const double* in[] = {&place};
    double* to[] = {&out[0], &out[1]};
    k(in, to);
    return out[which];
  };
  for (int pair = 0; pair < 3; ++pair) {
    std::uniform_real_distribution<double> place(-11, 11);
    const double a = place(random);
    const double b = place(random);
    const double truth = added_up([&](double t) { return value(t, 0); }, a, b);
    if (!std::isfinite(truth)) continue;
    const double change = value(b, 1) - value(a, 1);
    CAPTURE(text);
    CAPTURE(to_text(r.value));
    CAPTURE(a);
    CAPTURE(b);
    CHECK(change == doctest::Approx(truth).epsilon(1e-7).scale(1 + std::abs(truth)));
    if (!(std::abs(change - truth) <= 1e-7 * (1 + std::abs(truth)))) {
      ++count.wrong;
      return;
    }
  }
  ++count.right;
}

}  // namespace

TEST_CASE("random integrands with joints: antiderivatives do not jump") {
  std::mt19937 random(20261129);
  const auto pick = [&](std::initializer_list<const char*> list) {
    return std::string(list.begin()[random() % list.size()]);
  };
  Count count;
  for (int i = 0; i < integrands; ++i) {
    const std::string angle = pick({"x", "2*x", "x/2", "x + 1", "3*x - 2", "-x", "pi*x/3"});
    const std::string size = pick({"2", "3", "5/2", "7", "4/3"});
    const std::string factor = pick({"", "", "x*", "x^2*", "exp(-x/3)*", "(1 - x)*"});
    const std::string wave = pick({"floor(@)",
                                   "ceil(@)",
                                   "round(@)",
                                   "(@ - floor(@))^2",
                                   "abs(sin(@))",
                                   "abs(cos(@))",
                                   "sign(sin(@))",
                                   "sign(cos(@))",
                                   "asin(sin(@))",
                                   "acos(cos(@))",
                                   "atan(tan(@))",
                                   "asin(cos(@))",
                                   "acos(sin(@))",
                                   "sqrt(1 + sin(@))",
                                   "sqrt(1 - sin(@))",
                                   "sqrt(1 + cos(@))",
                                   "sqrt(3 - 3*cos(@))",
                                   "max(sin(@), 0)",
                                   "min(cos(@), 0)",
                                   "heaviside(sin(@))",
                                   "abs(sin(@))^3",
                                   "sqrt(sin(@)^2)",
                                   "1/(# + tan(@)^2)",
                                   "1/(# + sin(@))",
                                   "1/(# + cos(@))",
                                   "1/(1 + #*sin(@)^2)",
                                   "cos(@)*log(# + cos(@))",
                                   "sin(@)*atan(#*tan(@))",
                                   "cos(@)*atan(#*tan(@))",
                                   "1/(#^2*cos(@)^2 + sin(@)^2)"});
    std::string text = factor;
    for (const char c : wave) text += c == '@' ? "(" + angle + ")" : c == '#' ? size : std::string(1, c);
    judge(text, random, count);
  }
  CHECK(count.wrong == 0);
  MESSAGE(count.right << " right, " << count.unevaluated << " unevaluated");
  CHECK(count.right >= 2 * integrands / 3);
}

TEST_CASE("a walk along the line sees jumps and complex values, and passes poles of the integrand over") {
  struct Row {
    const char* f;
    const char* F;
    LineFault::Kind fault;
  };
  using Kind = LineFault::Kind;
  const Row rows[] = {{"sqrt(1 + cos(x))", "2*sin(x)/sqrt(1 + cos(x))", Kind::jump},
                      {"1/(2 + cos(x))", "2*atan(tan(x/2)/sqrt(3))/sqrt(3)", Kind::jump},
                      {"(x - floor(x))^2", "(x - floor(x))^3/3", Kind::jump},
                      {"1/x", "log(x)", Kind::unreal},
                      {"1/x", "log(abs(x))", Kind::none},
                      {"1/x^2", "-1/x + sign(x)", Kind::none},
                      {"1/cos(x)^2", "tan(x)", Kind::none},
                      {"abs(x)", "x*abs(x)/2", Kind::none},
                      {"cos(x)", "sin(x) + sign(x - 7)/1000", Kind::jump},
                      {"sqrt(x)", "2*x^(3/2)/3", Kind::none},
                      {"log(x)", "x*log(x) - x", Kind::none}};
  for (const Row& row : rows) {
    CAPTURE(row.f);
    CAPTURE(row.F);
    CHECK(fault_on_the_line(parse(row.f), parse(row.F), x, {}, 1).kind == row.fault);
  }
}

TEST_CASE("real antiderivatives of real integrands, also where arguments change their sign") {
  for (const char* f : {"cos(3*x)/x", "sin(x)^2/x", "cosh(x)/x", "exp(-x)/x", "exp(-1/x^2)", "x*exp(-1/x^2)"}) {
    const IntegralResult r = integrate(parse(f), x);
    CAPTURE(f);
    CAPTURE(to_text(r.value));
    REQUIRE(r.status == IntegralStatus::exact);
    for (const auto& [a, b] : {std::pair(0.3, 2.0), std::pair(-2.0, -0.3)}) {
      const double truth = added_up([&](double t) { return at(parse(f), t); }, a, b);
      CHECK(at(r.value, b) - at(r.value, a) == doctest::Approx(truth).epsilon(1e-8));
    }
  }
  const Expr F = integral(parse("exp(-1/x^2)"), x);
  CHECK(at(F, 1e-3) == doctest::Approx(at(F, -1e-3)).epsilon(1e-9));
}

TEST_CASE("pieces are numbered, and what joins them is a sum in closed form") {
  Signs signs;
  Integrator in(signs);
  const auto pieces = counted_pieces(in, parse("x*floor(2*x + 1/3) + ceil(2*x + 4/3)"), x);
  REQUIRE(pieces);
  // either of the two arguments may number the pieces
  CHECK(is_integer(pieces->argument - parse("2*x + 1/3")));
  CHECK(pieces->odd == Expr(0));
  const Expr back = substitute(pieces->even, {{pieces->number, floor(pieces->argument)}});
  for (const double at_x : {-1.9, -0.4, 0.1, 0.6, 2.2}) {
    CHECK(at(back, at_x) == doctest::Approx(at(parse("x*floor(2*x + 1/3) + ceil(2*x + 4/3)"), at_x)));
  }
  CHECK(!counted_pieces(in, parse("floor(x) + floor(3*x)"), x));
  CHECK(!counted_pieces(in, parse("floor(x^2)"), x));
  CHECK(!counted_pieces(in, parse("abs(sin(x)) + abs(x)"), x));
  const Symbol k("k", {Assumption::integer});
  const Symbol s("s", {Assumption::nonzero});
  // cos(3*pi*k + 1) = (-1)^k cos(1); the square of a sign is one
  const Alternating a = alternating(k * cos(3 * pi() * k + 1) + power(s, 2) * sin(2 * pi() * k + 2), k, s);
  CHECK(a.even == sin(Expr(2)));
  CHECK(a.odd == k * cos(Expr(1)));
  const auto t = jumps_taken_back(in, power(k, 2), k, k);
  REQUIRE(t);
  for (const int number : {-4, -1, 0, 1, 2, 5}) {
    const auto value = [&](int i) { return evaluate(*t, {{k, i}}); };
    const double jump = number * number + (number % 2 == 0 ? number : -number);
    CHECK(value(number) - value(number - 1) == doctest::Approx(-jump));
  }
  CHECK(evaluate(*t, {{k, 0}}) == doctest::Approx(0));
}

TEST_CASE("antiderivatives with joints have values at the joints") {
  for (const char* f : {"abs(sin(x))", "sqrt(1 + cos(x))", "acos(cos(x))", "(x - floor(x))^2", "x*sign(cos(x))"}) {
    const IntegralResult r = integrate(parse(f), x);
    CAPTURE(f);
    REQUIRE(r.status == IntegralStatus::exact);
    for (const double joint : {0.0, 1.0, std::acos(-1.0), std::acos(-1.0) / 2, -3.0}) {
      const double here = at(r.value, joint);
      CHECK(here == doctest::Approx(at(r.value, joint - 1e-9)).epsilon(1e-7));
      CHECK(here == doctest::Approx(at(r.value, joint + 1e-9)).epsilon(1e-7));
    }
  }
}
