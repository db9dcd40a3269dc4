// SPDX-License-Identifier: MIT
// Limits and series know from which side they hold: at kinks, jumps, branch points and branch cuts.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <random>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

namespace {

std::complex<double> at(const Expr& e, double place) {
  const Enclosure v = certify(e, {{x, Number::exact(place)}}, 17, Unused::allowed);
  return {std::stod(v.real), v.imaginary.empty() ? 0 : std::stod(v.imaginary)};
}

// Whether the error of the series falls on this side like the power it claims (or is rounding).
bool falls(const SeriesResult& s, const Expr& f, double about, int side) {
  const Expr sum = s.expression();
  double errors[2];
  double size = 0;
  int i = 0;
  for (const double h : {0.02, 0.005}) {
    const auto value = at(f, about + side * h);
    errors[i++] = std::abs(value - at(sum, about + side * h));
    size = std::max(size, std::abs(value));
  }
  if (errors[1] <= 1e-11 * (1 + size)) return true;
  return !s.exact && std::log(errors[0] / errors[1]) / std::log(4) > s.next.to_double() - 0.8;
}

bool holds(const SeriesResult& s, const Expr& f, double about) {
  return (s.side == LimitSide::below || falls(s, f, about, 1)) &&
         (s.side == LimitSide::above || falls(s, f, about, -1));
}

}  // namespace

TEST_CASE("series: the side on which they hold") {
  struct Row {
    const char* f;
    int about;
    LimitSide side;
  };
  const Row rows[] = {{"exp(x)", 0, LimitSide::both},           {"cos(x)/(1 + x)", 0, LimitSide::both},
                      {"sqrt(x^2)", 0, LimitSide::above},       {"sqrt(x^2 + x^3)", 0, LimitSide::above},
                      {"abs(x)*exp(x)", 0, LimitSide::above},   {"abs(x)^2", 0, LimitSide::both},
                      {"sign(x)*cos(x)", 0, LimitSide::above},  {"acos(x)", 1, LimitSide::below},
                      {"asin(x)", 1, LimitSide::below},         {"asin(x)", -1, LimitSide::both},
                      {"acosh(x)", 1, LimitSide::both},         {"sqrt(1 - cos(x))", 0, LimitSide::above},
                      {"floor(x) + x^2", 0, LimitSide::above},  {"atan(1/x)", 0, LimitSide::above},
                      {"log(1 + abs(x))", 0, LimitSide::above}, {"log(-1 + 1i*x)", 0, LimitSide::above},
                      {"sqrt(-1 - 1i*x)", 0, LimitSide::above}, {"(-1 + 1i*x)^(1/3)", 0, LimitSide::above},
                      {"log(2 - 1i*x)", 0, LimitSide::both}};
  for (const Row& r : rows) {
    const std::string text = r.f;
    CAPTURE(text);
    const Expr f = parse(r.f);
    const SeriesResult s = series(f, x, r.about, 3);
    CHECK(s.side == r.side);
    CHECK(s.conditions.size() == (r.side == LimitSide::both ? 0 : 1));
    CHECK(holds(s, f, r.about));
    CHECK(check_series(s, f, x, r.about).points > 0);
    for (const LimitSide side : {LimitSide::above, LimitSide::below}) {
      const SeriesResult one = series(f, x, r.about, 3, {}, side);
      CHECK(one.side == side);
      CHECK(holds(one, f, r.about));
    }
  }
}

TEST_CASE("series: 200 random functions with kinks and jumps, each side they claim") {
  std::mt19937_64 random(77);
  const auto pick = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
  const char* const inner[] = {"x", "2*x - x^2", "sin(x)", "exp(x) - 1", "x^2 + x", "log(1 + x)", "-x"};
  const char* const kinks[] = {
      "abs(u)",          "sign(u)*v",     "sqrt(u^2)*v",    "max(u, v - 1)",    "abs(u)*v",
      "sqrt(u^2 + u^4)", "min(u, 0) + v", "heaviside(u)*v", "abs(u)^3 + v",     "v/(1 + abs(u))",
      "exp(-abs(u))",    "cos(abs(u))",   "u*abs(u)",       "sqrt(1 + abs(u))", "v^2"};
  int sided = 0;
  int found = 0;
  for (int k = 0; k < 200; ++k) {
    const Expr u = parse(inner[pick(std::size(inner))]);
    const Expr v = parse(inner[pick(std::size(inner))]) + 1;
    const Expr f =
        substitute(parse(kinks[pick(std::size(kinks))]), {{Symbol("u"), u}, {Symbol("v"), v}}, Unused::allowed);
    CAPTURE(to_text(f));
    try {
      const SeriesResult s = series(f, x, 0, 3);
      ++found;
      sided += s.side == LimitSide::both ? 0 : 1;
      CHECK(holds(s, f, 0));
    } catch (const Error& e) {
      CHECK(e.kind() == ErrorKind::unsupported);
    }
  }
  CHECK(found > 150);
  CHECK(sided > 60);
}

TEST_CASE("limits at branch cuts take the side on which the argument arrives") {
  struct Row {
    const char* f;
    LimitSide side;
    const char* value;
  };
  const Row rows[] = {
      {"log(-1 + 1i*x)", LimitSide::above, "1i*pi"},           {"log(-1 + 1i*x)", LimitSide::below, "-1i*pi"},
      {"log(-2 - 1i*x)", LimitSide::above, "log(2) - 1i*pi"},  {"sqrt(-1 + 1i*x)", LimitSide::below, "-1i"},
      {"sqrt(-4 - 1i*x^2)", LimitSide::above, "-2i"},          {"log(-1 - 1i*x^2)", LimitSide::both, "-1i*pi"},
      {"(-1 - 1i*x)^(1/3)", LimitSide::above, "exp(-1i*pi/3)"}};
  for (const Row& r : rows) {
    CAPTURE(r.f);
    const Expr v = limit(parse(r.f), x, 0, r.side);
    CHECK(std::abs(evaluate_complex(v - parse(r.value))) < 1e-12);
  }
  CHECK(limit(parse("sqrt(-1 + 1i*x)"), x, 0).is_constant(ConstantCode::undefined));
  CHECK(limit(parse("log(-1 + 1i*x)"), x, 0).is_constant(ConstantCode::undefined));
}

TEST_CASE("that a function oscillates is not said where its values settle") {
  const Symbol n("n", {Assumption::integer});
  for (const char* f :
       {"sin(sqrt(x + 1)) - sin(sqrt(x))", "sqrt(x + 1)*sin(x) - sqrt(x)*sin(x)", "sin(x + 1/x) - sin(x)"}) {
    CAPTURE(f);
    try {
      const Expr v = limit(parse(f), x, infinity());
      CHECK(v.is_integer(0));
    } catch (const Error& e) {
      CHECK(e.kind() == ErrorKind::unsupported);
    }
  }
  CHECK(limit(sin(pi() * n), n, infinity()).is_integer(0));
  CHECK(limit(cos(2 * pi() * n), n, infinity()).is_integer(1));
  CHECK(limit(sin(pi() * sqrt(n * n + 1)), n, infinity()).is_integer(0));
  CHECK(limit(sin(x), x, infinity()).is_constant(ConstantCode::undefined));
  CHECK(limit(sin(1 / x), x, 0).is_constant(ConstantCode::undefined));
  CHECK(limit(sin(log(x)), x, infinity()).is_constant(ConstantCode::undefined));
  CHECK(limit(cos(n), n, infinity()).is_constant(ConstantCode::undefined));
}
