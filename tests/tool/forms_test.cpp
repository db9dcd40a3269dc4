// SPDX-License-Identifier: MIT
// simplify, expand, factor, rewrite, check of equations, fields and determinants, MathML: through the command line.
#include <doctest/doctest.h>

#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/mathml.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"
#include "tool/tool.hpp"

using test::model;

namespace {
test::Output run(const std::string& arguments) { return test::tool(arguments); }
}  // namespace

TEST_CASE("forms: results, evidence, JSON contract") {
  struct Case {
    const char* arguments;
    const char* result;
  };
  const Case cases[] = {{"simplify 'sin(x)^2 + cos(x)^2'", "1"},
                        {"simplify 'sqrt(x^2)' --assume 'x > 0'", "x"},
                        {"simplify 'abs(a - b)' --assume 'a > b'", "a - b"},
                        {"simplify 'a*x + b*x + c' --form collected --by x", "x*(a + b) + c"},
                        {"simplify '1/(x^2 - 1)' --form partial-fractions", "1/(2*(x - 1)) - 1/(2*(x + 1))"},
                        {"simplify '1/x + 1/y' --form fraction", "(x + y)/(x*y)"},
                        {"simplify 'cosh(x)' --form exponentials", "exp(x)/2 + exp(-x)/2"},
                        {"simplify 'sin(2*x)' --form expanded-angles", "2*cos(x)*sin(x)"},
                        {"simplify 'sin(x)^2' --form combined-angles", "1/2 - cos(2*x)/2"},
                        {"expand '(x + 1)^3'", "x^3 + 3*x^2 + 3*x + 1"},
                        {"factor 'x^4 - 1'", "(x - 1)*(x + 1)*(x^2 + 1)"},
                        {"rewrite 'f(f(x))' --rule 'f(u) becomes 2*u for any u'", "4*x"}};
  for (const Case& c : cases) {
    CAPTURE(c.arguments);
    const auto o = run(std::string(c.arguments) + " --json");
    REQUIRE(o.code == 0);
    const auto j = o.json();
    CHECK(j["ok"] == true);
    CHECK(j["status"] == "exact");
    // The text may be ordered in another way; the expression is what counts.
    CHECK(boreon::parse(j["result"].get<std::string>()) == boreon::parse(c.result));
    CHECK(j["check"].contains("digits"));
    CHECK(run(c.arguments).says("check: "));
  }
  const auto s = run("simplify 'cos(x)^4 - sin(x)^4' --json").json();
  CHECK(s["check"]["verdict"] == "agrees");
  CHECK(s["operations"]["after"] < s["operations"]["before"]);
}

TEST_CASE("forms of a quantity of a model") {
  const auto o = run("simplify " + model("mirror_proton.toml") + " --of energy --json");
  REQUIRE(o.code == 0);
  CHECK(o.json()["check"]["verdict"] == "agrees");
  CHECK(run("expand " + model("mirror_proton.toml") + " --of enrgy").says("did you mean 'energy'"));
}

TEST_CASE("an equation is checked as an identity") {
  const auto yes = run("check 'tan(x) = sin(x)/cos(x)' --json");
  CHECK(yes.code == 0);
  CHECK(yes.json()["result"] == "proved");
  const auto no = run("check 'sqrt(x^2) = x' --json");
  CHECK(no.code == 1);
  CHECK(no.json()["result"] == "refuted");
  CHECK(no.json()["check"]["worst"]["at"]["x"] < 0);
  CHECK(run("check 'sqrt(x^2) = x' --assume 'x > 0'").says("proved"));
}

TEST_CASE("determinants of coordinate maps have their textbook form") {
  struct Case {
    const char* arguments;
    const char* target;
  };
  const Case cases[] = {
      {"'r*sin(t)*cos(p)' 'r*sin(t)*sin(p)' 'r*cos(t)' --wrt r,t,p", "r^2*sin(t)"},
      {"'s*t*cos(p)' 's*t*sin(p)' '(t^2 - s^2)/2' --wrt s,t,p", "-s*t*(s^2 + t^2)"},
      {"'a*sinh(v)/(cosh(v) - cos(u))' 'a*sin(u)/(cosh(v) - cos(u))' --wrt v,u", "-a^2/(cosh(v) - cos(u))^2"},
      {"'a*sinh(m)*sin(n)*cos(p)' 'a*sinh(m)*sin(n)*sin(p)' 'a*cosh(m)*cos(n)' --wrt m,n,p",
       "a^3*sinh(m)*sin(n)*(sinh(m)^2 + sin(n)^2)"},
      {"'a*sinh(v)*cos(p)/(cosh(v)-cos(u))' 'a*sinh(v)*sin(p)/(cosh(v)-cos(u))' 'a*sin(u)/(cosh(v)-cos(u))' --wrt "
       "v,u,p",
       "a^3*sinh(v)/(cosh(v) - cos(u))^3"},
      {"'cos(t)/r^2' 'r/sin(t)^2' 'p' --wrt r,t,p", "(3*cos(t)^2 + 1)/(r^2*sin(t)^3)"},
      {"'r*cos(a)' 'r*sin(a)*cos(b)' 'r*sin(a)*sin(b)*cos(c)' 'r*sin(a)*sin(b)*sin(c)' --wrt r,a,b,c",
       "r^3*sin(a)^2*sin(b)"}};
  for (const Case& c : cases) {
    CAPTURE(c.arguments);
    const auto o = run(std::string("derive ") + c.arguments + " --what determinant --json");
    REQUIRE(o.code == 0);
    const auto j = o.json();
    const boreon::Expr result = boreon::parse(j["result"].get<std::string>());
    CAPTURE(j["result"]);
    CHECK(boreon::written_cost(result) <= boreon::written_cost(boreon::parse(c.target)));
    CHECK(boreon::compare(result, boreon::parse(c.target)).agrees);
    CHECK(j["check"]["verdict"] == "agrees");
  }
}

TEST_CASE("fields in curvilinear coordinates") {
  CHECK(run("derive 'cos(theta)/r^2' --what laplacian --coordinates spherical --json").json()["result"] == "0");
  CHECK(run("derive '0' 'rho' '0' --what curl --coordinates cylindrical --json").json()["result"][2] == "2");
  CHECK(run("derive 'x' 'y' 'z' --what divergence --json").json()["result"] == "3");
  const auto g = run("derive 'cos(theta)/r^2' --what gradient --coordinates dipole --json");
  REQUIRE(g.code == 0);
  CHECK(g.json()["result"][1] == "0");
  CHECK(g.json()["check"]["verdict"] == "agrees");
}

TEST_CASE("mistakes with forms") {
  struct Mistake {
    const char* arguments;
    int code;
    const char* says;
  };
  const Mistake mistakes[] = {{"simplify 'x' 'y'", 2, "takes one expression"},
                              {"simplify 'x' --form factord", 2, "did you mean 'factored'"},
                              {"simplify 'x*y' --form collected", 2, "--by"},
                              {"simplify 'x' --by x", 2, "--form collected"},
                              {"simplify '1/(x + sin(x))' --form partial-fractions --by x", 2, "not rational"},
                              {"expand '(a + b + c + d + e1)^500'", 1, "terms"},
                              {"expand '(x + 1'", 2, "parenthesis"},
                              {"factor 'x^2 - 1 < 0 or x > 2'", 2, "condition"},
                              {"rewrite 'x'", 2, "--rule"},
                              {"rewrite 'x' --rule 'sin(u) gives 1'", 2, "becomes"},
                              {"rewrite 'x' --rules /no/such/file", 2, "cannot be read"},
                              {"derive 'x' 'y' --what determinant --wrt x", 2, "as many variables"},
                              {"derive 'x' --what curl", 2, "three components"},
                              {"derive 'x' --what laplacian --coordinates spheric", 2, "did you mean 'spherical'"},
                              {"derive 'x' --wrt x --coordinates spherical", 2, "--coordinates goes with"},
                              {"show /no/such/file.mml", 2, "cannot be read"}};
  for (const Mistake& m : mistakes) {
    CAPTURE(m.arguments);
    const auto o = run(m.arguments);
    CHECK_MESSAGE(o.code == m.code, o.text);
    CHECK_MESSAGE(o.says(m.says), o.text);
  }
}

TEST_CASE("MathML: content reads back to the identical expression") {
  const boreon::Symbol x("x"), y("y"), p("p", {boreon::Assumption::positive});
  for (const bool smooth : {true, false}) {
    test::RandomExpression grow(99, {x, y, p}, smooth);
    for (int k = 0; k < 500; ++k) {
      const boreon::Expr e = grow(2 + static_cast<int>(grow.pick(12)));
      const auto context = boreon::ParseContext::of(e);
      INFO(boreon::to_text(e));
      REQUIRE(boreon::parse_mathml(boreon::to_mathml(e, boreon::MathmlPart::content), context) == e);
      REQUIRE(boreon::parse_mathml(boreon::to_mathml(e), context) == e);
    }
  }
  for (const char* text : {"f''(t) + g'[1,2](x, y)", "derivative(f(x), x, 2)", "integral(exp(-u^2), u from 0 to x)",
                           "integral(sin(x), x)", "sum(1/k^2, k from 1 to infinity)", "limit(sin(u)/u, u to 0)",
                           "pi + egamma + 2i", "x < 3 and not (y = 2 or x != 1)", "1/3 + double(0.1)",
                           "cyl_bessel_j(n, x)", "123456789012345678901234567890/7"}) {
    INFO(text);
    const boreon::Expr e = boreon::parse(text);
    CHECK(boreon::parse_mathml(boreon::to_mathml(e)) == e);
  }
}

TEST_CASE("MathML of others, and mistakes in it") {
  using boreon::parse;
  using boreon::parse_mathml;
  CHECK(parse_mathml("<math><apply><minus/><ci>a</ci><cn>1.5</cn></apply></math>") == parse("a - 3/2"));
  CHECK(parse_mathml("<apply><divide/><cn>1</cn><apply><root/><degree><cn>3</cn></degree><ci>x</ci></apply></apply>") ==
        parse("1/x^(1/3)"));
  CHECK(parse_mathml("<m:math xmlns:m='http://www.w3.org/1998/Math/MathML'><m:apply><m:cot/><m:ci> x "
                     "</m:ci></m:apply></m:math>") == parse("cot(x)"));
  CHECK(parse_mathml("<cn type='e-notation'>4.2<sep/>-13</cn>") == parse("4.2e-13"));
  CHECK(parse_mathml("<apply><log/><logbase><cn>2</cn></logbase><cn>8</cn></apply>") == parse("log(8)/log(2)"));
  CHECK(parse_mathml("<apply><factorial/><cn>5</cn></apply>") == 120);
  const std::pair<const char*, const char*> mistakes[] = {{"<math><apply><plus/>", "well-formed"},
                                                          {"<math><mi>x</mi></math>", "presentation"},
                                                          {"<apply><frobnicate/><ci>x</ci></apply>", "frobnicate"},
                                                          {"<apply><divide/><ci>x</ci></apply>", "2 operands"},
                                                          {"<ci>2x</ci>", "2x"},
                                                          {"<cn>one</cn>", "one"},
                                                          {"<apply><sin/></apply>", "argument"},
                                                          {"<apply><int/><ci>x</ci></apply>", "bvar"},
                                                          {"", "well-formed"}};
  for (const auto& m : mistakes) {
    INFO(m.first);
    CHECK_THROWS_WITH_AS((void)parse_mathml(m.first), doctest::Contains(m.second), boreon::Error);
  }
  std::string deep;
  for (int k = 0; k < 100000; ++k) deep += "<apply><sin/>";
  CHECK_THROWS_WITH_AS((void)parse_mathml(deep), doctest::Contains("deep"), boreon::Error);
}

TEST_CASE("MathML files on the command line") {
  const test::Folder folder;
  const auto shown = run("show 'x^2*sin(y)' --format mathml");
  CHECK(shown.says("<annotation-xml"));
  const std::string file = folder.file("input.mml", shown.out);
  CHECK(run("derive " + file + " --wrt x --json").json()["result"] == "2*x*sin(y)");
}

TEST_CASE(
    "MathML: nesting is limited whatever stands between, in linear time; only what the grammar can print is read") {
  using boreon::parse_mathml;
  const auto message = [](const std::string& text) {
    try {
      (void)parse_mathml(text);
    } catch (const boreon::Error& e) {
      return std::string(e.what());
    }
    return std::string("no error");
  };
  const auto nested = [](const std::string& open, std::size_t n) {
    std::string text;
    for (std::size_t i = 0; i < n; ++i) text += open;
    return text;
  };
  for (const char* open :
       {"<apply><minus/>", "<apply><!-- </apply> --><minus/>", "<apply a='>'><minus/>", "<apply a=\"/\"><minus/>",
        "<apply><![CDATA[</apply>]]><minus/>", "<apply><?x </apply>?><minus/>"}) {
    CAPTURE(std::string(open));
    CHECK(message("<math>" + nested(open, 30000)).find("deep") != std::string::npos);
  }
  CHECK(message(nested("<a", 300000)).find("tag begins inside") != std::string::npos);
  CHECK(message(nested("<!--", 300000)) != "no error");
  CHECK(message("<!DOCTYPE math [<!ENTITY a 'b'>]><math><cn>1</cn></math>").find("document types") !=
        std::string::npos);
  CHECK(message("<apply><minus/><true/></apply>").find("a condition stands") != std::string::npos);
  CHECK(message("<apply><sin/><apply><lt/><ci>a</ci><ci>b</ci></apply></apply>").find("a condition stands") !=
        std::string::npos);
  CHECK(message("<apply><diff/><bvar><ci>x</ci><degree><cn>1000000</cn></degree></bvar><apply><ci>f</ci><ci>x</ci></"
                "apply></apply>")
            .find("0 to 1000") == std::string::npos);
  CHECK(message("<apply><diff/><bvar><ci>x</ci><degree><cn>1000000</cn></degree></bvar><apply><ci>f</ci><ci>x</ci></"
                "apply></apply>")
            .find("1 to 1000") != std::string::npos);
}
