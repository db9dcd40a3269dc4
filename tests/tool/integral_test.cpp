// SPDX-License-Identifier: MIT
// integrate, limit, series and inline operators through the real command line.
#include <doctest/doctest.h>

#include <cmath>

#include "boreon/evaluate.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "tool/tool.hpp"

namespace {

test::Output run(const std::string& arguments) { return test::tool(arguments); }

void require_contract(const nlohmann::json& j, const std::string& command) {
  REQUIRE(j.at("ok") == true);
  CHECK(j.at("command") == command);
  for (const char* key : {"input", "result", "status", "conditions", "exceptions", "check", "seconds"}) {
    INFO(std::string(key));
    CHECK(j.contains(key));
  }
  for (const char* key : {"method", "points", "digits", "worst", "verdict"}) CHECK(j.at("check").contains(key));
}

bool same_value(const std::string& a, const std::string& b) {
  const auto c = boreon::compare(boreon::parse(a), boreon::parse(b));
  return c.agrees;
}

}  // namespace

TEST_CASE("integrate: the contract, in all forms") {
  const auto j = run("integrate 'z*exp(-z/H)' --over z --assume 'H > 0' --json").json();
  require_contract(j, "integrate");
  CHECK(j.at("status") == "exact");
  CHECK(j.at("check").at("verdict") == "agrees");
  const auto d = run("integrate 'z*exp(-z/H)' --over 'z from 0 to 5*H' --assume 'H > 0' --json").json();
  require_contract(d, "integrate");
  CHECK(same_value(d.at("result").get<std::string>(), "H^2*(1 - 6*exp(-5))"));
  const auto shell = run("integrate 'r^2*sin(theta)' --over 'r from a to b' --over 'theta from 0 to pi' --over 'phi "
                         "from 0 to 2*pi' --assume 'a > 0, b > a' --json")
                         .json();
  CHECK(same_value(shell.at("result").get<std::string>(), "4*pi*(b^3 - a^3)/3"));
  const auto ball = run("integrate 1 --over 'r from 0 to R' --over 'theta from 0 to pi' --over 'phi from 0 to 2*pi' "
                        "--coordinates spherical --assume 'R > 0' --json")
                        .json();
  CHECK(same_value(ball.at("result").get<std::string>(), "4*pi*R^3/3"));
  const auto fourier = run("integrate 'sin(x)*cos(n*x)' --over 'x from 0 to pi' --assume 'n integer' --json").json();
  CHECK(fourier.at("exceptions").size() >= 2);
  CHECK(fourier.at("exceptions")[0].contains("when"));
  CHECK(run("integrate 'sin(x)*cos(n*x)' --over 'x from 0 to pi' --assume 'n integer'").says("where n = 1: 0"));
  const auto none = run("integrate 'x^x' --over x --json").json();
  CHECK(none.at("status") == "unevaluated");
  CHECK(none.at("result") == "integral(x^x, x)");
  const auto divergent = run("integrate 'tan(x)' --over 'x from 0 to pi' --json").json();
  CHECK(divergent.at("result") == "undefined");
  CHECK(divergent.at("reason").get<std::string>().find("x = pi/2") != std::string::npos);
  CHECK(run("integrate 'tan(x)' --over 'x from 0 to pi'").says("diverges: at x = pi/2"));
  CHECK(run("integrate '1/(x - 1)' --over 'x from 0 to 3' --principal-value").says("log(2)"));
  const auto steps = run("integrate 'x*exp(x^2)' --over x --steps");
  CHECK(steps.says("route:"));
  CHECK(steps.says("substitution"));
  const auto number = run("integrate 'x^x' --over 'x from 0 to 1' --numeric --digits 30 --json").json();
  CHECK(number.at("status") == "approximate");
  CHECK(number.at("result").get<std::string>().substr(0, 20) == "0.783430510712134407");
}

TEST_CASE("integrate: mistakes are explained") {
  struct Case {
    const char* arguments;
    const char* says;
    int code;
  };
  for (const Case& c :
       {Case{"integrate 'x^2'", "--over", 2}, Case{"integrate 'x^2' --over 'x from 0'", "--over takes", 2},
        Case{"integrate 'x^2' --over 3", "--over takes", 2}, Case{"integrate 'x^2 +' --over x", "x^2 +", 2},
        Case{"integrate x --over 'x from 0 to x'", "must not contain x", 2},
        Case{"integrate 'x*y' --over 'x from 0 to 1' --over 'y from 0 to x'", "innermost range first", 2},
        Case{"integrate 'x < 1' --over x", "condition", 2},
        Case{"integrate 1 --over 'r from 0 to 1' --coordinates spherical", "theta", 2},
        Case{"integrate x --over x --numeric", "range", 2},
        Case{"integrate '1/x' --over 'x from 0 to 1' --numeric", "does not converge", 1},
        Case{"integrate 'a*x' --over 'x from 0 to 1' --numeric", "a has no value", 2},
        Case{"limit 'sin(x)/x'", "--at", 2}, Case{"limit x --at 'x = 0'", "--at takes", 2},
        Case{"limit 'exp(b*x)' --at 'x to infinity'", "sign of b", 1}, Case{"series 'exp(x)'", "--about", 2},
        Case{"series 'exp(1/x)' --about 'x=0 from above'", "essential singularity", 1},
        Case{"series 'exp(x)' --about x=0 --order 100000", "400", 1}}) {
    const auto o = run(c.arguments);
    INFO(std::string(c.arguments) << ": " << o.text);
    CHECK(o.says(c.says));
    CHECK(o.code == c.code);
  }
}

TEST_CASE("limit and series: the contract") {
  const auto l = run("limit '(1 - cos(x))/x^2' --at 'x to 0' --json").json();
  require_contract(l, "limit");
  CHECK(l.at("result") == "1/2");
  CHECK(l.at("check").at("verdict") == "agrees");
  CHECK(run("limit 'exp(1/x)' --at 'x to 0 from below' --json").json().at("result") == "0");
  const auto none = run("limit 'sin(1/x)' --at 'x to 0' --json").json();
  CHECK(none.at("result") == "undefined");
  CHECK(run("limit 'sin(1/x)' --at 'x to 0'").says("oscillates"));
  CHECK(run("limit 'x^a*exp(-x)' --at 'x to infinity' --assume 'a > 0' --json").json().at("result") == "0");
  const auto s = run("series 'exp(x)/x' --about x=0 --order 3 --json").json();
  require_contract(s, "series");
  CHECK(s.at("order_term") == "O(x^4)");
  CHECK(s.at("terms").size() == 5);
  CHECK(same_value(s.at("result").get<std::string>(), "1/x + 1 + x/2 + x^2/6 + x^3/24"));
  CHECK(run("series 'lgamma(x)' --about x=infinity --order 1").says("log(x)"));
}

TEST_CASE("integrals, sums and limits inside expressions and models") {
  CHECK(run("simplify 'integral(x*exp(-x), x from 0 to infinity) + limit(sin(t)/t, t to 0)' --json")
            .json()
            .at("result") == "2");
  CHECK(same_value(run("simplify 'sum(k^2, k from 1 to n)' --json").json().at("result").get<std::string>(),
                   "n*(n + 1)*(2*n + 1)/6"));
  const auto e = run("evaluate 'integral(exp(-t^2), t from 0 to a)' --at a=1 --json").json();
  CHECK(std::stod(e.at("result").get<std::string>()) ==
        doctest::Approx(std::sqrt(M_PI) / 2 * std::erf(1.0)).epsilon(1e-12));
  CHECK(run("evaluate 'integral(1/x, x from 0 to 1)'").code != 0);
  CHECK(run("evaluate 'sum(1/k^2, k from 1 to infinity)' --digits 20").says("1.6449340668482264365"));
  const test::Folder folder;
  const std::string model = folder.file("column.toml", R"toml(
title = "Column above an altitude"
[parameters]
H = 2.0
z0 = 1.5
[unknowns]
u = { start = 1 }
[definitions]
column = "integral(exp(-z/H), z from z0 to infinity)"
odd = "integral(exp(-z^2)*cos(sin(z)), z from 0 to z0)"
[equations]
balance = "u = column + odd"
)toml");
  const auto o = run("solve " + model + " --json");
  INFO(o.text);
  const auto j = o.json();
  REQUIRE(j.at("ok") == true);
  const double odd = boreon::evaluate(boreon::parse("integral(exp(-z^2)*cos(sin(z)), z from 0 to 3/2)"));
  CHECK(j.at("values").at("u").get<double>() == doctest::Approx(2 * std::exp(-0.75) + odd).epsilon(1e-10));
}
