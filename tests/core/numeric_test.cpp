// SPDX-License-Identifier: MIT
// Numbers: evaluation, domains, certified digits, and the cross-check's power to fail.
#include <doctest/doctest.h>

#include <cmath>

#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/text.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {
std::string message_of(const std::string& text, const Bindings& b) {
  try {
    (void)evaluate(parse(text), b);
  } catch (const Error& e) {
    return e.what();
  }
  return "no error";
}
}  // namespace

TEST_CASE("identities hold in numbers") {
  const Symbol x("x");
  for (const char* identity : {"sin(x)^2 + cos(x)^2 - 1",
                               "x*conf_hyperg(1, 2, x) - exp(x) + 1",
                               "conf_hyperg_u(1, 1, x) - exp(x)*E1(x)",
                               "conf_hyperg_u(1/2, 1/2, x^2) - sqrt(pi)*exp(x^2)*erfc(x)",
                               "conf_hyperg(1/3, 3/2, x)*conf_hyperg_u(4/3, 5/2, x)/3 + 2*conf_hyperg(4/3, 5/2, "
                               "x)*conf_hyperg_u(1/3, 3/2, x)/9 - gamma(3/2)/gamma(1/3)*x^(-3/2)*exp(x)",
                               "conf_hyperg_u(-2, c, x) - x^2 + 2*(c + 1)*x - c*(c + 1)",
                               "x*hyperg(1, 1, 2, -x) - log(1 + x)",
                               "hyperg(1/2, 1/3, 1/3, -x) - 1/sqrt(1 + x)",
                               "cosh(x)^2 - sinh(x)^2 - 1",
                               "exp(x)*exp(-x) - 1",
                               "gamma(x + 1) - x*gamma(x)",
                               "erf(x) + erfc(x) - 1",
                               "beta(x, 2) - gamma(x)*gamma(2)/gamma(x + 2)",
                               "cyl_bessel_j(0, x)*cyl_neumann(1, x) - cyl_bessel_j(1, x)*cyl_neumann(0, x) + 2/(pi*x)",
                               "airy_Ai(x)*airy_Bi_prime(x) - airy_Ai_prime(x)*airy_Bi(x) - 1/pi",
                               "Ei(x) - Chi(x) - Shi(x)",
                               "dilog(x/4) + dilog(1 - x/4) - pi^2/6 + log(x/4)*log(1 - x/4)",
                               "digamma(x + 1) - digamma(x) - 1/x",
                               "polylog(2, x/5) - dilog(x/5)",
                               "incomplete_gamma(2, x) - (1 + x)*exp(-x)",
                               "legendre(2, x) - (3*x^2 - 1)/2",
                               "hermite(3, x) - (8*x^3 - 12*x)",
                               "E1(x) + Ei(-x)",
                               "dawson(x) - sqrt(pi)/2*exp(-x^2)*erfi(x)",
                               "elliptic_F(pi/2, x/9) - elliptic_K(x/9)",
                               "elliptic_E(pi/2, x/9) - elliptic_E(x/9)",
                               "lgamma(x) - log(gamma(x))",
                               "log10(x) - log(x)/log(10)",
                               "cbrt(x)^3 - x",
                               "hypot(x, 2*x) - sqrt(5)*x",
                               "polygamma(1, x) - polygamma(1, x + 1) - 1/x^2"}) {
    for (const double at : {0.3, 1.1, 2.7}) {
      CAPTURE(identity);
      CHECK(std::abs(evaluate(parse(identity), {{x, at}}, Unused::allowed)) < 1e-13 * 50);
    }
  }
}

TEST_CASE("real, complex and certified evaluation agree on random expressions") {
  const Symbol x("x"), y("y");
  test::RandomExpression random(29, {x, y});
  for (int i = 0; i < 500; ++i) {
    const Expr e = random(2 + i % 15);
    const Bindings at{{x, random.number(-2, 2)}, {y, random.number(-2, 2)}};
    const double real = evaluate(e, at, Unused::allowed);
    const auto complex = evaluate_complex(e, at, Unused::allowed);
    CAPTURE(to_text(e));
    CHECK(complex.real() == doctest::Approx(real).epsilon(1e-9));
    CHECK(std::abs(complex.imag()) <= 1e-9 * (1 + std::abs(real)));
    if (real == 0) continue;
    const Enclosure c = certify(e, at, 20, Unused::allowed);
    CHECK(std::stod(c.real) == doctest::Approx(real).epsilon(1e-8));
  }
}

TEST_CASE("certified digits") {
  CHECK(certify(pi(), {}, 50).real == "3.1415926535897932384626433832795028841971693993751");
  CHECK(certify(parse("sin(x)/x"), {{Symbol("x"), Expr(1) / 3}}, 40).real ==
        "0.9815840903884567325200322558028618181929");
  // catastrophic cancellation: double precision would have no digit
  CHECK(certify(parse("(1 + 1e-30) - 1 + sin(1e-30)"), {}, 10).real.substr(0, 5) == "2.000");
  CHECK(evaluate_complex(parse("exp(1i*pi)")).real() == doctest::Approx(-1));
  CHECK(evaluate_complex(parse("sqrt(x)"), {{Symbol("x"), -4}}).imag() == doctest::Approx(2));
  CHECK_THROWS_AS((void)certify(pi(), {}, 0), Error);
}

TEST_CASE("leaving a domain names the place and the value") {
  const Symbol x("x");
  CHECK(message_of("log(x - 2)", {{x, 1}})
            .find("log(x - 2) leaves its domain: it needs a positive argument, but x - 2 = -1") != std::string::npos);
  CHECK(message_of("1/(x - 1)", {{x, 1}}).find("division by zero") != std::string::npos);
  CHECK(message_of("sqrt(x)", {{x, -4}}).find("complex values") != std::string::npos);
  CHECK(message_of("asin(x)", {{x, 2}}).find("between -1 and 1") != std::string::npos);
  CHECK(message_of("x^(1/3)", {{x, -8}}).find("not real") != std::string::npos);
  CHECK(message_of("gamma(x)", {{x, -2}}).find("leaves its domain") != std::string::npos);
  CHECK(message_of("piecewise(1 if x < 0)", {{x, 1}}).find("otherwise") != std::string::npos);
  CHECK(message_of("x + yy", {{x, 1}, {Symbol("y"), 2}}).find("did you mean") != std::string::npos);
  CHECK(message_of("x + k", {{x, 1}}).find("no value is given for k") != std::string::npos);
  CHECK(message_of("f(x)", {{x, 1}}).find("unknown function") != std::string::npos);
  CHECK(message_of("integral(1/x, x from 0 to 1)", {}).find("integral") != std::string::npos);
  // what is not taken does no harm
  CHECK(evaluate(parse("piecewise(log(x) if x > 0, 7 otherwise)"), {{x, -1}}) == 7);
}

TEST_CASE("a planted wrong derivative is found") {
  const Symbol x("x"), y("y");
  const Expr f = parse("x^2*sin(y) + exp(-x)");
  const Expr right = derivative(f, x);
  const std::vector<DerivativeClaim> claims{{f, x, right, "right"}, {f, y, derivative(f, y), "also right"}};
  const Evidence good = cross_check(claims);
  CHECK(good.verdict == Verdict::agrees);
  CHECK(good.digits >= 14);
  for (const Expr& wrong : {right + Expr(1) / 1000000, -right, derivative(f, y), right * (1 + 1e-7), Expr(0)}) {
    const std::vector<DerivativeClaim> planted{{f, y, derivative(f, y), "fine"}, {f, x, wrong, "planted"}};
    const Evidence e = cross_check(planted);
    CHECK(e.verdict == Verdict::disagrees);
    CHECK(e.worst_entry == "planted");
    CHECK(e.worst_point.size() == 2);
  }
}

TEST_CASE("a zero left out of the pattern wrongly is found") {
  const auto s = Symbol::list("x y");
  const std::vector<Expr> v(s.begin(), s.end());
  const std::vector<Expr> f{v[0] * v[1]};
  SparseMatrix j = sparse_jacobian(f, v);
  j.values.pop_back();
  j.pattern.columns.pop_back();
  j.pattern.row_start.back() -= 1;
  CHECK(cross_check(f, v, j).verdict == Verdict::disagrees);
}

TEST_CASE("the check respects assumptions, ranges and conditions, and says when it could not test") {
  const Symbol p("p", {Assumption::positive}), x("x");
  const Expr f = log(p - 5);
  CheckOptions o;
  o.ranges["p"] = {6, 9};
  const std::vector<DerivativeClaim> claim{{f, p, derivative(f, p), "log"}};
  CHECK(cross_check(claim, o).verdict == Verdict::agrees);
  const std::vector<DerivativeClaim> nowhere{{sqrt(-1 - x * x), x, derivative(sqrt(-1 - x * x), x), "nowhere real"}};
  CHECK(cross_check(nowhere).verdict == Verdict::untested);
  const Symbol a("a"), b("b");
  const Expr g = sqrt(a - b);
  CheckOptions c;
  c.conditions = {less(b, a)};
  const std::vector<DerivativeClaim> both{{g, a, derivative(g, a), "g"}};
  CHECK(cross_check(both, c).points == 5);
  // tiny parts beside large ones are resolved, not lost in rounding
  const Expr tiny = pow(Expr(10), 60) + exp(-200 * pow(x, 2)) * pow(Expr(10), -60);
  const std::vector<DerivativeClaim> small{{tiny, x, derivative(tiny, x), "tiny"}};
  CHECK(cross_check(small).verdict == Verdict::agrees);
  // unknown functions of the variable are stood in for
  const Expr unknown = parse("f(x^2)*g(x)");
  const std::vector<DerivativeClaim> chain{{unknown, x, derivative(unknown, x), "chain rule"}};
  CHECK(cross_check(chain).verdict == Verdict::agrees);
  const std::vector<DerivativeClaim> broken{
      {unknown, x, parse("f'(x^2)*g(x) + f(x^2)*g'(x)"), "inner derivative forgotten"}};
  CHECK(cross_check(broken).verdict == Verdict::disagrees);
}

TEST_CASE("enclosed integrals: the error is a bound, peaks and oscillations included") {
  const Symbol x("x");
  struct Case {
    const char* f;
    Expr from;
    Expr to;
    double value;
  };
  const Case cases[] = {{"exp(-x^2)", 0, 1, 0.74682413281242702540},
                        {"sin(50*x)", 0, 3, (1 - std::cos(150.0)) / 50},
                        {"exp(-1e8*(x - 0.123456)^2)", 0, 1, 1.7724538509055160e-4},
                        {"1/(1 + 1e6*(x - 1/3)^2)", 0, 1, (std::atan(1000 * 2.0 / 3) + std::atan(1000.0 / 3)) / 1000}};
  for (const Case& c : cases) {
    CAPTURE(std::string(c.f));
    const QuadratureResult q = quadrature(parse(c.f), x, c.from, c.to, {}, {.certify = true});
    CHECK(q.certified);
    CHECK(q.converged);
    CHECK(std::abs(q.value - c.value) <= q.error + 4e-16 * std::abs(c.value));
    CHECK(q.error <= 1e-14 * std::abs(c.value));
  }
  // where no ball can enclose, the rules have the word and say so
  for (const char* f : {"sqrt(x)", "log(x)"}) CHECK(quadrature(parse(f), x, 0, 1, {}, {.certify = true}).converged);
  CHECK_FALSE(quadrature(parse("exp(-x^2)"), x, 0, infinity(), {}, {.certify = true}).certified);
}

TEST_CASE("sums over the roots of a polynomial are real though its roots are not") {
  // every root of it is complex: 16*x^6 + 40*x^5 + 105*x^4 + 80*x^3 + 128*x^2 + 64
  std::vector<Expr> roots;
  for (int k = 1; k <= 6; ++k)
    roots.push_back(parse("polynomial_root(" + std::to_string(k) + ", 64, 0, 128, 80, 105, 40, 16)"));
  Expr sum = 0, squares = 0, logs = 0;
  for (const Expr& r : roots) {
    sum += r;
    squares += r * r;
    logs += log(2 - r);
  }
  const double e1 = -40.0 / 16, e2 = 105.0 / 16;
  CHECK(evaluate(sum) == doctest::Approx(e1).epsilon(1e-14));
  CHECK(evaluate(squares) == doctest::Approx(e1 * e1 - 2 * e2).epsilon(1e-14));
  // the sum of logarithms is that of p(2)/16, up to a whole turn, which pairs of conjugates do not make
  CHECK(evaluate(logs) ==
        doctest::Approx(std::log((64 * 16 + 40 * 32 + 105 * 16 + 80 * 8 + 128 * 4 + 64) / 16.0)).epsilon(1e-14));
  CHECK(evaluate(sum + Expr(5) / 2) == 0);
  const Symbol t("t");
  CHECK(evaluate(sum * t, {{t, 3}}) == doctest::Approx(3 * e1).epsilon(1e-14));
  for (const Expr& e : {roots[0], roots[0] + roots[2], log(roots[0] + roots[1] - 10)}) {
    try {
      (void)evaluate(e);
      FAIL("a complex number was given as a real one");
    } catch (const Error& error) {
      CHECK(error.kind() == ErrorKind::domain);
      CHECK(error.message().find("not real") != std::string::npos);
    }
  }
}
