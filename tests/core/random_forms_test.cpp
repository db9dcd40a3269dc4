// 20,000 random expressions: every derived form is compared with its source by numbers, the derivative with differences.
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

struct Tally {
  int compared = 0;
  int uncompared = 0;
  void add(const Comparison& c) { (c.points > 0 || c.digits > 0 ? compared : uncompared) += 1; }
};

}  // namespace

TEST_CASE("random expressions: text reads back, derivatives and forms agree with their source") {
  const Symbol x("x"), y("y"), p("p", {Assumption::positive});
  test::RandomExpression grow(20261123, {x, y, p});
  Tally expanded;
  Tally differentiated;
  for (int k = 0; k < 16000; ++k) {
    const Expr e = grow(2 + static_cast<int>(grow.pick(9)));
    INFO(to_text(e));
    REQUIRE(parse(to_text(e), ParseContext::of(e)) == e);
    const Expr written = expand(e);
    const Comparison c = compare(e, written, with_seed(static_cast<std::uint64_t>(k)));
    REQUIRE(c.agrees);
    expanded.add(c);
    if (k % 4 != 0) continue;
    const Expr d = derivative(e, x);
    const Evidence evidence = cross_check_derivative(e, std::vector<Expr>{x}, d);
    INFO(evidence.to_string());
    REQUIRE(evidence.verdict != Verdict::disagrees);
    differentiated.compared += evidence.verdict == Verdict::agrees ? 1 : 0;
  }
  CHECK(expanded.compared > 15000);
  CHECK(differentiated.compared > 3600);
}

TEST_CASE("random expressions: simplify is equal, costs no more, and is the same every time") {
  const Symbol x("x"), y("y"), p("p", {Assumption::positive});
  for (const bool smooth : {true, false}) {
    test::RandomExpression grow(smooth ? 4711 : 815, {x, y, p}, smooth);
    Tally tally;
    const int count = smooth ? 2500 : 1500;
    for (int k = 0; k < count; ++k) {
      const Expr e = grow(2 + static_cast<int>(grow.pick(8)));
      INFO(to_text(e));
      SimplifyOptions options = with_seed(99, 4);
      options.work = 400;
      const Expr s = simplify(e, options);
      INFO(to_text(s));
      REQUIRE(written_cost(s) <= written_cost(e));
      const Comparison c = compare(e, s, with_seed(static_cast<std::uint64_t>(k) + 1000000, 5));
      REQUIRE(c.agrees);
      tally.add(c);
      if (k % 50 == 0) REQUIRE(simplify(e, options) == s);
    }
    CHECK(tally.compared > count * 9 / 10);
  }
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
