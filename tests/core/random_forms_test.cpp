// SPDX-License-Identifier: MIT
// 20,000 random expressions: every derived form is compared with its source by numbers, the derivative with
// differences.
#include <doctest/doctest.h>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

SimplifyOptions with_seed(std::uint64_t seed, std::size_t points = 3) {
  SimplifyOptions o;
  o.seed = seed;
  o.points = points;
  return o;
}

// Instrumented builds are an order of magnitude slower; they look for memory errors, not for rare mathematics.
#if defined(BOREON_SANITIZES_ADDRESSES) || defined(BOREON_SANITIZES_THREADS)
constexpr int expressions = 1500;
#else
constexpr int expressions = 20000;
#endif

}  // namespace

TEST_CASE("random expressions: text, derivative, expand and simplify, all verified") {
  const Symbol x("x"), y("y"), p("p", {Assumption::positive});
  test::RandomExpression smooth(20261123, {x, y, p});
  test::RandomExpression rough(815, {x, y, p}, false);
  int derived = 0;
  int expanded = 0;
  int simplified = 0;
  for (int k = 0; k < expressions; ++k) {
    auto& grow = k % 3 == 2 ? rough : smooth;
    const Expr e = grow(2 + static_cast<int>(grow.pick(7)));
    const auto seed = static_cast<std::uint64_t>(k);
    INFO(to_text(e));
    REQUIRE(parse(to_text(e), ParseContext::of(e)) == e);

    const Expr written = expand(e);
    const Comparison c = compare(e, written, with_seed(seed));
    REQUIRE(c.agrees);
    expanded += c.points > 0 || c.digits > 0 ? 1 : 0;

    CheckOptions points;
    points.points = 2;
    points.seed = seed;
    const std::vector<Expr> by{x};
    const Evidence evidence = cross_check_derivative(e, by, derivative(e, x), points);
    INFO(evidence.to_string());
    REQUIRE(evidence.verdict != Verdict::disagrees);
    derived += evidence.verdict == Verdict::agrees ? 1 : 0;

    SimplifyOptions options = with_seed(99);
    options.work = 150;
    const Expr s = simplify(e, options);
    INFO(to_text(s));
    REQUIRE(written_cost(s) <= written_cost(e));
    const Comparison d = compare(e, s, with_seed(seed + 1000000));
    REQUIRE(d.agrees);
    simplified += d.points > 0 || d.digits > 0 ? 1 : 0;
    if (k % 100 == 0) REQUIRE(simplify(e, options) == s);
  }
  CHECK(expanded > expressions * 95 / 100);
  CHECK(derived > expressions * 85 / 100);
  CHECK(simplified > expressions * 95 / 100);
}

TEST_CASE("random rational functions: factored, combined and partial fractions agree with their source") {
  const Symbol x("x"), y("y");
  test::RandomExpression pick(321, {x, y});
  const auto polynomial = [&](int degree) {
    Expr s = 0;
    for (int i = 0; i <= degree; ++i) {
      for (int j = 0; i + j <= degree; ++j) {
        if (pick.pick(3) == 0) s += (static_cast<std::int64_t>(pick.pick(11)) - 5) * pow(x, i) * pow(y, j);
      }
    }
    return s.is_integer(0) ? x + 1 : s;
  };
  for (int k = 0; k < 300; ++k) {
    const Expr a = polynomial(2);
    const Expr b = polynomial(2);
    const Expr c = polynomial(1) + pow(x, 2);
    INFO(to_text(a) << "; " << to_text(b) << "; " << to_text(c));
    // The product of the factors, written out, is the polynomial exactly.
    const Expr product = expand(a * b * pow(c, 2));
    REQUIRE(expand(factor(product)) == product);
    const Expr e = a / c + b / (x + 1);
    REQUIRE(compare(e, combine_fractions(e), with_seed(static_cast<std::uint64_t>(k))).agrees);
    const Expr parts = partial_fractions(a * b / (c * pow(x - 2, 2)), x);
    REQUIRE(combine_fractions(parts - a * b / (c * pow(x - 2, 2))).is_integer(0));
  }
}
