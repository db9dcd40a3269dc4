// SPDX-License-Identifier: MIT
// The short ways of sums, products and powers against the general rules: the same node for every pair.
#include <doctest/doctest.h>

#include <random>
#include <vector>

#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "boreon/text.hpp"
#include "expr/canonical.hpp"

using namespace boreon;

namespace {

// Of all kinds that rules look at: numbers exact and not, i, infinity, roots, exponentials, sums that turn under even
// powers.
std::vector<Expr> pool() {
  const Symbol x("x"), y("y"), z("z", {Assumption::positive}), n("n", {Assumption::integer});
  const UnknownFunction u("u");
  std::vector<Expr> all{0,
                        1,
                        -1,
                        2,
                        Expr(Number(1, 2)),
                        Expr(Number(-3, 4)),
                        Expr(0.5),
                        Expr(1.0),
                        Expr(0.0),
                        Expr(-2.25),
                        pi(),
                        imaginary_unit(),
                        infinity(),
                        -infinity(),
                        1 + imaginary_unit(),
                        3 - 2 * imaginary_unit(),
                        sqrt(Expr(2)),
                        sqrt(Expr(3)) / 2,
                        power(Expr(2), Expr(Number(1, 3))),
                        x,
                        y,
                        z,
                        n,
                        u(x),
                        2 * x,
                        Expr(0.5) * x,
                        -x,
                        x / 2,
                        x * y,
                        -3 * x * y,
                        x * y / 4,
                        power(x, 2),
                        power(x, -1),
                        power(x, n),
                        power(x + y, 2),
                        2 * power(x - y, 3),
                        x + y,
                        x - y,
                        y - x,
                        1 + x,
                        1 - x,
                        Expr(0.5) + x,
                        2 * (x + y),
                        (x - y) / 2,
                        x + y + z,
                        1 + 2 * x - 3 * y,
                        sqrt(x),
                        sqrt(x * y),
                        sqrt(z),
                        exp(x),
                        exp(-x),
                        exp(2 * x + y),
                        3 * exp(x) * y,
                        sin(x),
                        2 * sin(x) * cos(y),
                        abs(x),
                        pi() * x,
                        imaginary_unit() * x,
                        x * infinity(),
                        power(z, Expr(Number(3, 2))) * y,
                        piecewise(std::vector<Expr>{x, less(x, 0), y})};
  std::mt19937_64 random(7);
  const std::size_t first = all.size();
  for (int k = 0; k < 160; ++k) {
    const Expr& a = all[random() % first];
    const Expr& b = all[random() % first];
    all.push_back(k % 2 == 0 ? product_of(std::vector<Expr>{a, b}) : sum_of(std::vector<Expr>{a, b}, Absorb::balanced));
  }
  return all;
}

}  // namespace

TEST_CASE("sums and products of two operands are what the general rules make of them") {
  const std::vector<Expr> all = pool();
  for (const Expr& a : all) {
    for (const Expr& b : all) {
      CAPTURE(to_text(a));
      CAPTURE(to_text(b));
      const bool neutral = a.is_integer(0) || b.is_integer(0);  // 0 + b is b, however it is written
      if (!neutral) REQUIRE(a + b == sum_of(std::vector<Expr>{a, b}, Absorb::balanced));
      if (!neutral) REQUIRE(a - b == sum_of(std::vector<Expr>{a, -1 * b}, Absorb::balanced));
      if (!a.is_number() || !b.is_number()) REQUIRE(a * b == product_of(std::vector<Expr>{a, b}));
    }
  }
}

TEST_CASE("whole powers of products are products of powers") {
  for (const Expr& a : pool()) {
    if (!a.is(Kind::product)) continue;
    for (const int n : {-3, -2, -1, 2, 3, 5}) {
      CAPTURE(to_text(a));
      CAPTURE(n);
      std::vector<Expr> factors{power(a.operands()[0], n)};
      bool infinite = false;
      for (const auto [base, exponent] : Parts(a)) {
        infinite = infinite || base.is_constant(ConstantCode::infinity);
        factors.push_back(power(base, exponent * n));
      }
      if (!infinite) CHECK(power(a, n) == product_of(factors));
    }
  }
}

TEST_CASE("a product without one of its factors") {
  for (const Expr& a : pool()) {
    if (!a.is(Kind::product)) continue;
    for (std::size_t at = 1; at < a.operands().size(); at += 2) {
      const Expr& base = a.operands()[at];
      if (base.is_constant(ConstantCode::infinity)) continue;
      CAPTURE(to_text(a));
      CHECK(product_of(std::vector<Expr>{product_without(a, at), power(base, a.operands()[at + 1])}) == a);
    }
  }
}
