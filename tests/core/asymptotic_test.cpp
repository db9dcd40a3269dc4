// SPDX-License-Identifier: MIT
// Expansions at infinity: exponentials in front, waves in the coefficients, and errors that fall as they claim.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
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

// The error over the factor in front: the largest at some places, since waves have zeros.
double error_near(const SeriesResult& s, const Expr& f, double place) {
  const Expr difference = (f - s.expression()) / s.factor;
  double worst = 0;
  for (const double stretch : {1.0, 1.07, 1.13}) {
    try {
      const Enclosure e = certify(difference, {{x, Number::exact(place * stretch)}}, 12, Unused::allowed);
      const double im = e.imaginary.empty() ? 0 : std::strtod(e.imaginary.c_str(), nullptr);
      worst = std::max(worst, std::hypot(std::strtod(e.real.c_str(), nullptr), im));
    } catch (const Error& error) {
      if (error.kind() != ErrorKind::convergence) throw;  // zero to all digits
    }
  }
  return worst;
}

void require_claimed_order(const std::string& text, int order) {
  CAPTURE(text);
  CAPTURE(order);
  const Expr f = parse(text);
  const SeriesResult s = series(f, x, infinity(), order);
  CAPTURE(to_text(s.expression()));
  const double far = error_near(s, f, 40);
  const double farther = error_near(s, f, 160);
  if (s.exact) {
    CHECK(farther <= 1e-60);
  } else {
    CHECK(s.next.to_double() > order);
    // two powers of the logarithm to spare
    CHECK((farther <= 1e-60 || std::log(far / farther) / std::log(4) > s.next.to_double() - 0.9));
  }
}

}  // namespace

TEST_CASE("series at infinity: the error falls with the order claimed, at any order") {
  for (const char* f : {"exp(x)*E1(x)",
                        "E1(x)",
                        "Ei(x)",
                        "exp(x^2)*erfc(x)",
                        "erfc(x)",
                        "erf(x)",
                        "erfi(x)",
                        "dawson(x)",
                        "Shi(x)",
                        "Chi(x)",
                        "Si(x)",
                        "Ci(x)",
                        "fresnel_S(x)",
                        "fresnel_C(x)",
                        "gamma(x)",
                        "gamma(x + 1/2)/gamma(x)",
                        "lgamma(x)",
                        "lgamma(x + 1)",
                        "digamma(x + 1)",
                        "polygamma(2, x)",
                        "cyl_bessel_j(0, x)",
                        "cyl_neumann(1, x)",
                        "cyl_bessel_i(2, x)",
                        "cyl_bessel_k(0, x)*exp(x)*sqrt(x)",
                        "airy_Ai(x)",
                        "airy_Bi(x)",
                        "airy_Ai(-x)",
                        "airy_Bi(-x)",
                        "incomplete_gamma(1/3, x)",
                        "sin(x + 1/x)",
                        "tanh(x)",
                        "log(cosh(x))",
                        "(1 + 1/x)^(x^2)",
                        "x^x/gamma(x)",
                        "exp(sqrt(x^2 + x))",
                        "log(1 + x*exp(x))",
                        "cos(sqrt(x^2 + 1))/x"})
    for (const int order : {1, 4, 15}) require_claimed_order(f, order);
}

TEST_CASE("series at zero are not cut by a table") {
  for (const char* f : {"cyl_bessel_j(0, x)", "cyl_neumann(0, x)", "cyl_bessel_k(1, x)", "elliptic_K(x)",
                        "polylog(3, x)", "incomplete_gamma(1/2, x)"}) {
    CAPTURE(std::string(f));
    const Expr e = parse(f);
    const SeriesResult s = series(e, x, 0, 40, {}, LimitSide::above);
    CHECK(!s.exact);
    CHECK(s.terms.back().exponent.to_double() > 38);
    const Expr difference = e - s.expression();
    const auto error = [&](double place) {
      return std::abs(std::stod(certify(difference, {{x, Number::exact(place)}}, 12).real));
    };
    CHECK(std::log2(error(0.25) / error(0.125)) > s.next.to_double() - 0.9);
  }
}

TEST_CASE("series at infinity: random products and quotients of what grows, falls and waves") {
  std::mt19937 random(20261129);
  const auto pick = [&](const std::vector<std::string>& from) {
    return from[std::uniform_int_distribution<std::size_t>(0, from.size() - 1)(random)];
  };
  int found = 0;
  for (int k = 0; k < 120; ++k) {
    const std::string grows = pick({"exp(x)", "exp(-x)", "exp(-x^2)", "E1(x)", "Ei(2*x)", "erfc(x)", "gamma(x)",
                                    "cyl_bessel_k(1, x)", "cosh(x)", "x^x", "1/gamma(x + 1/3)"});
    const std::string other = pick({"exp(x)", "exp(-x)", "exp(x^2)", "sqrt(x + 1)", "log(x + 2)", "(1 + exp(-x))",
                                    "cyl_bessel_i(0, x)", "digamma(x)", "airy_Ai(x)", "sin(x)", "Ci(x)"});
    const std::string third = pick({"1", "x", "1/(1 + x^2)", "cos(1/x)", "exp(1/x)", "(x - log(x))"});
    const std::string f = "(" + grows + ")*" + other + pick({"*", "/"}) + third;
    try {
      require_claimed_order(f, std::uniform_int_distribution<int>(0, 5)(random));
      ++found;
    } catch (const Error& e) {
      CHECK(e.kind() == ErrorKind::unsupported);
    }
  }
  MESSAGE(found, " of 120");
  CHECK(found > 100);
}

TEST_CASE("series at finite places have no factor that grows, and fall beyond all orders from one side") {
  const SeriesResult s = series(parse("x + exp(-1/x)"), x, 0, 3);
  CHECK(s.side == LimitSide::above);
  CHECK((s.expression() == x));
  CHECK(!s.exact);
  CHECK_THROWS_AS((void)series(parse("exp(1/x)"), x, 0, 3, {}, LimitSide::above), Error);
  CHECK_THROWS_AS((void)series(parse("sin(1/x)"), x, 0, 3), Error);
  CHECK_THROWS_AS((void)series(parse("1/sin(x)"), x, infinity(), 3), Error);
}
