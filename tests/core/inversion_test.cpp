// SPDX-License-Identifier: MIT
// Inverse Laplace transforms by contours: as witness, and as numbers.
#include <doctest/doctest.h>

#include <cmath>
#include <string>

#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/transform.hpp"
#include "transforms/witness.hpp"

using namespace boreon;

namespace inversion_test {

static const Symbol t("t"), s("s"), a("a");

static Expr read(const char* text) { return parse(text); }

static bool same_function(const Expr& p, const Expr& q) {
  const Comparison c = compare(p, q);
  return c.agrees && (c.points > 0 || p == q);
}

struct Pair {
  const char* time;
  const char* image;
};

TEST_CASE("inverse transforms with singular places far from the origin") {
  // what contours at times near 1 do not go around
  const Pair far[] = {{"sin(20*t)/20", "1/(s^2 + 400)"},
                      {"exp(30*t)", "1/(s - 30)"},
                      {"exp(6*t)*sin(30*t)/30", "1/((s - 6)^2 + 900)"},
                      {"cos(200*t)", "s/(s^2 + 40000)"},
                      {"exp(-t)*cos(3*sqrt(111)*t)", "(s + 1)/(s^2 + 2*s + 1000)"},
                      {"cyl_bessel_j(0, 50*t)", "1/sqrt(s^2 + 2500)"},
                      {"sin(80*t)/t", "atan(80/s)"},
                      {"exp(-50*t)", "1/(s + 50)"},
                      {"sin(100000*t)/100000", "1/(s^2 + 10^10)"},
                      {"cosh(25*t)", "s/(s^2 - 625)"},
                      {"10*exp(-100/t)/(sqrt(pi)*t^(3/2))", "exp(-20*sqrt(s))"}};
  for (const Pair& p : far) {
    CAPTURE(std::string(p.image));
    const TransformResult r = inverse_laplace_transform(read(p.image), s, t);
    CAPTURE(r.reason);
    REQUIRE(r.status == TransformStatus::exact);
    CHECK(same_function(r.value, read(p.time)));
  }
}

TEST_CASE("wrong inverses are seen by contours, early and late") {
  const Pair wrong[] = {{"sin(20*t)/20*(1 + 1/10000)", "1/(s^2 + 400)"},
                        {"sin(21*t)/21", "1/(s^2 + 400)"},
                        {"exp(29*t)", "1/(s - 30)"},
                        {"0*t", "1/(s - 30)"},
                        {"exp(-t) + t^6*exp(-3*t)/1000", "1/(s + 1)"},
                        {"cyl_bessel_j(0, 49*t)", "1/sqrt(s^2 + 2500)"},
                        {"t", "1/s^2 + 1/s^3"}};
  for (const Pair& p : wrong) {
    CAPTURE(std::string(p.image));
    CAPTURE(std::string(p.time));
    const Evidence e = transforms::check_by_inversion(read(p.image), s, read(p.time), t, {}, {});
    CHECK(e.verdict != Verdict::agrees);
  }
}

TEST_CASE("inverse transforms as numbers: beside closed forms, within the error that is said") {
  const double times[] = {0.2, 0.9, 2.3, 6};
  const Pair known[] = {{"exp(-t)", "1/(s + 1)"},
                        {"t^3", "6/s^4"},
                        {"1/sqrt(pi*t)", "1/sqrt(s)"},
                        {"sin(20*t)/20", "1/(s^2 + 400)"},
                        {"cyl_bessel_j(0, t)", "1/sqrt(s^2 + 1)"},
                        {"heaviside(t - 1)*sin(t - 1)", "exp(-s)/(s^2 + 1)"},
                        {"exp(-1/(4*t))/(2*sqrt(pi)*t^(3/2))", "exp(-sqrt(s))"},
                        {"exp(2*t)", "1/(s - 2)"},
                        {"erfc(1/(2*sqrt(t)))", "exp(-sqrt(s))/s"}};
  for (const Pair& p : known) {
    CAPTURE(std::string(p.image));
    const NumericInversion found = inverse_laplace_values(read(p.image), s, times);
    CHECK(found.check.verdict == Verdict::agrees);
    REQUIRE(found.values.size() == 4);
    for (const InvertedValue& v : found.values) {
      const double expected = evaluate(read(p.time), Bindings{{t, Number::exact(v.t)}}, Unused::allowed);
      CAPTURE(v.t);
      CHECK(std::abs(v.value - expected) <= 20 * v.error + 1e-9 * (1 + std::abs(expected)));
      CHECK(std::abs(v.value - expected) <= 1e-5 * (1 + std::abs(expected)));
    }
  }
  // no closed form, and a periodic one whose image has poles without end
  CHECK(inverse_laplace_values(read("1/(s + log(s + 2))"), s, times).check.verdict == Verdict::agrees);
  const double one[] = {1};
  // a pole to the right of the first line is found by moving it, one far up the imaginary axis may not be: then it is said
  CHECK(inverse_laplace_values(read("1/(s - 30)"), s, one).values[0].value == doctest::Approx(std::exp(30)).epsilon(1e-4));
  CHECK(inverse_laplace_values(read("1/(s^2 + 10^12)"), s, one).check.verdict != Verdict::agrees);
  CHECK(inverse_laplace_values(read("a/(s + a)"), s, one, Bindings{{a, 2}}).values[0].value ==
        doctest::Approx(2 * std::exp(-2)));
  CHECK_THROWS_AS((void)inverse_laplace_values(read("1/(s + a)"), s, one), Error);
  const double early[] = {0.0};
  CHECK_THROWS_AS((void)inverse_laplace_values(read("1/s"), s, early), Error);
}

TEST_CASE("a small part with a singular place far out: missed by contours, seen by quadrature") {
  const Expr image = read("s/(s^2 + 1) + 1/((s + 1)^2 + 250000)");
  CHECK(transforms::check_pair(read("cos(t)"), t, image, s, {}, {}, {}).verdict == Verdict::disagrees);
}

}  // namespace inversion_test
