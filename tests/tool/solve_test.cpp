// SPDX-License-Identifier: MIT
// solve on equations: what the command answers, in text and in JSON.
#include <doctest/doctest.h>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

TEST_CASE("solve: solutions, conditions and cases in JSON") {
  const auto j = test::tool("solve 'a*x^2 + b*x + c = 0' --for x --json").json();
  CHECK(j["ok"] == true);
  CHECK(j["status"] == "exact");
  CHECK(j["complete"] == true);
  CHECK(j["result"].size() == 2);
  CHECK(j["conditions"][0] == "a != 0");
  CHECK(j["exceptions"][0]["when"] == "a = 0");
  CHECK(j["check"]["verdict"] == "agrees");
  CHECK(j["check"]["digits"].get<double>() >= 15);
  CHECK((boreon::parse(j["result"][0]["x"].get<std::string>()) == boreon::parse("(-b + sqrt(b^2 - 4*a*c))/(2*a)")));
}

TEST_CASE("solve: families, free unknowns, no solution, numbers in a range") {
  const auto family = test::tool("solve 'sin(x) = 1/2' --json").json();
  CHECK(family["integers"][0] == "n1");
  CHECK(family["result"].size() == 2);
  const auto free = test::tool("solve 'x + y = 1' --for x,y --json").json();
  CHECK(free["free"][0] == "y");
  CHECK(free["result"][0]["x"] == "1 - y");
  const auto none = test::tool("solve 'sqrt(x) = -1' --json").json();
  CHECK(none["ok"] == true);
  CHECK(none["complete"] == true);
  CHECK(none["result"].empty());
  const auto numbers = test::tool("solve '3*sin(x) = x' --within 'x from -10 to 10' --json").json();
  CHECK(numbers["status"] == "approximate");
  CHECK(numbers["complete"] == true);
  CHECK(numbers["result"].size() == 3);
  CHECK(numbers["result"][2]["x"].get<std::string>().starts_with("2.27886266007582"));
  const auto honest = test::tool("solve 'tanh(x) = a*x' --for x");
  CHECK(honest.code == 0);
  CHECK(honest.says("unevaluated"));
}

TEST_CASE("solve: --set, --assume, --digits, --format and --steps act") {
  CHECK(test::tool("solve 'x^2 = a' --set a=9 --for x").says("x = 3"));
  CHECK(!test::tool("solve 'x^2 = 7*x' --assume 'x > 0'").says("x = 0"));
  CHECK(test::tool("solve 'x^2 = 2' --digits 30").says("1.41421356237309504880168872421"));
  CHECK(test::tool("solve 'x^2 = 2' --format latex").says("\\sqrt{2}"));
  CHECK(test::tool("solve 'exp(2*x) = 5' --steps").says("inverse of exp"));
  CHECK(test::tool("solve '(x - 1)^2*(x + 2) = 0'").says("(2 times)"));
}

TEST_CASE("solve MODEL --exact: closed forms in parameters, beside the numeric steady state") {
  const test::Folder folder;
  const std::string balance = folder.file("balance.toml",
                                          "[parameters]\nq = 4e9\nalpha = 2e-13\nbeta = 1e-3\n[unknowns]\nn = { start "
                                          "= 1e10, lower = 0 }\n[definitions]\nloss = "
                                          "\"alpha*n^2 + beta*n\"\n[equations]\ne = \"n' = q - loss\"\n");
  auto j = test::tool("solve " + balance + " --exact --json").json();
  CHECK(j["status"] == "exact");
  CHECK(j["complete"] == true);
  REQUIRE(j["result"].size() == 1);
  CHECK((boreon::parse(j["result"][0]["n"].get<std::string>()) ==
         boreon::parse("(sqrt(beta^2 + 4*alpha*q) - beta)/(2*alpha)")));
  CHECK(j["steady_digits"].get<double>() > 12);
  CHECK(j["check"]["verdict"] == "agrees");
  // for a parameter, which then says what it takes
  j = test::tool("solve " + balance + " --exact --for alpha --json").json();
  REQUIRE(j["result"].size() == 1);
  CHECK((boreon::parse(j["result"][0]["alpha"].get<std::string>()) == boreon::parse("q/n^2 - beta/n")));
  // several branches, those outside the bounds marked
  const std::string branches = folder.file(
      "branches.toml",
      "[parameters]\np = 3\n[unknowns]\nx = { start = 2, lower = 1 }\ny = 1\n[equations]\na = \"x + y = p\"\nb = "
      "\"x*y = 2\"\n");
  j = test::tool("solve " + branches + " --exact --json").json();
  CHECK(j["result"].size() == 2);
  CHECK(j["values"].size() == 2);
  CHECK(j["steady_digits"].get<double>() > 12);
  const auto text = test::tool("solve " + branches + " --exact --set p=4");
  CHECK_MESSAGE(text.says("outside the bounds"), text.text);
  CHECK(test::tool("solve " + balance + " --exact --for gamma").says("no unknown or parameter 'gamma'"));
  CHECK(test::tool("solve " + balance + " --exact --for gamma").code == 2);
  // without a closed form the certified numbers, here proved to be all
  const std::string none =
      folder.file("none.toml", "[parameters]\na = 2\n[unknowns]\nx = 1\n[equations]\ne = \"tanh(x) = a*x - 1\"\n");
  j = test::tool("solve " + none + " --exact --json").json();
  CHECK(j["status"] == "approximate");
  CHECK(j["in_parameters"] == false);
  CHECK(j["complete"] == true);
  CHECK(j["steady_digits"].get<double>() > 12);
}

TEST_CASE("solve: solutions that differ in the root of one polynomial are said once") {
  const auto two = test::tool("solve 'x^2*y + y = 3' 'x*y^2 - x = 1' --for x,y");
  CHECK(two.says("for each root u of u^5 - 3*u^4 - 2*u^3 + 6*u^2 + 2*u - 3:"));
  CHECK(two.says("  x = -1.85066, y = 0.677976"));
  CHECK(two.says("there are no others"));
  CHECK_FALSE(two.says("polynomial_root"));
  CHECK(test::tool("solve 'x^2*y + y = 3' 'x*y^2 - x = 1' --for x,y --digits 12").says("y = 0.677976"));
  // a name that is taken
  CHECK(test::tool("solve 'u^2*y + y = 3' 'u*y^2 - u = 1' --for u,y").says("for each root u_ of"));
  const auto fields = test::tool("solve 'x^2*y + y = 3' 'x*y^2 - x = 1' --for x,y --json");
  CHECK(fields.says("\"y\": \"polynomial_root(1, -3, 2, 6, -2, -3, 1)\""));
  // the roots of a longer one have names in the fields as well
  const std::string katsura =
      "'u0^2 + 2*u1^2 + 2*u2^2 + 2*u3^2 + 2*u4^2 = u0' '2*u0*u1 + 2*u1*u2 + 2*u2*u3 + 2*u3*u4 = u1' "
      "'2*u0*u2 + u1^2 + 2*u1*u3 + 2*u2*u4 = u2' '2*u0*u3 + 2*u1*u2 + 2*u1*u4 = u3' "
      "'u0 + 2*u1 + 2*u2 + 2*u3 + 2*u4 = 1' --for u0,u1,u2,u3,u4";
  const auto many = test::tool("solve " + katsura + " --json");
  CHECK(many.says("\"roots\": {"));
  CHECK(many.says("\"complete\": true"));
}

TEST_CASE("solve: inequalities with parameters, complex unknowns, stationary points, inverses") {
  const auto cases = test::tool("solve 'a*x + b < 0' --for x");
  CHECK(cases.says("-b/a < x   if a < 0"));
  CHECK(cases.says("every real x   if a = 0 and b < 0"));
  CHECK(test::tool("solve 'a*x + b < 0' --for x --assume 'a > 0'").says("  x < -b/a\n"));
  CHECK(test::tool("solve 'a*x + b < 0' --for x --json").says("\"if\": ["));
  CHECK(test::tool("solve 'sin(x) > a' --for x").says("with numbers for the parameters (--set) it is solved"));
  CHECK(test::tool("solve '(x - a)/(x - 1) > 0' --for x").says("x > 1 or x < 1   if a = 1"));
  CHECK(test::tool("solve 'exp(z) = -1' --complex").says("2i*pi*n1"));
  CHECK(test::tool("solve 'z^2 = abs(z)' --complex").says("no closed form over the complex numbers"));
  CHECK(test::tool("solve 'exp(z) = 1' --complex --assume 'z > 0'").says("do not go together"));
  CHECK(test::tool("solve 'x^3 - 3*x + y^2' --stationary").says("x = -1, y = 0: saddle, value 2"));
  CHECK(test::tool("solve 'x + 1' --stationary").says("no solution"));
  CHECK(test::tool("solve 'x^2 = 1' --stationary").says("--stationary takes an expression"));
  CHECK(test::tool("solve 'exp(x)/(1 + exp(x))' --inverse").says("x = log(y/(1 - y))   if y > 0 and y < 1"));
  CHECK(test::tool("solve 'x' --inverse --stationary").says("do not go together"));
  CHECK(test::tool("solve 'a*sin(x) + b*y = 1' 'sin(x) - y = 2' --for 'sin(x),y'").says("sin(x) = (2*b + 1)/(a + b)"));
  const auto slope = test::tool("derive 'x^2 + y^2 = 25' --implicit y --wrt x,x");
  CHECK(slope.says("-1/y - x^2/y^3"));
  CHECK(slope.says("agrees"));
  CHECK(test::tool("derive 'x^2 + y^2 = 25' --implicit z --wrt x").says("z does not occur in the equation"));
  CHECK(test::tool("derive 'x^2 + y^2 = 25' --wrt x").says("--implicit y --wrt x"));
  CHECK(test::tool("solve \"T'(t) + k*T(t) = q\" --for \"T'(t)\"").says("q - k*T(t)"));
  CHECK(test::tool("solve 'x > 1i'").says("complex numbers have no order"));
  // over the budget nothing is claimed, and the way on is said
  const auto over = test::tool("solve 'x^3 + a*y^2*x = 1' 'y^3 - x*y*a^2 + x = 2' --for x,y --work 100000");
  CHECK(over.code == 0);
  CHECK(over.says("unevaluated: 2 equations for 2 unknowns take more work"));
  CHECK(over.says("--set"));
}

TEST_CASE("solve: inequalities with ends that are numbers, and what is known of a system beyond its budget") {
  const auto j = test::tool("solve \"exp(x) + x^3 > 2\" --json").json();
  CHECK(j["status"] == "approximate");
  CHECK(j["complete"] == true);
  CHECK(j["result"] == "x > double(0.5867010192145754)");  // reads back as the number it is
  CHECK(test::tool("solve \"x > double(0.5)\"").code == 0);
  CHECK(test::tool("solve \"exp(x) + x^3 > 2\"").says("x > 0.5867010192145754\n"));
  const auto cut = test::tool("solve \"exp(x) + x^3 > 2\" --within \"x from 1 to 3\" --json").json();
  CHECK(cut["result"] == "x <= 3 and x >= 1");
  CHECK(cut["status"] == "exact");
  CHECK(test::tool("solve \"sin(x) > 1/2\"").says("--within \"x from 0 to 10\""));
  CHECK(test::tool("solve \"x < 1\" --within \"y from 0 to 1\"").code == 2);
  const auto large =
      test::tool("solve \"x^3 + y^3 + z^3 + 1\" \"x*y*z + x + 2\" \"x^3 + z*y + 3*y^2 + x\" --for x,y,z --work 100000");
  CHECK_MESSAGE(large.says("at most 27 solutions"), large.text);
}
