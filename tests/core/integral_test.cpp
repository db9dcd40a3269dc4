// SPDX-License-Identifier: MIT
// Integrals: laws, conditions and exceptions, traps, evidence.
#include <doctest/doctest.h>

#include <cmath>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/program.hpp"
#include "boreon/quadrature.hpp"
#include "boreon/simplify.hpp"
#include "boreon/sums.hpp"
#include "boreon/text.hpp"
#include "core/one_variable.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

const Symbol y("y");
const Symbol a("a", {Assumption::positive});
const Symbol n("n", {Assumption::integer});

bool equal_values(const Expr& p, const Expr& q) {
  const Comparison c = compare(p, q);
  return c.agrees && (c.points > 0 || p == q);
}

// The value of the exception that holds at the given parameters, if one does.
std::optional<Expr> exception_at(const IntegralResult& r, const Bindings& at) {
  for (const IntegralException& e : r.exceptions) {
    if (substitute(e.when, at, Unused::allowed).is_constant(ConstantCode::true_value)) return e.value;
  }
  return std::nullopt;
}

}  // namespace

TEST_CASE("antiderivatives of one of each kind") {
  for (const char* f : {"(3*x - 1)^7",
                        "1/(x^3 + 1)",
                        "1/(x^4 + 1)",
                        "1/(x^5 + x + 1)",
                        "x^2*exp(-x)",
                        "log(x)^2",
                        "sin(x)^2*cos(x)^3",
                        "1/(2 + cos(x))",
                        "1/cosh(x)",
                        "sqrt(1 - x^2)",
                        "sqrt(x + sqrt(x^2 + 1))",
                        "asin(x)^2",
                        "x*atan(x)",
                        "exp(x)*sin(x)",
                        "x/cos(x)^2",
                        "exp(-x^2)",
                        "sin(x)/x",
                        "exp(x)/x",
                        "1/sqrt(1 - x^4)",
                        "log(1 - x)/x",
                        "x/(exp(x) - 1)",
                        "abs(x - 1)*x",
                        "atan(x)/x",
                        "x^2*log(x)/(x + 2)",
                        "sqrt(x/(1 - x))",
                        "cyl_bessel_j(1, x)",
                        "x*cyl_bessel_j(0, x)",
                        "sign(x)*exp(x)",
                        "max(x, x^2)",
                        "log(x)^2/(1 + x)",
                        "sqrt(1 + sin(x))",
                        "tanh(x)^2",
                        "1/(x*sqrt(x^6 - 1))"}) {
    INFO(f);
    const IntegralResult r = integrate(parse(f), x);
    CHECK(r.status == IntegralStatus::exact);
    CHECK(r.check.verdict == Verdict::agrees);
    CHECK_FALSE(r.steps.empty());
    // the claim of the library, checked by difference quotients of its own cross-check
    const DerivativeClaim claim{r.value, x, parse(f), "F"};
    CHECK(cross_check({&claim, 1}).verdict != Verdict::disagrees);
  }
}

TEST_CASE("honest refusals") {
  for (const char* f : {"x^x", "exp(exp(x))*x", "sin(sin(x))", "1/(x + sin(x))", "sqrt(1 + x^5)"}) {
    INFO(f);
    const IntegralResult r = integrate(parse(f), x);
    CHECK(r.status == IntegralStatus::unevaluated);
    CHECK(r.value.is(Kind::integral));
    CHECK_FALSE(r.reason.empty());
  }
  CHECK_THROWS_AS((void)integrate(x, Expr(3)), Error);
  CHECK_THROWS_AS((void)integrate(less(x, 1), x), Error);
  CHECK_THROWS_AS((void)integrate(x, x, 0, x), Error);
}

TEST_CASE("definite integrals are additive, linear and change sign with their ends") {
  test::RandomExpression grow(99, {x});
  int closed = 0;
  for (int k = 0; k < 60; ++k) {
    const Expr f = grow(2 + static_cast<int>(grow.pick(5)));
    const IntegralResult whole = integrate(f, x, -1, 2);
    if (whole.status != IntegralStatus::exact) continue;
    INFO(to_text(f));
    const Expr p = integral(f, x, -1, Expr(1) / 3);
    const Expr q = integral(f, x, Expr(1) / 3, 2);
    CHECK(equal_values(whole.value, p + q));
    CHECK(equal_values(integral(f, x, 2, -1), -whole.value));
    CHECK(equal_values(integral(3 * f, x, -1, 2), 3 * whole.value));
    const QuadratureResult numeric = quadrature(f, x, -1, 2);
    if (numeric.converged) CHECK(evaluate(whole.value) == doctest::Approx(numeric.value).epsilon(1e-8));
    ++closed;
  }
  CHECK(closed > 30);
}

TEST_CASE("parameters: conditions and exceptional values") {
  const Symbol p("p"), b("b"), m("m", {Assumption::integer});
  IntegralResult r = integrate(power(x, p), x);
  CHECK(r.status == IntegralStatus::exact);
  REQUIRE(exception_at(r, {{p, -1}}));
  CHECK(equal_values(derivative(*exception_at(r, {{p, -1}}), x), 1 / x));

  r = integrate(sin(x) * cos(n * x), x, 0, pi());
  for (const int k : {-3, -1, 0, 1, 2, 5}) {
    INFO("n = " << k);
    const auto e = exception_at(r, {{n, k}});
    const Expr value = e ? *e : substitute(r.value, {{n, k}});
    CHECK(evaluate(value) == doctest::Approx(quadrature(sin(x) * cos(k * x), x, 0, pi()).value).epsilon(1e-9));
  }

  r = integrate(cos(m * x) * cos(n * x), x, 0, 2 * pi());
  for (const auto& pair : {std::pair{2, 5}, {2, 2}, {2, -2}, {0, 0}, {0, 3}}) {
    const int i = pair.first;
    const int j = pair.second;
    INFO("m = " << i << ", n = " << j);
    const Bindings at{{m, i}, {n, j}};
    const auto e = exception_at(r, at);
    const Expr value = substitute(e ? *e : r.value, at, Unused::allowed);
    const double expected = i == 0 && j == 0 ? 2 * M_PI : std::abs(i) == std::abs(j) ? M_PI : 0;
    CHECK(evaluate(value) == doctest::Approx(expected));
  }

  r = integrate(power(x, -p), x, 1, infinity());
  CHECK(r.status == IntegralStatus::exact);
  CHECK_FALSE(r.conditions.empty());
  REQUIRE(exception_at(r, {{p, Expr(1) / 2}}));
  CHECK(exception_at(r, {{p, Expr(1) / 2}})->is_constant(ConstantCode::undefined));
  for (const Expr& c : r.conditions) CHECK(substitute(c, {{p, 2}}).is_constant(ConstantCode::true_value));

  r = integrate(1 / (x - b), x, 0, 1);
  const auto below = exception_at(r, {{b, -2}});
  const auto above = exception_at(r, {{b, 3}});
  const auto inside = exception_at(r, {{b, Expr(1) / 2}});
  const auto value_at = [&](const std::optional<Expr>& e, int at) {
    return evaluate(substitute(e ? *e : r.value, {{b, at}}, Unused::allowed));
  };
  CHECK(value_at(below, -2) == doctest::Approx(std::log(1.5)));
  CHECK(value_at(above, 3) == doctest::Approx(std::log(2.0 / 3)));
  REQUIRE(inside);
  CHECK(inside->is_constant(ConstantCode::undefined));
}

TEST_CASE("families with parameters against quadrature") {
  const Symbol b("b", {Assumption::positive}), s("s", {Assumption::positive}), k("k", {Assumption::positive});
  struct Row {
    Expr f;
    Expr from;
    Expr to;
  };
  const Row rows[] = {{power(x, s) * exp(-a * x), 0, infinity()},
                      {exp(-a * x) * cos(b * x), 0, infinity()},
                      {(exp(-a * x) - exp(-b * x)) / x, 0, infinity()},
                      {power(x, s) / (exp(a * x) - 1), 0, infinity()},
                      {power(x, 2) * exp(-a * power(x, 2)) * cos(b * x), -infinity(), infinity()},
                      {cos(k * x) / (power(x, 2) + power(a, 2)), -infinity(), infinity()},
                      {x * sin(k * x) / (power(x, 2) + power(a, 2)), -infinity(), infinity()},
                      {log(x) / (power(x, 2) + power(a, 2)), 0, infinity()},
                      {power(x, s) * power(1 - x, b), 0, 1},
                      {exp(-a * x) * cyl_bessel_j(0, b * x), 0, infinity()},
                      {cos(k * x) / cosh(a * x), -infinity(), infinity()},
                      {(atan(a * x) - atan(b * x)) / x, 0, infinity()},
                      {exp(-a * power(x, 2) - b / power(x, 2)), 0, infinity()},
                      {power(sin(x), s) * power(cos(x), b), 0, pi() / 2},
                      {power(x, 2) / power(cosh(a * x), 2), 0, infinity()},
                      {exp(b * cos(x)), 0, pi()}};
  for (const Row& r : rows) {
    INFO(to_text(r.f));
    const IntegralResult result = integrate(r.f, x, r.from, r.to);
    CHECK(result.status == IntegralStatus::exact);
    // at parameters of the test's own choice
    const Bindings at{{a, Expr(9) / 7}, {b, Expr(5) / 8}, {s, Expr(8) / 5}, {k, Expr(7) / 6}};
    const QuadratureResult q = quadrature(r.f, x, r.from, r.to, at);
    REQUIRE(q.converged);
    CHECK(evaluate(result.value, at, Unused::allowed) == doctest::Approx(q.value).epsilon(1e-8));
  }
}

TEST_CASE("a wrong table row is caught by the evidence") {
  const Expr f = exp(-a * power(x, 2));
  IntegralOptions options;
  int asked = 0;
  options.methods.push_back([&](const Expr&, const Expr&, const Expr&, const Expr&) -> std::optional<Expr> {
    ++asked;
    return sqrt(pi() / a) * Expr(Number(1001, 1000));  // off by a tenth of a percent
  });
  const IntegralResult r = integrate(f, x, -infinity(), infinity(), options);
  CHECK(asked > 0);
  CHECK(r.status == IntegralStatus::exact);
  CHECK(equal_values(r.value, sqrt(pi() / a)));
  // with nothing to fall back on, it stays unevaluated rather than wrong
  const Expr hard = power(x, x);
  IntegralOptions wrong;
  wrong.methods.push_back([](const Expr&, const Expr&, const Expr&, const Expr&) -> std::optional<Expr> {
    return Expr(Number(783, 1000));
  });
  CHECK(integrate(hard, x, 0, 1, wrong).status == IntegralStatus::unevaluated);
  // and a right one is taken
  IntegralOptions right;
  right.methods.push_back([](const Expr& g, const Expr& v, const Expr&, const Expr&) -> std::optional<Expr> {
    return g == cos(cos(v)) ? std::optional<Expr>(2 * pi() * cyl_bessel_j(0, Expr(1))) : std::nullopt;
  });
  CHECK(integrate(cos(cos(x)), x, 0, 2 * pi(), right).value == 2 * pi() * cyl_bessel_j(0, Expr(1)));
}

TEST_CASE("traps: poles, jumps, branch cuts and divergence, 300 of them") {
  test::RandomExpression dice(31415, {x});
  const auto number = [&](int low, int high) {
    return static_cast<int>(dice.pick(static_cast<std::size_t>(high - low + 1))) + low;
  };
  int finite = 0;
  int infinite = 0;
  int refused = 0;
  for (int k = 0; k < 300; ++k) {
    const Expr c = Expr(Number(number(-12, 12), 4));
    const int from = number(-4, 0);
    const int to = number(1, 5);
    const bool inside = compare(c.number(), Number(from)) >= 0 && compare(c.number(), Number(to)) <= 0;
    const int m = number(1, 4);
    Expr f;
    Expr low = from;
    Expr high = to;
    bool diverges = false;
    std::vector<Expr> breaks{c};
    switch (k % 15) {
      case 0: f = 1 / power(x - c, m), diverges = inside; break;
      case 1: f = abs(x - c) * x; break;
      case 2: f = sign(x - c) * exp(x / m); break;
      case 3: f = sqrt(power(x - c, 2)); break;
      case 4: f = log(abs(x - c)); break;
      case 5: f = 1 / (m + 2 * cos(x)), low = 0, high = 2 * pi() * m, diverges = m <= 2, breaks.clear(); break;
      case 6: f = power(x, Expr(Number(-m, 3))), low = 0, high = 2, diverges = m >= 3, breaks.clear(); break;
      case 7: f = power(x, Expr(Number(-m, 2))), low = 1, high = infinity(), diverges = m <= 2, breaks.clear(); break;
      case 8:
        f = sqrt(1 + cos(m * x)), low = 0, high = 2 * pi(), breaks.clear();
        for (int j = 0; j < m; ++j) breaks.push_back(Expr(Number(2 * j + 1, m)) * pi());
        break;
      case 9:
        f = acos(cos(x)), low = 0, high = m * pi(), breaks.clear();
        for (int j = 1; j < m; ++j) breaks.push_back(j * pi());
        break;
      case 10: f = atan(1 / (x - c)); break;
      case 11: f = power(1 / cos(x), 2), low = 0, high = Expr(m) / 2, diverges = m >= 4, breaks.clear(); break;
      case 12: {
        const Expr parts[] = {x, less(x, c), power(x, 2) + m};
        f = piecewise(parts);
        break;
      }
      case 13: f = 1 / (x * power(log(x), m)), low = 2, high = infinity(), diverges = m == 1, breaks.clear(); break;
      default: f = floor(x) * x, breaks = {-3, -2, -1, 0, 1, 2, 3, 4}; break;
    }
    INFO(to_text(f) << " from " << to_text(low) << " to " << to_text(high));
    const IntegralResult r = integrate(f, x, low, high);
    if (diverges) {
      REQUIRE(r.status != IntegralStatus::exact);
      infinite += r.status == IntegralStatus::divergent ? 1 : 0;
      continue;
    }
    REQUIRE(r.status != IntegralStatus::divergent);
    if (r.status != IntegralStatus::exact) {
      ++refused;
      continue;
    }
    QuadratureOptions o;
    o.breaks = breaks;
    // the slow tail of 1/(x*log(x)^m) in the variable log(x)
    const QuadratureResult q =
        k % 15 == 13 ? quadrature(power(x, -m), x, log(Expr(2)), infinity()) : quadrature(f, x, low, high, {}, o);
    if (!q.converged) continue;
    ++finite;
    REQUIRE(std::abs(evaluate(r.value) - q.value) <= 1e-8 * std::abs(q.value) + 1e-9);
  }
  MESSAGE(finite, " finite, ", infinite, " divergent, ", refused, " refused");
  CHECK(finite > 180);
  CHECK(infinite > 40);
  CHECK(refused < 20);
}

TEST_CASE("principal values") {
  IntegralOptions pv;
  pv.principal_value = true;
  CHECK(equal_values(integrate(1 / (x - 1), x, 0, 3, pv).value, log(Expr(2))));
  CHECK(integrate(1 / x, x, -1, 1, pv).value.is_integer(0));
  CHECK(integrate(1 / (x - 1), x, 0, 3).status == IntegralStatus::divergent);
  CHECK(integrate(1 / power(x - 1, 2), x, 0, 3, pv).status == IntegralStatus::divergent);
}

TEST_CASE("iterated integrals: Fubini, regions, coordinates") {
  const auto over = [](const Expr& v, const Expr& from, const Expr& to) { return IntegralRange{v, from, to}; };
  const Expr f = exp(x) * (y + 1);
  const IntegralRange one[] = {over(x, 0, 1), over(y, 0, 2)};
  const IntegralRange two[] = {over(y, 0, 2), over(x, 0, 1)};
  CHECK(equal_values(integrate(f, one).value, integrate(f, two).value));
  const IntegralRange triangle[] = {over(y, 0, x), over(x, 0, 1)};
  CHECK(equal_values(integrate(1 + 0 * x, triangle).value, Expr(1) / 2));
  // no antiderivative in the order given: the other one
  const IntegralRange hard[] = {over(x, y, 1), over(y, 0, 1)};
  const IntegralResult r = integrate(exp(power(x, 2)), hard);
  CHECK(r.status == IntegralStatus::exact);
  CHECK(equal_values(r.value, (exp(Expr(1)) - 1) / 2));
  const IntegralRange bad[] = {over(x, 0, 1), over(y, 0, x)};
  CHECK_THROWS_AS((void)integrate(f, bad), Error);
}

TEST_CASE("impulses") {
  CHECK(integral(dirac_delta(x - 1) * power(x, 2), x, 0, 3).is_integer(1));
  CHECK(integral(dirac_delta(x - 5) * power(x, 2), x, 0, 3).is_integer(0));
  CHECK(equal_values(integral(dirac_delta(2 * x - 1) * exp(x) + x, x, 0, 1), exp(Expr(1) / 2) / 2 + Expr(1) / 2));
}

TEST_CASE("numbers: quadrature, enclosures, many digits, numeric functions") {
  const Expr f = exp(-power(x, 2));
  CHECK(quadrature(f, x, -infinity(), infinity()).value == doctest::Approx(std::sqrt(M_PI)).epsilon(1e-13));
  CHECK(quadrature(1 / sqrt(x), x, 0, 1).value == doctest::Approx(2).epsilon(1e-12));
  CHECK(quadrature(sin(x) / x, x, 0, infinity()).value == doctest::Approx(M_PI / 2).epsilon(1e-10));
  QuadratureOptions kink;
  kink.breaks = {1};
  CHECK(quadrature(abs(x - 1), x, 0, 3, {}, kink).value == doctest::Approx(2.5).epsilon(1e-13));
  CHECK_FALSE(quadrature(1 / x, x, 0, 1).converged);
  CHECK_FALSE(quadrature(sin(x), x, 0, infinity()).converged);  // a mean is no integral
  CHECK(quadrature(sin(x) / sqrt(x), x, 0, infinity()).value == doctest::Approx(std::sqrt(M_PI / 2)).epsilon(1e-9));
  const Expr node = unevaluated_integral(f, x, 0, 1);
  CHECK(evaluate(node) == doctest::Approx(std::sqrt(M_PI) / 2 * std::erf(1.0)).epsilon(1e-13));
  CHECK(certify(node, {}, 40).real == certify(sqrt(pi()) * erf(Expr(1)) / 2, {}, 40).real);
  CHECK(quadrature_to_digits(log(x) * exp(-x), x, 0, infinity(), 40).value.substr(0, 41) ==
        certify(-egamma(), {}, 40).real.substr(0, 41));
  CHECK_THROWS_AS((void)evaluate(unevaluated_integral(1 / x, x, 0, 1)), Error);
  CHECK(evaluate(unevaluated_sum(1 / power(x, 2), x, 1, 10)) == doctest::Approx(1.5497677311665408));
  // inside a numeric function, with a parameter
  const Expr g = unevaluated_integral(exp(-a * power(x, 2)) * cos(x), x, 0, 2);
  const Kernel kernel = compile({OutputGroup("g", {g, derivative(g, a)})}, {InputGroup{"p", {a}}});
  for (const double v : {0.3, 1.0, 2.5}) {
    const auto out = kernel.evaluate({{v}});
    const Bindings at{{a, Expr(v)}};
    CHECK(out[0][0] == doctest::Approx(quadrature(exp(-a * power(x, 2)) * cos(x), x, 0, 2, at).value).epsilon(1e-12));
    CHECK(out[0][1] ==
          doctest::Approx(-quadrature(power(x, 2) * exp(-a * power(x, 2)) * cos(x), x, 0, 2, at).value).epsilon(1e-11));
  }
  CHECK_THROWS_AS(
      (void)compile({OutputGroup("g", {unevaluated_integral(a / sqrt(x), x, 0, 1)})}, {InputGroup{"p", {a}}}), Error);
}

TEST_CASE("sums in closed form against adding up") {
  const Symbol k("k", {Assumption::integer}), top("N", {Assumption::integer, Assumption::positive}), q("q");
  for (const Expr& term : {power(k, 2), power(k, 5) - 3 * k, power(Expr(2), k), k * power(Expr(3), k),
                           1 / (k * (k + 1)), 1 / (power(k, 2) + 3 * k + 2), k * gamma(k + 1),
                           1 / power(k + Expr(1) / 2, 2), power(q, k), (k + 1) * power(q, k)}) {
    INFO(to_text(term));
    const SumResult r = sum_with_report(term, k, 1, top);
    REQUIRE(r.closed);
    for (const int last : {1, 4, 9}) {
      const Bindings at{{top, last}, {q, Expr(2) / 7}};
      double expected = 0;
      for (int i = 1; i <= last; ++i) expected += evaluate(substitute(substitute(term, {{k, i}}), at, Unused::allowed));
      CHECK(evaluate(substitute(r.value, at, Unused::allowed)) == doctest::Approx(expected).epsilon(1e-10));
    }
  }
  CHECK(equal_values(sum(1 / power(k, 2), k, 1, infinity()), power(pi(), 2) / 6));
  CHECK(equal_values(sum(1 / (k * (k + 2)), k, 1, infinity()), Expr(3) / 4));
  CHECK(sum(1 / k, k, 1, infinity()).is(Kind::reduction));
  const SumResult geometric = sum_with_report(power(q, k), k, 0, infinity());
  REQUIRE(geometric.closed);
  CHECK_FALSE(geometric.conditions.empty());
  CHECK(equal_values(substitute(geometric.value, {{q, Expr(1) / 3}}), Expr(3) / 2));
}

TEST_CASE("ranges whose ends are parameters: either order, and poles that may lie between") {
  const Symbol b("b"), c("c");
  const IntegralResult r = integrate(1 / x, x, c, b);
  for (const auto& range : {std::pair{1, 3}, {3, 1}, {-3, -1}, {-1, 2}, {2, -1}}) {
    const int low = range.first;
    const int high = range.second;
    INFO(low << " to " << high);
    const Bindings at{{c, low}, {b, high}};
    const auto e = exception_at(r, at);
    if (low * high < 0) {
      REQUIRE(e);
      CHECK(e->is_constant(ConstantCode::undefined));
    } else {
      CHECK(evaluate(substitute(e ? *e : r.value, at, Unused::allowed)) ==
            doctest::Approx(std::log(double(high) / low)));
    }
  }
  const IntegralResult absolute = integrate(abs(x), x, c, b);
  for (const auto& range : {std::pair{1, 3}, {3, 1}, {-3, -1}, {-1, 2}, {2, -1}}) {
    const int low = range.first;
    const int high = range.second;
    const Bindings at{{c, low}, {b, high}};
    const auto e = exception_at(absolute, at);
    const auto half_square = [](int v) { return 0.5 * v * std::abs(v); };
    CHECK(evaluate(substitute(e ? *e : absolute.value, at, Unused::allowed)) ==
          doctest::Approx(half_square(high) - half_square(low)));
  }
  CHECK(integrate(1 / x, x, 2, -1).status == IntegralStatus::divergent);
  // infinitely many poles: up to the first ones on both sides
  const IntegralResult tangent = integrate(tan(x), x, 0, b);
  REQUIRE(tangent.status == IntegralStatus::exact);
  const auto holds = [&](double end) {
    bool all = true;
    for (const Expr& condition : tangent.conditions) {
      const Expr branches[] = {1, condition, 0};
      all = all && evaluate(piecewise(branches), {{b, Number::exact(end)}}, Unused::allowed) == 1;
    }
    return all;
  };
  for (const double end : {-1.5, -0.3, 0.4, 1.5}) {
    CHECK(holds(end));
    CHECK(evaluate(tangent.value, {{b, Number::exact(end)}}) == doctest::Approx(-std::log(std::cos(end))));
  }
  for (const double end : {-4.0, -1.6, 1.6, 4.0, 6.0}) CHECK(!holds(end));
}
