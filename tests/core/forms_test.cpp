// SPDX-License-Identifier: MIT
// expand, factor, collect, fractions, greatest common divisors, resultants.
#include <doctest/doctest.h>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

Expr read(const char* text) { return parse(text); }

// The factors of a product with their powers, numbers apart.
std::vector<std::pair<Expr, Expr>> factors_of(const Expr& e) {
  std::vector<std::pair<Expr, Expr>> out;
  if (e.is(Kind::product)) {
    for (const auto [b, n] : Parts(e)) out.emplace_back(b, n);
  } else if (e.is(Kind::power)) {
    out.emplace_back(e.operands()[0], e.operands()[1]);
  } else if (!e.is_number()) {
    out.emplace_back(e, Expr(1));
  }
  return out;
}

Expr random_polynomial(test::RandomExpression& pick, const std::vector<Expr>& x, int degree, int coefficient) {
  // every monomial up to the total degree
  Expr s = 0;
  std::vector<int> e(x.size(), 0);
  const auto grow = [&](const auto& self, std::size_t v, int left) -> void {
    if (v == x.size()) {
      Expr m = static_cast<std::int64_t>(pick.pick(static_cast<std::size_t>(2 * coefficient + 1))) - coefficient;
      for (std::size_t i = 0; i < x.size(); ++i) m *= pow(x[i], e[i]);
      s += m;
      return;
    }
    for (int k = 0; k <= left; ++k) {
      e[v] = k;
      self(self, v + 1, left - k);
    }
    e[v] = 0;
  };
  grow(grow, 0, degree);
  return s;
}

}  // namespace

TEST_CASE("expand: products and powers of sums, and nothing else") {
  CHECK(expand(read("(x + 1)*(x - 1)")) == read("x^2 - 1"));
  CHECK(expand(read("(x - 1/x)^2")) == read("x^2 - 2 + 1/x^2"));
  CHECK(expand(read("(x + sqrt(2))^2")) == read("x^2 + 2*sqrt(2)*x + 2"));
  CHECK(expand(read("(1 + 1i)^8")) == 16);
  CHECK(expand(read("(sqrt(1 + x) + 1)*(sqrt(1 + x) - 1)")) == read("x"));
  CHECK(expand(read("sin((x + 1)^2)")) == read("sin((x + 1)^2)"));  // arguments stay
  CHECK(expand(read("(x + 1)^2/(x + 2)^2")) == read("x^2/(x + 2)^2 + 2*x/(x + 2)^2 + 1/(x + 2)^2"));
  CHECK(expand(read("(exp(x) + exp(-x))^2")) == read("exp(2*x) + 2 + exp(-2*x)"));
  CHECK(expand(read("(x + 1)^2 = x*(x + 2)")) == read("x^2 + 2*x + 1 = x^2 + 2*x"));
  CHECK(expand(read("x^(1/2)*(x^(1/2) + x)")) == read("x + x^(3/2)"));
}

TEST_CASE("expand: binomial coefficients and the number of terms") {
  const Symbol x("x"), y("y"), z("z"), t("t");
  const Expr f = expand(pow(1 + x + y + z + t, 20));
  CHECK(f.operands().size() / 2 == 10625);  // 10626 with the constant
  // at 1 every coefficient counts
  const Expr at_one = substitute(f, {{x, 1}, {y, 1}, {z, 1}, {t, 1}});
  CHECK(at_one == power(5, 20));
  const Expr g = expand(f * (f + 1));
  CHECK(g.operands().size() / 2 == 135750);
  CHECK(substitute(g, {{x, 1}, {y, 1}, {z, 1}, {t, 1}}) == power(5, 20) * (power(5, 20) + 1));
  Expr row = 0;
  for (int k = 0; k <= 60; ++k) row += gamma(Expr(61)) / gamma(Expr(k + 1)) / gamma(Expr(61 - k)) * pow(x, k);
  CHECK(expand(pow(1 + x, 60)) == row);
}

TEST_CASE("expand: what would not fit is refused with the reason") {
  CHECK_THROWS_WITH_AS((void)expand(read("(a + b + c + d + e1)^300")), doctest::Contains("terms"), Error);
  CHECK_THROWS_WITH_AS((void)expand(read("(x + 1)^123456789")), doctest::Contains("123456789"), Error);
  CHECK_THROWS_AS((void)expand(read("(x + y + z)^40"), {.terms = 100}), Error);
}

TEST_CASE("factor: irreducible factors over the rationals") {
  struct Case {
    const char* text;
    std::size_t factors;
  };
  const Case cases[] = {{"x^2 - 2", 1},
                        {"x^4 + 4", 2},
                        {"x^4 - 10*x^2 + 1", 1},
                        {"x^12 - 1", 6},
                        {"x^105 - 1", 8},
                        {"x^8 + x^4 + 1", 3},
                        {"6*x^2 - 5*x - 6", 2},
                        {"x^2 + y^2", 1},
                        {"x^3 + y^3 + z^3 - 3*x*y*z", 2},
                        {"(x*y - 1)^2 - (x - y)^2", 4},
                        {"a^2*b - a^2*c + b^2*c - b^2*a + c^2*a - c^2*b", 3},
                        {"sin(x)^2 - 2*sin(x)*cos(y) + cos(y)^2", 1},
                        {"exp(2*x) - 1", 2},
                        {"x - 1", 1},
                        {"x/2 - y/3", 1}};
  for (const Case& c : cases) {
    INFO(c.text);
    const Expr e = read(c.text);
    const Expr f = factor(e);
    INFO(to_text(f));
    CHECK(factors_of(f).size() == c.factors);
    CHECK(expand(f - e).is_integer(0));
  }
  CHECK(factor(0) == 0);
  CHECK(factor(read("x^3*y^2*(x - 1)^2")) == read("x^3*y^2*(x - 1)^2"));
  CHECK(factor(read("x^2 - 1 = y^2 - 1")) == read("(x - 1)*(x + 1) = (y - 1)*(y + 1)"));
}

TEST_CASE("factor: roots common to all numbers of cyclotomic factors") {
  const Symbol x("x");
  // x^n - 1 has one factor for each divisor of n, and the degrees add up to n.
  for (const int n : {24, 60, 105, 120}) {
    int divisors = 0;
    for (int d = 1; d <= n; ++d) divisors += n % d == 0 ? 1 : 0;
    const Expr f = factor(pow(x, n) - 1);
    CHECK(static_cast<int>(factors_of(f).size()) == divisors);
    CHECK(expand(f) == pow(x, n) - 1);
  }
}

TEST_CASE("factor: products of random polynomials come apart again") {
  test::RandomExpression pick(17, {Symbol("x")});
  const Symbol x("x"), y("y"), z("z");
  const std::vector<std::vector<Expr>> variables{{x}, {x, y}, {x, y, z}};
  for (int k = 0; k < 60; ++k) {
    const auto& v = variables[pick.pick(3)];
    const int degree = 1 + static_cast<int>(pick.pick(4));
    const Expr a = random_polynomial(pick, v, degree, 30) + pow(x, degree + 1);
    const Expr b = random_polynomial(pick, v, degree, 30) + pow(x, degree + 2) + 1;
    const Expr product = expand(a * pow(b, 2));
    const Expr f = factor(product);
    INFO(to_text(product, {.max_length = 500}));
    CHECK(expand(f) == product);
    CHECK(factors_of(f).size() >= 2);
    for (const auto& [base, n] : factors_of(f)) {
      // irreducible: it does not come apart a second time
      CHECK(factors_of(factor(base)).size() == 1);
    }
  }
}

TEST_CASE("factor: many modular factors, few true ones") {
  const Symbol x("x");
  // Minimal polynomial of sqrt(2) + sqrt(3) + sqrt(5) + sqrt(7): splits into quadratics modulo every prime.
  Expr p = x;
  for (const int n : {2, 3, 5, 7}) {
    const Symbol t("t");
    p = resultant(substitute(p, {{x, x - t}}), t * t - n, t);
  }
  p = expand(p);
  CHECK(coefficients(p, x).size() == 17);
  CHECK(factor(p) == p);
  const Expr shifted = expand(substitute(p, {{x, x + 1}}));
  CHECK(factors_of(factor(expand(p * shifted))).size() == 2);
}

TEST_CASE("greatest common divisors: of products with a known common factor") {
  test::RandomExpression pick(23, {Symbol("x")});
  const std::vector<Expr> x{Symbol("x1"), Symbol("x2"), Symbol("x3"), Symbol("x4"), Symbol("x5")};
  const Expr g = random_polynomial(pick, x, 4, 9) + pow(x[0], 5);
  const Expr a = random_polynomial(pick, x, 4, 9) + pow(x[1], 5);
  const Expr b = random_polynomial(pick, x, 4, 9) + pow(x[2], 5);
  const Expr found = greatest_common_divisor(expand(g * a), expand(g * b));
  CHECK((found == g || found == expand(-g)));
  CHECK(greatest_common_divisor(a, b) == 1);
  CHECK(greatest_common_divisor(0, g) == (found == g ? g : expand(-g)));
  CHECK(greatest_common_divisor(read("x^6 - 1"), read("x^4 - 1")) == read("x^2 - 1"));
  CHECK(greatest_common_divisor(read("6*x*y"), read("4*x^2")) == read("x"));
  // coefficients beyond one machine word need several primes
  const Expr large = parse("123456789012345678901234567890*x + 987654321098765432109876543211");
  CHECK(greatest_common_divisor(expand(large * read("x + 1")), expand(large * read("x - 7"))) == large);
  CHECK_THROWS_AS((void)greatest_common_divisor(read("1/x"), read("x")), Error);
}

TEST_CASE("resultants vanish exactly where there is a common root") {
  const Symbol x("x"), a("a"), b("b");
  CHECK(expand(resultant(pow(x, 2) - a, x - b, x)) == expand(pow(b, 2) - a));
  CHECK(resultant(read("x^2 - 3*x + 2"), read("x - 2"), x) == 0);
  // discriminant of the cubic
  const Expr f = read("x^3 + a*x + b");
  CHECK(expand(-resultant(f, read("3*x^2 + a"), x)) == read("-4*a^3 - 27*b^2"));
  // product of the differences of roots
  CHECK(resultant(expand((x - 1) * (x - 2)), expand((x - 3) * (x - 5)), x) ==
        Expr((1 - 3) * (1 - 5) * (2 - 3) * (2 - 5)));
}

TEST_CASE("collect: coefficients stand by the chosen symbols") {
  const Symbol x("x"), y("y"), a("a");
  const Expr c = collect(read("a*x + b*x + c + x^2*(a + 1) + 3"), x);
  CHECK(expand(c - read("a*x + b*x + c + x^2*(a + 1) + 3")).is_integer(0));
  CHECK(coefficients(c, x).size() == 3);
  CHECK(to_text(c) == "x^2*(a + 1) + x*(a + b) + c + 3");
  const Expr both[] = {x, y};
  CHECK(collect(read("x*y*a + x*y + y"), both) == read("x*y*(a + 1) + y"));
  CHECK(collect(read("sin(x)*a + sin(x)*b"), sin(x)) == read("sin(x)*(a + b)"));
  CHECK_THROWS_AS((void)collect(x, std::vector<Expr>{}), Error);
  CHECK_THROWS_WITH_AS((void)collect(x, Expr(3)), doctest::Contains("collect by"), Error);
}

TEST_CASE("coefficients of a polynomial, refused for anything else") {
  const Symbol x("x");
  const auto c = coefficients(read("(x + a)^3"), x);
  REQUIRE(c.size() == 4);
  CHECK(c[0] == read("a^3"));
  CHECK(c[1] == read("3*a^2"));
  CHECK(c[3] == 1);
  CHECK_THROWS_AS((void)coefficients(read("sin(x) + x"), x), Error);
  CHECK_THROWS_AS((void)coefficients(read("1/x"), x), Error);
}

TEST_CASE("fractions: one denominator, cancelled; partial fractions add up") {
  CHECK(combine_fractions(read("1/x + 1/y")) == read("(x + y)/(x*y)"));
  CHECK(combine_fractions(read("x/(x^2 - 1) - 1/(x - 1)")) == read("-1/((x - 1)*(x + 1))"));
  CHECK(combine_fractions(read("(exp(2*x) - 1)/(exp(x) - 1)")) == read("exp(x) + 1"));
  CHECK(combine_fractions(read("1/(sqrt(3) - sqrt(2))")) == read("sqrt(3) + sqrt(2)"));
  CHECK(expand(combine_fractions(read("1/(1 + 2i)"))) == read("1/5 - 2i/5"));
  CHECK_THROWS_AS((void)combine_fractions(read("1/((x + 1)^2 - x^2 - 2*x - 1)")), Error);
  const Symbol x("x");
  CHECK(partial_fractions(read("1/(x^2 - 1)"), x) == read("1/(2*(x - 1)) - 1/(2*(x + 1))"));
  CHECK(partial_fractions(read("x^3/(x^2 + 1)"), x) == read("x - x/(x^2 + 1)"));
  CHECK(partial_fractions(read("1/(x*(x + a))"), x) == read("1/(a*x) - 1/(a*(x + a))"));
  const Expr e = read("(x^2 + 3)/(x^2*(x - 1)^3*(x^2 + x + 1))");
  CHECK(combine_fractions(partial_fractions(e, x) - e).is_integer(0));
  CHECK_THROWS_AS((void)partial_fractions(read("1/(x + sin(x))"), x), Error);
  CHECK_THROWS_AS((void)partial_fractions(read("1/(x + 1)"), Expr(2)), Error);
  const Quotient q = quotient(read("1/(1 + 1/(1 + 1/y))"));
  CHECK(q.numerator == read("y + 1"));
  CHECK(q.denominator == read("2*y + 1"));
}

TEST_CASE("doubles stay doubles in every form") {
  const Symbol x("x");
  const Expr half = Expr(0.1);
  const Expr written = expand((x + half) * (x - half));
  CHECK(written.is(Kind::sum));
  CHECK(evaluate(written, {{x, 0.3}}) == doctest::Approx(0.08).epsilon(1e-14));
  CHECK(compare(combine_fractions(half / x + 1), half / x + 1).agrees);
}
