// SPDX-License-Identifier: MIT
// Wrong answers that a witness would pass that looks at real parts only, at the ends of a range only, from one side
// only, or at too few places. Each is shown to pass the weak one, and has to be refuted by that of the library.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <optional>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/sampling.hpp"
#include "boreon/series.hpp"
#include "boreon/text.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/joints.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/series/limit_witness.hpp"
#include "core/one_variable.hpp"

using namespace boreon;

namespace weak_witness {

std::complex<double> at(const Expr& e, double place) {
  return evaluate_complex(e, {{x, Number::exact(place)}}, Unused::allowed);
}

// The midpoint rule.
std::complex<double> added_up(const Expr& f, double a, double b, int parts) {
  std::complex<double> sum = 0;
  for (int i = 0; i < parts; ++i) sum += at(f, a + (b - a) * (i + 0.5) / parts);
  return sum * (b - a) / static_cast<double>(parts);
}

TEST_CASE("definite integrals: what the ends, real parts or a few places do not tell") {
  struct Row {
    const char* f;
    const char* from;
    const char* to;
    const char* wrong;
    const char* antiderivative;  // whose difference it is, for a witness of the ends
    int places;  // of the midpoint rule, for one of a few places; its real part only where there are many
  };
  const Row rows[] = {
      {"1/x^2", "-1", "1", "-2", "-1/x", 0},
      {"1/(1 + 2*cos(x))", "0", "2*pi", "0", "log(abs((sqrt(3) + tan(x/2))/(sqrt(3) - tan(x/2))))/sqrt(3)", 0},
      {"sqrt(1 + cos(x))", "0", "2*pi", "0", "2*sin(x)/sqrt(1 + cos(x))", 0},
      {"1/(2 + cos(x))", "0", "2*pi", "0", "2*atan(tan(x/2)/sqrt(3))/sqrt(3)", 0},
      {"exp(1i*x)", "0", "1", "sin(1) - 1i*(1 - cos(1))", "", 500},
      {"1/(x - 1i)", "-1", "2", "log(5/2)/2 - 1i*atan(3)", "", 500},
      {"exp(-500000*(x - 1/3)^2)", "0", "1", "0", "", 7},
      {"x + exp(-500000*(x - 1/3)^2)", "0", "1", "1/2", "", 7},
      {"sin(40*pi*x)^2", "0", "1", "0", "", 20}};
  for (const Row& r : rows) {
    CAPTURE(r.f);
    const Expr f = parse(r.f);
    const Expr wrong = parse(r.wrong);
    const std::complex<double> value = evaluate_complex(wrong);
    const double a = evaluate(parse(r.from));
    const double b = evaluate(parse(r.to));
    if (r.places == 0) {
      const Expr F = parse(r.antiderivative);
      CHECK(at(F, b - 1e-9).real() - at(F, a + 1e-9).real() == doctest::Approx(value.real()).scale(1).epsilon(1e-4));
    } else {
      // places at which sin(40*pi*x) vanishes, or between which a narrow peak lies
      const double shift = r.places == 20 ? 0.5 / 20 * (b - a) : 0;
      const auto sum = added_up(substitute(f, {{x, x - Expr(Number::exact(shift))}}), a, b, r.places);
      CHECK(sum.real() == doctest::Approx(value.real()).scale(1).epsilon(1e-3));
    }
    CHECK(check_definite(f, x, parse(r.from), parse(r.to), wrong, {}).verdict != Verdict::agrees);
  }
}

TEST_CASE("principal values: an imaginary part too much, and one pole of two forgotten") {
  const auto verdict = [](const char* f, const char* from, const char* to, const char* value) {
    return check_principal(parse(f), x, parse(from), parse(to), parse(value), {}).verdict;
  };
  CHECK(verdict("1/(x - 1)", "0", "3", "log(2)") == Verdict::agrees);
  CHECK(verdict("1/(x - 1)", "0", "3", "log(2) + 1i*pi") != Verdict::agrees);
  CHECK(verdict("1/(x - 1) + 1/(x - 2)", "0", "5", "log(4)") != Verdict::agrees);
  CHECK(verdict("exp(x)/(x - 1)", "0", "2", "exp(2) - 1") != Verdict::agrees);
}

TEST_CASE("antiderivatives: derivatives at random places do not see jumps") {
  struct Row {
    const char* f;
    const char* F;
  };
  for (const Row& r : {Row{"1/(2 + cos(x))", "2*atan(tan(x/2)/sqrt(3))/sqrt(3)"}, Row{"cos(x)", "sin(x) + sign(x - 2)"},
                       Row{"sqrt(1 + cos(x))", "2*sin(x)/sqrt(1 + cos(x))"}, Row{"1/x", "log(x)"}}) {
    CAPTURE(r.f);
    const Expr f = parse(r.f);
    const Expr F = parse(r.F);
    CHECK(check_antiderivative(f, F, x, {}, 6, 1).verdict == Verdict::agrees);
    CHECK(fault_on_the_line(f, F, x, {}, {}).kind != LineFault::Kind::none);
  }
  CHECK(check_antiderivative(parse("exp(1i*x)"), parse("sin(x) + 1i*cos(x)"), x, {}, 6, 1).verdict != Verdict::agrees);
}

TEST_CASE("limits: real parts that agree, a side that is not looked at") {
  const auto refuted = [](const char* f, int direction, const char* value) {
    LimitResult r;
    r.value = parse(value);
    try {
      compare_nearby(parse(f), x, 0, direction, r, {});
    } catch (const Error& e) {
      return e.kind() == ErrorKind::check;
    }
    return false;
  };
  struct Row {
    const char* f;
    int direction;
    const char* wrong;
  };
  for (const Row& r :
       {Row{"sqrt(-1 - 1i*x)", 1, "1i"}, Row{"log(-1 - 1i*x)", 1, "1i*pi"},
        Row{"exp(1i*(pi/3 + x))", 1, "exp(-1i*pi/3)"}, Row{"asin(2 + 1i*x)", 1, "pi/2 - 1i*log(2 + sqrt(3))"}}) {
    CAPTURE(r.f);
    const double near = at(parse(r.f), 1e-9 * r.direction).real();
    CHECK(near == doctest::Approx(evaluate_complex(parse(r.wrong)).real()).scale(1).epsilon(1e-6));
    CHECK(refuted(r.f, r.direction, r.wrong));
  }
  CHECK(refuted("abs(x)/x", -1, "1"));
  CHECK_FALSE(refuted("abs(x)/x", 1, "1"));
}

TEST_CASE("series: imaginary parts, the other side, a coefficient of a high power") {
  const auto refuted = [](const SeriesResult& s, const char* f) {
    try {
      (void)check_series(s, parse(f), x, 0);
    } catch (const Error& e) {
      return e.kind() == ErrorKind::check;
    }
    return false;
  };
  SeriesResult cut = series(parse("log(-1 - 1i*x)"), x, 0, 3, {}, LimitSide::above);
  CHECK_FALSE(refuted(cut, "log(-1 - 1i*x)"));
  cut.terms[0].coefficient = conjugate(cut.terms[0].coefficient);
  CHECK(refuted(cut, "log(-1 - 1i*x)"));
  SeriesResult kink = series(parse("abs(x)*cos(x)"), x, 0, 3);
  CHECK(kink.side == LimitSide::above);
  kink.side = LimitSide::both;
  CHECK(refuted(kink, "abs(x)*cos(x)"));
  SeriesResult wave = series(parse("cos(x)"), x, 0, 6);
  CHECK_FALSE(refuted(wave, "cos(x)"));
  wave.terms.back().coefficient = wave.terms.back().coefficient * Number(5, 4);
  CHECK(refuted(wave, "cos(x)"));
}

TEST_CASE("truth of conditions has three values") {
  CHECK(known_truth(parse("3 < 4")) == true);
  CHECK(known_truth(parse("3*pi/2 < 1")) == false);
  CHECK(known_truth(parse("a < 1")) == std::nullopt);
  CHECK(known_truth(parse("a < 1 and pi < 3")) == false);
  CHECK(known_truth(parse("a < 1 or pi > 3")) == true);
  CHECK(known_truth(parse("a < 1 or pi < 3")) == std::nullopt);
  CHECK(known_truth(parse("not (a < 1)")) == std::nullopt);
  CHECK(known_truth(parse("not (pi < 3)")) == true);
  CHECK(known_truth(parse("sqrt(1 - pi) > 0")) == false);
  CHECK_FALSE(is_false(parse("not (a < 1)")));
}

}  // namespace weak_witness
