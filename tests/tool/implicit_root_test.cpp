// SPDX-License-Identifier: MIT
// Unknowns that are defined by an equation, in models and on the command line.
#include <doctest/doctest.h>

#include <fmt/format.h>

#include <cmath>

#include "boreon/boreon.hpp"
#include "boreon/mathml.hpp"
#include "tool/tool.hpp"

using namespace boreon;

TEST_CASE("a definition that is a root: evaluated, checked, solved and fitted") {
  const test::Output checked = test::tool("check " + test::model("floating_body.toml"));
  CHECK(checked.code == 0);
  CHECK(checked.says("verdict: agrees"));
  CHECK(test::tool("evaluate " + test::model("floating_body.toml")).says("potential = -1.22868794673803"));
  CHECK(test::tool("show " + test::model("floating_body.toml")).says("V = root(current(v), v from -100*T_e to 0)"));

  // the same quantity as an unknown of its own
  const char* const shared = "[parameters]\na = 0.7\nb = 2\n";
  const Model inside =
      parse_model(std::string(shared) +
                  "[unknowns]\ny = 1\n[definitions]\nw = \"root(w_ + a*w_^3 = y + b, w_ from 0 to 50)\"\n"
                  "[equations]\ne = \"y*w = 3 + sin(w)\"\n[outputs]\nf = \"w^2*y\"\n");
  const Model apart = parse_model(std::string(shared) +
                                  "[unknowns]\ny = 1\nw = 1\n[equations]\ne = \"y*w = 3 + sin(w)\"\n"
                                  "d = \"w + a*w^3 = y + b\"\n[outputs]\nf = \"w^2*y\"\n");
  const SteadyResult r = solve_steady(steady_system(inside));
  const SteadyResult s = solve_steady(steady_system(apart));
  REQUIRE(r.converged);
  REQUIRE(s.converged);
  CHECK(r.values[0] == doctest::Approx(s.values[0]).epsilon(1e-12));
  CHECK(r.outputs[0] == doctest::Approx(s.outputs[0]).epsilon(1e-12));
  const SensitivityResult by_inside = sensitivities(steady_system(inside), {"f"}, {"a", "b"});
  const SensitivityResult by_apart = sensitivities(steady_system(apart), {"f"}, {"a", "b"});
  CHECK(by_inside.evidence.verdict == Verdict::agrees);
  for (std::size_t i = 0; i < 2; ++i)
    CHECK(by_inside.of(0, i).forward == doctest::Approx(by_apart.of(0, i).forward).epsilon(1e-9));

  // the loss of an implicit model of data in one line: x + k*x^3 = c*t
  std::string columns;
  std::string times;
  for (int i = 1; i <= 12; ++i) {
    const double t = 0.5 * i;
    double x = 1;
    for (int k = 0; k < 60; ++k) x -= (x + 0.4 * x * x * x - 1.7 * t) / (1 + 1.2 * x * x);
    times += fmt::format("{}{}", i > 1 ? ", " : "", t);
    columns += fmt::format("{}{:.17g}", i > 1 ? ", " : "", x);
  }
  const Model fitted =
      parse_model(fmt::format("[unknowns]\nk = {{ start = 1, lower = 0 }}\nc = {{ start = 1, lower = 0 "
                              "}}\n[data]\ncolumns = {{ t = [{}], x = [{}] "
                              "}}\n[fit]\nx = {{ model = \"root(z + k*z^3 = c*t, z from 0 to 1000)\" }}\n",
                              times, columns));
  const FitResult f = fit(fit_problem(fitted));
  REQUIRE_MESSAGE(f.converged, f.message);
  CHECK(f.values[0] == doctest::Approx(0.4).epsilon(1e-9));
  CHECK(f.values[1] == doctest::Approx(1.7).epsilon(1e-9));
}

TEST_CASE("roots read back from MathML, and the C source of one computes it") {
  const Expr e = parse("1 + a*root(x = cos(a*x), x from 0 to b)");
  CHECK(parse_mathml(to_mathml(e, MathmlPart::content)) == e);
  const test::Output out = test::tool("evaluate \"root(x = cos(a*x), x from 0 to 1)\" --at a=2 --json");
  CHECK(out.json()["check"]["verdict"] == "agrees");
  CHECK(test::tool("evaluate \"root(x^2 + 1, x from 0 to 1)\"").says("no change of sign in the range"));
  CHECK(test::tool("derive \"root(x^3 + x = p, x from 0 to 9)\" --wrt p").says("check: agrees to 15.0 digits"));
  const test::Folder folder;
  const std::string model =
      folder.file("m.toml",
                  "[parameters]\np = 3\n[unknowns]\ny = 1\n[equations]\ne = \"y = root(x^3 + x = p + "
                  "y/10, x from 0 to 9)\"\n");
  CHECK(test::tool("generate " + model + " --language c --out " + (folder / "c")).says("agrees"));
}
