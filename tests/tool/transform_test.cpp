// SPDX-License-Identifier: MIT
// transform over the whole line, as a new user types it.
#include <doctest/doctest.h>

#include "tool/tool.hpp"

TEST_CASE("transform: over the whole line, with its convention") {
  const auto o = test::tool("transform 'exp(-a*abs(t))' --fourier-transform 't to w'");
  CHECK(o.says("2*a/(a^2 + w^2)"));
  CHECK(o.says("valid for a > 0"));
  CHECK(o.says("convention angular: the integral of f*exp(-i*t*w) over t"));
  const auto j = test::tool("transform '1/(1 + w^2)' --inverse-fourier 'w to t' --convention unitary --json").json();
  CHECK(j["result"] == "sqrt(2*pi)*exp(-abs(t))/2");
  CHECK(j["convention"] == "unitary");
  CHECK(j["check"]["verdict"] == "agrees");
  CHECK(test::tool("transform 'exp(t)' --fourier-transform 't to w'").says("unevaluated"));
  CHECK(test::tool("transform 't' --fourier-transform 't'").says("--fourier-transform takes \"t to w\""));
  CHECK(test::tool("transform 't' --fourier-transform 't to w' --laplace 't to s'").code != 0);
  CHECK(test::tool("transform 'exp(-t)' --laplace 't to s' --convention unitary").says("--convention"));
}
