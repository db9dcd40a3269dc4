// SPDX-License-Identifier: MIT
// Unknowns that are defined by an equation: their text, values, derivatives and numeric functions.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace implicit_roots {

struct Draws {
  std::mt19937_64 random;
  explicit Draws(std::uint64_t seed) : random(seed) {}
  double operator()(double low, double high) {
    return low + (high - low) * static_cast<double>(random() >> 11U) * 0x1p-53;
  }
  Expr number(double low, double high) {
    return Expr(Number(static_cast<std::int64_t>(std::lround(100 * (*this)(low, high))), 100));
  }
};

// Grows with x for all p, q between 1/2 and 2, so that there is one root.
Expr growing(Draws& draw) {
  const Expr x = Symbol("x"), p = Symbol("p"), q = Symbol("q");
  const Expr terms[] = {draw.number(0.5, 2) * x * p,
                        draw.number(0.1, 1) * power(x, 3),
                        exp(draw.number(0.1, 0.5) * x * q),
                        sinh(x / 4),
                        log(1 + exp(x)),
                        atan(x * q),
                        draw.number(0.1, 0.4) * sin(x) + x / 2};
  Expr sum = -draw.number(1, 5) * pow(p, 2) * q;
  for (const Expr& t : terms) {
    if (draw.random() % 2 == 0) sum += t;
  }
  return sum + draw.number(0.2, 1) * x;
}

}  // namespace implicit_roots

using namespace implicit_roots;

TEST_CASE("a root reads back, and binds its unknown") {
  const Expr e = parse("1 + root(x = cos(a*x), x from 0 to 1)^2");
  CHECK(to_text(e) == "root(x - cos(a*x), x from 0 to 1)^2 + 1");
  CHECK(parse(to_text(e)) == e);
  CHECK(free_symbols(e).size() == 1);
  CHECK(depends_on(e, Symbol("a")));
  CHECK_FALSE(depends_on(e, Symbol("x")));
  CHECK(derivative(e, Symbol("x")).is_integer(0));
  // what is put in for a keeps its own x
  const Expr put = substitute(e, {{Symbol("a"), Symbol("x")}});
  CHECK(evaluate(put, {{Symbol("x"), Expr(2)}}) == doctest::Approx(evaluate(e, {{Symbol("a"), Expr(2)}})));
  CHECK(to_unicode(e).find("∈ [0, 1]") != std::string::npos);
  CHECK(to_latex(e).find("\\in [0, 1]") != std::string::npos);
  CHECK(to_mathml(e).find("root</csymbol>") != std::string::npos);
  // without a range it is the name of a function or symbol like any other
  CHECK(parse("root + 1") == Symbol("root") + 1);
  ParseContext own;
  own.functions.emplace("root", 0);
  CHECK(parse("root(3)", own).is(Kind::unknown_call));
}

TEST_CASE("values of roots, to many digits too") {
  CHECK(evaluate(parse("root(x^2 = 2, x from 0 to 2)")) == doctest::Approx(std::sqrt(2.0)).epsilon(1e-15));
  CHECK(certify(parse("root(x^5 - x - 1, x from 0 to 3)"), {}, 50).to_string() ==
        certify(parse("polynomial_root(1, -1, -1, 0, 0, 0, 1)"), {}, 50).to_string());
  CHECK(certify(parse("root(exp(x) = 10, x from 0 to 5)"), {}, 60).to_string() ==
        certify(parse("log(10)"), {}, 60).to_string());
  CHECK(certify(parse("root(sin(x), x from 3 to 4)"), {}, 1100).to_string() == certify(pi(), {}, 1100).to_string());
  CHECK(evaluate(parse("root(x^3, x from -1 to 2)")) == doctest::Approx(0).scale(1));
  CHECK(evaluate(parse("root(x - 1, x from 1 to 2)")) == 1);
  CHECK(evaluate(parse("root(x - 2, x from 1 to 2)")) == 2);
  // one inside another, under an integral, with ends that depend on things
  CHECK(evaluate(parse("root(root(y + y^3 = x, y from 0 to 9) = 2, x from 0 to 20)")) == doctest::Approx(10));
  CHECK(evaluate(parse("integral(root(y^2 = x, y from 0 to 3), x from 0 to 4)")) == doctest::Approx(16.0 / 3));
  CHECK(evaluate(parse("root(integral(t^2, t from 0 to x) = 9, x from 0 to a)"), {{Symbol("a"), Expr(5)}}) ==
        doctest::Approx(3));
}

TEST_CASE("where there is no root, or no single one") {
  const auto says = [](const char* text, const char* part) {
    CAPTURE(std::string(text));
    CHECK_THROWS_WITH_AS((void)evaluate(parse(text)), doctest::Contains(part), Error);
  };
  says("root(x^2 + 1, x from -1 to 1)", "no change of sign");
  says("root(sin(x), x from 1 to 10)", "narrow the range");
  says("root(1/(x - 1), x from 0 to 3)", "jump or a pole");
  says("root(piecewise(-1 if x < 1/3, 2 otherwise), x from 0 to 1)", "jump or a pole");
  says("root(x, x from 1 to -1)", "to a greater one");
  says("root(a*x - 1, x from 0 to 1)", "a");
  CHECK_THROWS_WITH_AS((void)parse("root(x < 2, x from 0 to 1)"), doctest::Contains("condition"), Error);
  CHECK_THROWS_WITH_AS((void)parse("root(x^2 = 2, x from 0)"), doctest::Contains("root(f = g, x from a to b)"), Error);
}

TEST_CASE("derivatives of roots by the theorem on implicit functions") {
  const Expr p = Symbol("p"), q = Symbol("q");
  CheckOptions options;
  options.points = 2;
  for (const char* const name : {"p", "q"}) {
    SampleRange r;
    r.low = 0.6;
    r.high = 1.8;
    options.ranges[name] = r;
  }
  for (std::uint64_t seed = 0; seed < 12; ++seed) {
    CAPTURE(seed);
    Draws draw(seed);
    const Expr root = implicit_root(growing(draw), Symbol("x"), -60, 60);
    const Expr f[] = {root, sin(root) * p};
    const Expr v[] = {p, q};
    const Evidence first = cross_check(f, v, sparse_jacobian(f, v), options);
    CHECK(first.verdict == Verdict::agrees);
    CHECK(first.entries == 4);
    const Expr slopes[] = {derivative(root, p)};
    CHECK(cross_check(slopes, v, sparse_jacobian(slopes, v), options).verdict == Verdict::agrees);
  }
}

TEST_CASE("numeric functions of roots agree with balls, in value and slope") {
  const Expr x = Symbol("x"), p = Symbol("p"), q = Symbol("q");
  for (std::uint64_t seed = 0; seed < 40; ++seed) {
    CAPTURE(seed);
    Draws draw(seed + 100);
    const Expr root = implicit_root(growing(draw), x, -60, 60);
    const std::vector<Expr> all{root, derivative(root, p), derivative(root, q), root * root + p};
    const Kernel kernel = compile({OutputGroup("f", all)}, {{"v", {p, q}}});
    for (int k = 0; k < 3; ++k) {
      const double at[] = {draw(0.5, 2), draw(0.5, 2)};
      const Bindings b{{p, Expr(Number::from_double(at[0]))}, {q, Expr(Number::from_double(at[1]))}};
      const std::vector<double> values = kernel.evaluate({{at[0], at[1]}})[0];
      for (std::size_t i = 0; i < all.size(); ++i)
        CHECK_MESSAGE(values[i] == doctest::Approx(evaluate(all[i], b)).epsilon(1e-11).scale(1e-3), i, " ",
                      values[i] - evaluate(all[i], b), " ", to_text(root));
    }
  }
  // roots at an end, awkward slopes, no root
  const auto value = [&](const char* text, double at) {
    return compile({OutputGroup("f", {parse(text)})}, {{"v", {p}}}).evaluate({{at}})[0][0];
  };
  CHECK(value("root(x - p, x from 0 to 2)", 0) == 0);
  CHECK(value("root(x - p, x from 0 to 2)", 2) == 2);
  CHECK(value("root(p - x, x from 0 to 2)", 0) == 0);
  CHECK(value("root(x^9 = p, x from -2 to 2)", 1e-9) == doctest::Approx(0.1));
  CHECK(value("root(tanh(50*(x - p)), x from -10 to 10)", 9.3) == doctest::Approx(9.3).epsilon(1e-13));
  CHECK(value("root(abs(x - p)^(1/3)*sign(x - p), x from -10 to 10)", 1.7) == doctest::Approx(1.7).epsilon(1e-9));
  CHECK(std::isnan(value("root(x^2 + p, x from -1 to 1)", 1)));
}

TEST_CASE("a derivative that is nothing in disguise is compared, and refuted where the function moves") {
  const Expr x = Symbol("x");
  const Expr nothing = sin(2 * x) - 2 * sin(x) * cos(x);
  const auto verdict = [&](const Expr& function) {
    const DerivativeClaim claims[] = {{function, x, nothing, "d/dx"}};
    return cross_check(claims).verdict;
  };
  CHECK(verdict(pow(sin(x), 2) + pow(cos(x), 2) + 1) == Verdict::agrees);
  CHECK(verdict(pow(sin(x), 2) + pow(cos(x), 2) + pow(Expr(10), -30) * x) == Verdict::disagrees);
  // of the current balance of a body only its potential in units of the temperature is determined
  const Expr t = Symbol("T");
  const Expr share = exp(parse("root(exp(v/T) = 1/3, v from -100*T to 0)") / t);
  const DerivativeClaim claims[] = {{share, t, derivative(share, t), "d/dT"}};
  CheckOptions options;
  options.ranges["T"] = {};
  options.ranges["T"].low = 0.1;
  options.ranges["T"].high = 3;
  const Evidence e = cross_check(claims, options);
  CHECK(e.verdict == Verdict::agrees);
  CHECK(e.skipped == 0);
}
