// SPDX-License-Identifier: MIT
// Values of the special functions against the C++ library's own implementations and against closed forms.
#include <doctest/doctest.h>

#include <cmath>
#include <complex>
#include <functional>
#include <numbers>

#include "boreon/catalogue.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/program.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

double value(const char* name, std::initializer_list<double> args) {
  return evaluate_real(*find_function(name), {args.begin(), args.size()});
}

}  // namespace

TEST_CASE("functions of one argument against the standard library") {
  struct Reference {
    const char* name;
    double low, high;
    double (*function)(double);
  };
  const Reference references[] = {
      {"sin", -20, 20, [](double x) { return std::sin(x); }},
      {"tan", -1.5, 1.5, [](double x) { return std::tan(x); }},
      {"atan", -20, 20, [](double x) { return std::atan(x); }},
      {"asinh", -20, 20, [](double x) { return std::asinh(x); }},
      {"acosh", 1, 20, [](double x) { return std::acosh(x); }},
      {"atanh", -0.99, 0.99, [](double x) { return std::atanh(x); }},
      {"log1p", -0.9, 5, [](double x) { return std::log1p(x); }},
      {"expm1", -2, 2, [](double x) { return std::expm1(x); }},
      {"erf", -3, 3, [](double x) { return std::erf(x); }},
      {"erfc", -3, 6, [](double x) { return std::erfc(x); }},
      {"gamma", 0.1, 20, [](double x) { return std::tgamma(x); }},
      {"lgamma", 0.1, 200, [](double x) { return std::lgamma(x); }},
      {"zeta", 1.1, 20, [](double x) { return std::riemann_zeta(x); }},
      {"Ei", 0.1, 10, [](double x) { return std::expint(x); }},
      {"E1", 0.1, 10, [](double x) { return -std::expint(-x); }},
      {"elliptic_K", 0.01, 0.95, [](double m) { return std::comp_ellint_1(std::sqrt(m)); }},
      {"elliptic_E", 0.01, 0.95, [](double m) { return std::comp_ellint_2(std::sqrt(m)); }},
  };
  test::RandomExpression random(401, {Symbol("x")});
  for (const Reference& r : references) {
    for (int i = 0; i < 60; ++i) {
      const double x = random.number(r.low, r.high);
      CAPTURE(std::string(r.name));
      CAPTURE(x);
      CHECK(value(r.name, {x}) == doctest::Approx(r.function(x)).epsilon(2e-12));
    }
  }
}

TEST_CASE("functions of two arguments against the standard library") {
  struct Reference {
    const char* name;
    double first_low, first_high;
    bool integer;
    double low, high;
    double (*function)(double, double);
  };
  const Reference references[] = {
      {"cyl_bessel_j", 0, 6, false, 0.1, 20, [](double n, double x) { return std::cyl_bessel_j(n, x); }},
      {"cyl_neumann", 0, 6, false, 0.5, 20, [](double n, double x) { return std::cyl_neumann(n, x); }},
      {"cyl_bessel_i", 0, 6, false, 0.1, 10, [](double n, double x) { return std::cyl_bessel_i(n, x); }},
      {"cyl_bessel_k", 0, 6, false, 0.1, 10, [](double n, double x) { return std::cyl_bessel_k(n, x); }},
      {"legendre", 0, 9, true, -1, 1, [](double n, double x) { return std::legendre(static_cast<unsigned>(n), x); }},
      {"hermite", 0, 9, true, -3, 3, [](double n, double x) { return std::hermite(static_cast<unsigned>(n), x); }},
      {"laguerre", 0, 9, true, 0, 6, [](double n, double x) { return std::laguerre(static_cast<unsigned>(n), x); }},
      {"sph_bessel", 0, 6, true, 0, 20,
       [](double n, double x) { return std::sph_bessel(static_cast<unsigned>(n), x); }},
      {"sph_neumann", 0, 6, true, 0.5, 20,
       [](double n, double x) { return std::sph_neumann(static_cast<unsigned>(n), x); }},
      {"beta", 0.1, 9, false, 0.1, 9, [](double a, double b) { return std::beta(a, b); }},
      {"elliptic_F", 0.1, 1.5, false, 0.01, 0.9, [](double phi, double m) { return std::ellint_1(std::sqrt(m), phi); }},
      {"elliptic_E", 0.1, 1.5, false, 0.01, 0.9, [](double phi, double m) { return std::ellint_2(std::sqrt(m), phi); }},
      {"atan2", -3, 3, false, -3, 3, [](double y, double x) { return std::atan2(y, x); }},
      {"hypot", -3, 3, false, -3, 3, [](double x, double y) { return std::hypot(x, y); }},
      {"fmod", -9, 9, false, 0.5, 3, [](double x, double y) { return std::fmod(x, y); }},
  };
  test::RandomExpression random(402, {Symbol("x")});
  for (const Reference& r : references) {
    for (int i = 0; i < 60; ++i) {
      double a = random.number(r.first_low, r.first_high);
      if (r.integer) a = std::floor(a);
      const double x = random.number(r.low, r.high);
      const double expected = r.function(a, x);
      CAPTURE(std::string(r.name));
      CAPTURE(a);
      CAPTURE(x);
      CHECK(std::abs(value(r.name, {a, x}) - expected) <= 1e-9 * (std::abs(expected) + 1e-4));
    }
  }
}

TEST_CASE(
    "functions of three arguments against the standard library, and factorial, binomial, inverse_erf, parts of complex "
    "numbers") {
  for (unsigned l = 0; l < 7; ++l) {
    for (unsigned m = 0; m <= l + 1; ++m) {
      for (const double x : {-0.83, -0.2, 0.0, 0.31, 0.95}) {
        CAPTURE(l);
        CAPTURE(m);
        CAPTURE(x);
        const auto close = [](double a, double b) { return std::abs(a - b) <= 1e-9 * (std::abs(b) + 1e-6); };
        CHECK(close(value("assoc_legendre", {double(l), double(m), x}), std::assoc_legendre(l, m, x)));
        CHECK(close(value("assoc_laguerre", {double(l), double(m), x + 1}), std::assoc_laguerre(l, m, x + 1)));
        if (m <= l) CHECK(close(value("sph_legendre", {double(l), double(m), x + 1}), std::sph_legendre(l, m, x + 1)));
        const Symbol z("z");
        const Kernel k = compile({OutputGroup("f", {assoc_laguerre(l, m, z), sph_legendre(l, m, z)})}, {{"z", {z}}});
        const auto f = k.evaluate({{x + 1}})[0];
        CHECK(close(f[0], std::assoc_laguerre(l, m, x + 1)));
        if (m <= l) CHECK(close(f[1], std::sph_legendre(l, m, x + 1)));
      }
    }
  }
  for (int n = -6; n < 9; ++n) {
    for (int k = -3; k < 8; ++k) {
      // Pascal's rule, by which all values follow from those at n = 0
      CAPTURE(n);
      CAPTURE(k);
      CHECK(value("binomial", {double(n), double(k)}) ==
            doctest::Approx(value("binomial", {n - 1.0, k - 1.0}) + value("binomial", {n - 1.0, double(k)})));
      CHECK(evaluate(binomial(n, k)) == doctest::Approx(value("binomial", {double(n), double(k)})));
    }
    if (n >= 0) CHECK(value("factorial", {double(n)}) == doctest::Approx(std::tgamma(n + 1.0)));
  }
  CHECK(factorial(20).word() == 2432902008176640000);
  for (const double y : {-2.5, -0.3, 0.0, 0.7, 3.0})
    CHECK(value("inverse_erf", {std::erf(y)}) == doctest::Approx(y).epsilon(1e-9));
  const Symbol c("c", Assumptions::none());
  const Symbol x("x");
  const std::complex<double> at(0.3, -1.7);
  CHECK(evaluate_complex(re(c), {{c, 0.3 - Expr(1.7) * imaginary_unit()}}).real() == doctest::Approx(0.3));
  CHECK(evaluate_complex(im(c), {{c, 0.3 - Expr(1.7) * imaginary_unit()}}).real() == doctest::Approx(-1.7));
  CHECK(evaluate_complex(arg(c), {{c, 0.3 - Expr(1.7) * imaginary_unit()}}).real() == doctest::Approx(std::arg(at)));
  CHECK(evaluate_complex(conjugate(c), {{c, 0.3 - Expr(1.7) * imaginary_unit()}}).imag() == doctest::Approx(1.7));
  CHECK(re(x + imaginary_unit() * 3) == x);
  CHECK(im(x + imaginary_unit() * 3).is_integer(3));
  CHECK(conjugate(x + imaginary_unit() * x) == x - imaginary_unit() * x);
  CHECK(arg(Expr(-2)) == pi());
}

TEST_CASE("functions the standard library lacks, against their definitions by quadrature") {
  // Simpson's rule on a fine grid is independent of everything in the catalogue
  const auto simpson = [](const std::function<double(double)>& f, double a, double b) {
    constexpr int n = 4000;
    const double h = (b - a) / n;
    double s = f(a) + f(b);
    for (int i = 1; i < n; ++i) s += (i % 2 == 1 ? 4 : 2) * f(a + i * h);
    return s * h / 3;
  };
  for (const double x : {0.3, 1.0, 2.2}) {
    CAPTURE(x);
    CHECK(value("erfi", {x}) ==
          doctest::Approx(2 / std::sqrt(std::numbers::pi) * simpson([](double t) { return std::exp(t * t); }, 0, x))
              .epsilon(1e-9));
    CHECK(value("dawson", {x}) ==
          doctest::Approx(std::exp(-x * x) * simpson([](double t) { return std::exp(t * t); }, 0, x)).epsilon(1e-9));
    CHECK(value("Si", {x}) ==
          doctest::Approx(simpson([](double t) { return t == 0 ? 1 : std::sin(t) / t; }, 0, x)).epsilon(1e-9));
    CHECK(value("Shi", {x}) ==
          doctest::Approx(simpson([](double t) { return t == 0 ? 1 : std::sinh(t) / t; }, 0, x)).epsilon(1e-9));
    CHECK(value("Ci", {x}) ==
          doctest::Approx(std::numbers::egamma + std::log(x) +
                          simpson([](double t) { return t == 0 ? 0 : (std::cos(t) - 1) / t; }, 0, x))
              .epsilon(1e-9));
    CHECK(value("Chi", {x}) ==
          doctest::Approx(std::numbers::egamma + std::log(x) +
                          simpson([](double t) { return t == 0 ? 0 : (std::cosh(t) - 1) / t; }, 0, x))
              .epsilon(1e-9));
    CHECK(
        value("fresnel_S", {x}) ==
        doctest::Approx(simpson([](double t) { return std::sin(std::numbers::pi * t * t / 2); }, 0, x)).epsilon(1e-9));
    CHECK(
        value("fresnel_C", {x}) ==
        doctest::Approx(simpson([](double t) { return std::cos(std::numbers::pi * t * t / 2); }, 0, x)).epsilon(1e-9));
    CHECK(value("dilog", {-x}) ==
          doctest::Approx(-simpson([](double t) { return t == 0 ? -1 : std::log(1 - t) / t; }, 0, -x)).epsilon(1e-9));
    CHECK(value("incomplete_gamma", {2.5, x}) ==
          doctest::Approx(std::tgamma(2.5) -
                          simpson([](double t) { return 2 * t * std::pow(t, 3) * std::exp(-t * t); }, 0, std::sqrt(x)))
              .epsilon(1e-9));
    CHECK(value("li", {1 + x}) == doctest::Approx(std::expint(std::log(1 + x))).epsilon(1e-9));
    CHECK(value("digamma", {x}) ==
          doctest::Approx((std::lgamma(x + 1e-5) - std::lgamma(x - 1e-5)) / 2e-5).epsilon(1e-7));
    CHECK(value("airy_Ai", {x}) ==
          doctest::Approx(std::sqrt(x / 3) / std::numbers::pi * std::cyl_bessel_k(1.0 / 3, 2.0 / 3 * std::pow(x, 1.5)))
              .epsilon(1e-9));
  }
}

TEST_CASE("complex values continue the real ones and obey conjugation") {
  test::RandomExpression random(403, {Symbol("x")});
  for (const FunctionRow& row : catalogue()) {
    if (row.min_args != 1 || !row.analytic) continue;
    for (int i = 0; i < 10; ++i) {
      const std::complex<double> z(random.number(1.1, 2.5), random.number(0.1, 0.9));
      const std::complex<double> args[] = {z};
      const std::complex<double> conjugate[] = {std::conj(z)};
      const auto a = evaluate_complex(row, args);
      const auto b = evaluate_complex(row, conjugate);
      if (!std::isfinite(a.real())) continue;
      CAPTURE(std::string(row.name));
      CHECK(std::abs(std::conj(a) - b) <= 1e-10 * (1 + std::abs(a)));
    }
  }
}

TEST_CASE("certified values enclose the double values of every function") {
  test::RandomExpression random(404, {Symbol("x")});
  const Symbol x("x");
  for (const FunctionRow& row : catalogue()) {
    if (row.min_args != 1 || row.name == "dirac_delta") continue;
    for (int i = 0; i < 6; ++i) {
      const double at = row.name == "stieltjes" ? i + 1.0
                        : row.name == "acosh"   ? random.number(1.1, 3)
                                                : random.number(0.05, 0.9);
      const Expr args[] = {x};
      const Expr e = call(row, args);
      if (!e.has_symbols()) continue;
      CAPTURE(std::string(row.name));
      CAPTURE(at);
      const double real = evaluate(e, {{x, at}});
      const bool zero = real == 0;
      if (zero) continue;
      CHECK(std::stod(certify(e, {{x, at}}, 18).real) == doctest::Approx(real).epsilon(1e-12));
    }
  }
}

TEST_CASE("outside the real domain values are refused, not invented") {
  for (const auto& pole : std::initializer_list<std::pair<const char*, double>>{{"log", -1},
                                                                                {"acosh", 0.5},
                                                                                {"asin", 1.5},
                                                                                {"atanh", 2},
                                                                                {"gamma", -3},
                                                                                {"lgamma", 0},
                                                                                {"digamma", -1},
                                                                                {"E1", -1},
                                                                                {"Ci", -1},
                                                                                {"Chi", -2},
                                                                                {"zeta", 1},
                                                                                {"elliptic_K", 1.5},
                                                                                {"dilog", 2}}) {
    const auto& name = pole.first;
    const double at = pole.second;
    CAPTURE(std::string(name));
    const double v = value(name, {at});
    CHECK((std::isnan(v) || std::isinf(v)));
  }
}

TEST_CASE("polylogarithms of large order: the duplication formula, beyond the unit circle too") {
  // Li_s(z) + Li_s(-z) = 2^(1 - s)*Li_s(z^2), NIST Handbook 25.12.
  const FunctionRow& row = *find_function("polylog");
  const auto li = [&](double s, std::complex<double> z) {
    const std::complex<double> args[] = {s, z};
    return evaluate_complex(row, args);
  };
  for (const double s : {15.0, 19.5, 20.5, 25.0, 60.25, 150.0, 199.0, 640.5}) {
    for (const std::complex<double> z :
         {std::complex<double>(0.3, 0), {0.97, 0.1}, {-0.5, 0.5}, {0.2, 3}, {-4, 2}, {0, 40}}) {
      CAPTURE(s);
      CAPTURE(z.real());
      CAPTURE(z.imag());
      const std::complex<double> left = li(s, z) + li(s, -z);
      const std::complex<double> right = std::pow(2.0, 1 - s) * li(s, z * z);
      CHECK(std::abs(left - right) <= 4e-16 * std::abs(z) + 1e-12 * std::abs(right));
    }
  }
  const std::complex<double> too_large[] = {640.5, 1.5};
  CHECK(std::isnan(evaluate_complex(row, too_large).real()));
}

TEST_CASE("an order beyond all that is computed is named as such") {
  for (const char* const text : {"polylog(23456789012345678901, 1/10)", "cyl_bessel_j(10^20, 3)"}) {
    CAPTURE(std::string(text));
    CHECK_THROWS_WITH_AS((void)evaluate(parse(text)), doctest::Contains("is too large: orders go up to 2^30"), Error);
  }
  CHECK(evaluate(parse("polylog(10^6, 1/10)")) == 0.1);
}
