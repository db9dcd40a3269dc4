// SPDX-License-Identifier: MIT
// Closed forms of differential equations beside runs in time.
#include <doctest/doctest.h>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

TEST_CASE("a closed form beside a run in time: agreement, a planted fault, and what cannot be run") {
  using namespace boreon;
  const Symbol t("t"), k("k");
  const UnknownFunction y("y");
  const Expr zero[] = {0};
  const int first[] = {1};
  const std::vector<Expr> oscillator{derivative(y(t), t, 2) + 4 * y(t)};
  const std::vector<Expr> given{y(Expr(0)) - 1, y.derivative_at(zero, first)};
  const auto beside = [&](const Expr& f) { return compare_with_run(oscillator, {{y(t), f}}, given); };
  CHECK(beside(cos(2 * t)).verdict == Verdict::agrees);
  CHECK(beside(cos(2 * t)).digits > 8);
  CHECK(beside(cos(2 * t) + power(t, 4) / 1000).verdict == Verdict::disagrees);
  CHECK(beside(sin(2 * t)).verdict == Verdict::disagrees);
  // one value is missing, or a parameter
  CHECK(compare_with_run(oscillator, {{y(t), cos(2 * t)}}, {given[0]}).verdict == Verdict::untested);
  CHECK(compare_with_run({derivative(y(t), t) + k * y(t)}, {{y(t), exp(-k * t)}}, {given[0]}).verdict ==
        Verdict::untested);
  const test::Output o = test::tool("solve \"y' = y^2\" --for 'y(t)' --given 'y(0)=1/2'");
  CHECK(o.says("beside a run in time"));
  CHECK(test::tool("solve \"x' = y\" \"y' = -x\" --for 'x(t),y(t)' --given 'x(0)=1, y(0)=0'")
            .says("beside a run in time"));
}
