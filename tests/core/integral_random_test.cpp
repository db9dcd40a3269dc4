// SPDX-License-Identifier: MIT
// Random functions, differentiated and integrated back. An unevaluated answer is honest; a wrong one fails at once.
#include <doctest/doctest.h>

#include "boreon/calculus.hpp"
#include "boreon/cross_check.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

#if defined(BOREON_SANITIZES_ADDRESSES) || defined(BOREON_SANITIZES_THREADS)
constexpr int elementary = 60;
constexpr int rational = 60;
#else
constexpr int elementary = 1000;
constexpr int rational = 1000;
#endif

// An independent comparison: difference quotients of the answer, in double precision.
void require_antiderivative(const Expr& f, const IntegralResult& r, const Symbol& x) {
  const DerivativeClaim claim{r.value, x, f, "antiderivative"};
  CheckOptions o;
  o.points = 3;
  o.seed = 4711;
  o.conditions = r.conditions;
  const Evidence e = cross_check({&claim, 1}, o);
  INFO(to_text(f));
  INFO(to_text(r.value));
  INFO(e.to_string());
  REQUIRE(e.verdict != Verdict::disagrees);
}

// Every second function, from the first or the second on: two halves that run beside each other.
void elementary_functions(int half) {
  const Symbol x("x");
  test::RandomExpression grow(20261124, {x});
  int closed = 0;
  int total = 0;
  for (int k = 0; k < elementary;) {
    const Expr F = grow(2 + static_cast<int>(grow.pick(11)));
    if (!depends_on(F, x) || operation_count(F) > 12) continue;
    Expr f;
    try {
      f = derivative(F, x);
    } catch (const Error&) {
      continue;
    }
    if (k++ % 2 != half) continue;
    ++total;
    const IntegralResult r = integrate(f, x);
    if (r.status != IntegralStatus::exact) continue;
    ++closed;
    require_antiderivative(f, r, x);
  }
  MESSAGE(closed, " of ", total, " in closed form");
  CHECK(closed >= total * 85 / 100);
}

}  // namespace

TEST_CASE("random elementary functions of up to 12 operations, differentiated and integrated back, first half") {
  elementary_functions(0);
}
TEST_CASE("random elementary functions of up to 12 operations, differentiated and integrated back, second half") {
  elementary_functions(1);
}

TEST_CASE("random rational functions with integer coefficients up to degree 6/6: all in closed form") {
  const Symbol x("x");
  test::RandomExpression dice(20261125, {x});
  for (int k = 0; k < rational; ++k) {
    const auto polynomial = [&](std::size_t degree) {
      Expr p = 0;
      for (std::size_t i = 0; i <= degree; ++i) p += (static_cast<int>(dice.pick(19)) - 9) * power(x, Expr(i));
      return p;
    };
    const Expr n = polynomial(dice.pick(7));
    const Expr d = polynomial(dice.pick(7));
    if (d.is_integer(0)) continue;
    const Expr f = n / d;
    INFO(to_text(f));
    const IntegralResult r = integrate(f, x);
    REQUIRE(r.status == IntegralStatus::exact);
    require_antiderivative(f, r, x);
  }
}
