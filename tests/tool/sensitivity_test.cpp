// SPDX-License-Identifier: MIT
// Sensitivities against formulas, forward against adjoint, uncertainties against draws.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace sensitivity_cases {

double uniform(std::mt19937_64& random, double low, double high) {
  return low + (high - low) * (static_cast<double>(random() >> 11U) * 0x1.0p-53);
}

SensitivityOptions run_until(double until) {
  SensitivityOptions o;
  o.at = OutputsAt::end_of_run;
  o.until = until;
  return o;
}

}  // namespace sensitivity_cases

using namespace sensitivity_cases;

TEST_CASE("sensitivities of runs are those of their closed forms, both ways") {
  // n = n0*exp(-a*t), r = n0/(1 + b*n0*t), x = x0*cos(w*t) + v0/w*sin(w*t)
  const Model m = parse_model(
      "[parameters]\na = 0.7\nb = 0.3\nw = 2\n[unknowns]\nn = 1.5\nr = 2\nx = 0.4\n\"x'\" = 0.6\n[equations]\n"
      "one = \"n' = -a*n\"\ntwo = \"r' = -b*r^2\"\nthree = \"x'' = -w^2*x\"\n[outputs]\ng = \"n^2 + a*t\"\n");
  const double T = 1.9;
  const SensitivityResult s =
      sensitivities(time_system(m), {"n", "r", "x", "g"}, {"a", "b", "w", "n(0)", "r(0)", "x(0)"}, run_until(T));
  REQUIRE(s.found);
  const double n = 1.5 * std::exp(-0.7 * T);
  const double r = 2 / (1 + 0.3 * 2 * T);
  const double wanted[4][6] = {
      {-T * n, 0, 0, n / 1.5, 0, 0},
      {0, -T * r * r, 0, 0, r * r / 4, 0},
      {0, 0, -0.4 * T * std::sin(2 * T) + 0.6 * (T * std::cos(2 * T) / 2 - std::sin(2 * T) / 4), 0, 0, std::cos(2 * T)},
      {-2 * T * n * n + T, 0, 0, 2 * n * n / 1.5, 0, 0}};
  for (std::size_t o = 0; o < 4; ++o) {
    for (std::size_t i = 0; i < 6; ++i) {
      CAPTURE(s.outputs[o]);
      CAPTURE(s.inputs[i]);
      const Sensitivity& e = s.of(o, i);
      if (wanted[o][i] == 0) {
        CHECK(std::fabs(e.forward) < 1e-12);
        CHECK(std::fabs(e.adjoint) < 1e-8);
        continue;
      }
      CHECK(e.forward == doctest::Approx(wanted[o][i]).epsilon(1e-7));
      CHECK(e.adjoint == doctest::Approx(wanted[o][i]).epsilon(1e-6));
      CHECK(e.difference == doctest::Approx(wanted[o][i]).epsilon(1e-5));
    }
  }
  CHECK(s.evidence.verdict == Verdict::agrees);
}

TEST_CASE("sensitivities of steady states are those of their closed forms") {
  // n = sqrt(q/a) whatever the scale of the density
  for (const double scale : {1.0, 1e-12, 1e11}) {
    System s;
    const Symbol n("n"), q("q"), a("a"), idle("idle");
    s.states = {n};
    s.start = {scale};
    s.lower = {0};
    s.parameters = {q, a, idle};
    s.parameter_values = {4 * scale * scale, 1, 2};
    s.residuals = {q - a * pow(n, 2)};
    s.output_names = {"cube"};
    s.outputs = {pow(n, 3)};
    const SensitivityResult r = sensitivities(s, {"n", "cube"}, {"q", "a", "idle"});
    REQUIRE(r.found);
    const double root = 2 * scale;
    CHECK(r.of(0, 0).forward == doctest::Approx(0.5 / root).epsilon(1e-12));
    CHECK(r.of(0, 1).forward == doctest::Approx(-0.5 * root).epsilon(1e-12));
    CHECK(r.of(1, 0).adjoint == doctest::Approx(1.5 * root).epsilon(1e-12));
    CHECK(r.of(1, 0).relative == doctest::Approx(1.5).epsilon(1e-12));
    CHECK(r.of(0, 2).forward == 0);
    CHECK(r.of(0, 2).adjoint == 0);
    CHECK(r.linear_solves == 3 + 2);
    CHECK(r.evidence.verdict == Verdict::agrees);
  }
}

TEST_CASE("random systems: forward, adjoint and differences agree, steady and in time") {
  std::mt19937_64 random(11);
  for (int k = 0; k < 12; ++k) {
    const int n = 2 + k % 4;
    System s;
    s.time = Symbol("t");
    std::vector<Expr> x;
    for (int i = 0; i < n; ++i) x.emplace_back(Symbol("x" + std::to_string(i)));
    for (int i = 0; i < 3; ++i) {
      s.parameters.emplace_back(Symbol("p" + std::to_string(i)));
      s.parameter_values.push_back(uniform(random, 0.5, 1.5));
    }
    s.states = x;
    for (int i = 0; i < n; ++i) {
      s.start.push_back(uniform(random, 0.2, 1));
      const Expr& before = x[static_cast<std::size_t>((i + n - 1) % n)];
      const Expr p = s.parameters[static_cast<std::size_t>(i % 3)];
      s.right_sides.push_back(p + sin(before) / 3 - 2 * x[static_cast<std::size_t>(i)] -
                              pow(x[static_cast<std::size_t>(i)], 3) * s.parameters[1]);
    }
    Expr seen = exp(-x[0]);
    if (k % 3 == 2) {  // and a state that follows at once
      const Symbol z("z");
      s.algebraic.assign(static_cast<std::size_t>(n), 0);
      s.algebraic.push_back(1);
      s.states.emplace_back(z);
      s.start.push_back(7);
      s.right_sides[0] += z / 5;
      s.right_sides.push_back(z + pow(z, 3) / 3 - s.parameters[0] * x[0] - s.parameters[2] * x[1]);
      seen = exp(-z) * x[1];
    }
    s.residuals = s.right_sides;
    s.output_names = {"a", "b"};
    s.outputs = {x[0] * x[1] + s.parameters[2], seen};
    SensitivityOptions options = run_until(uniform(random, 0.5, 4));
    const std::vector<std::string> by{"p0", "p1", "p2"};
    for (const bool steady : {false, true}) {
      if (steady) options.at = OutputsAt::steady_state;
      const SensitivityResult r = sensitivities(s, {"a", "b"}, by, options);
      REQUIRE_MESSAGE(r.found, r.message);
      CHECK(r.evidence.verdict == Verdict::agrees);
      for (std::size_t o = 0; o < 2; ++o) {
        for (std::size_t i = 0; i < 3; ++i) {
          CHECK(r.of(o, i).adjoint == doctest::Approx(r.of(o, i).forward).epsilon(1e-6).scale(0.01));
          CHECK(r.of(o, i).difference == doctest::Approx(r.of(o, i).forward).epsilon(1e-5).scale(0.01));
        }
      }
    }
  }
}

TEST_CASE("sensitivities of differential-algebraic runs are those of the same run with the unknown written out") {
  // z is determined by x and parameters; written out, z = (b*x + c*t)/(1 + a)
  const char* const parameters =
      "[parameters]\na = 0.7\nb = 1.3\nc = 0.2\nk = { value = 0.9 }\nq = 0.4\n[unknowns]\nx = 1.2\n";
  const System with = time_system(parse_model(
      std::string(parameters) +
      "y = 0.3\nz = 7\n[equations]\nx = \"x' = -k*z*x + q\"\ny = \"y' = z^2 - y + x\"\nz = \"z + a*z = b*x + c*t\"\n"
      "[outputs]\ng = \"x*y + a*z\"\nh = \"z^2\"\ni = \"integral(z*x, t from 0 to t)\"\n"));
  const System without = time_system(parse_model(
      std::string(parameters) +
      "y = 0.3\n[definitions]\nz = \"(b*x + c*t)/(1 + a)\"\n[equations]\nx = \"x' = -k*z*x + q\"\n"
      "y = \"y' = z^2 - y + x\"\n[outputs]\ng = \"x*y + a*z\"\nh = \"z^2\"\ni = \"integral(z*x, t from 0 to t)\"\n"));
  REQUIRE(with.differential_algebraic());
  const std::vector<std::string> by{"a", "b", "c", "k", "q", "x(0)", "y(0)"};
  const SensitivityOptions options = run_until(2.5);
  const SensitivityResult a = sensitivities(with, {"g", "h", "i"}, by, options);
  const SensitivityResult b = sensitivities(without, {"g", "h", "i"}, by, options);
  REQUIRE_MESSAGE(a.found, a.message);
  REQUIRE(b.found);
  CHECK(a.evidence.verdict == Verdict::agrees);
  for (std::size_t o = 0; o < 3; ++o) {
    CHECK(a.output_values[o] == doctest::Approx(b.output_values[o]).epsilon(1e-8));
    for (std::size_t i = 0; i < by.size(); ++i) {
      CAPTURE(by[i]);
      CHECK(a.of(o, i).forward == doctest::Approx(b.of(o, i).forward).epsilon(1e-6).scale(0.01));
      CHECK(a.of(o, i).adjoint == doctest::Approx(b.of(o, i).forward).epsilon(1e-6).scale(0.01));
      CHECK(b.of(o, i).adjoint == doctest::Approx(b.of(o, i).forward).epsilon(1e-6).scale(0.01));
    }
  }
  // where the search for z begins changes nothing
  const SensitivityResult guess = sensitivities(with, {"g"}, {"z(0)"}, options);
  CHECK(guess.of(0, 0).forward == 0);
  CHECK(guess.of(0, 0).adjoint == 0);
}

TEST_CASE("integrals over time: of closed forms, small beside large states, in equations, with their derivatives") {
  // x = x0 exp(-k t); its integral, and the integral of that
  const char* const decay =
      "[parameters]\nk = 0.5\ns = 1e-9\n[unknowns]\nx = { start = 3e11 }\n[equations]\ne = \"x' = -k*x\"\n[outputs]\n"
      "dose = \"integral(x, t from 0 to t)\"\ntwice = \"integral(integral(x, t from 0 to t), t from 0 to t)\"\n"
      "late = \"s*integral(1/(1 + exp(-20*(t - 2)))*x/1e11, t from 0 to t)\"\nrate = \"derivative(integral(x, t from 0 "
      "to t), t)/x\"\n";
  const System s = time_system(parse_model(decay));
  CHECK(s.integrals == 3);
  CHECK(s.own_states() == 1);
  const double x0 = 3e11;
  const double k = 0.5;
  TimeOptions o;
  o.until = 4;
  o.samples = 5;
  const TimeResult r = step_in_time(s, o);
  REQUIRE_MESSAGE(r.completed, r.message);
  for (std::size_t i = 0; i < r.times.size(); ++i) {
    const double t = r.times[i];
    CHECK(r.outputs[i][0] == doctest::Approx(x0 / k * (1 - std::exp(-k * t))).epsilon(1e-7));
    CHECK(r.outputs[i][1] == doctest::Approx(x0 / k * (t - (1 - std::exp(-k * t)) / k)).epsilon(1e-7));
    CHECK(r.outputs[i][3] == doctest::Approx(1));
  }
  // the rate of `late` is nothing at first and 1e-20 of the state later: its digits are its own
  double late = 0;
  const int steps = 200000;
  for (int i = 0; i < steps; ++i) {
    const double t = 4 * (i + 0.5) / steps;
    late += 4.0 / steps / (1 + std::exp(-20 * (t - 2))) * 3 * std::exp(-k * t);
  }
  CHECK(r.outputs.back()[2] == doctest::Approx(1e-9 * late).epsilon(1e-6));
  const SensitivityResult by = sensitivities(s, {"dose", "late"}, {"k", "x(0)"}, run_until(4));
  CHECK(by.evidence.verdict == Verdict::agrees);
  const double e = std::exp(-k * 4);
  CHECK(by.of(0, 0).forward == doctest::Approx(x0 * (4 * e / k - (1 - e) / (k * k))).epsilon(1e-7));
  CHECK(by.of(0, 0).adjoint == doctest::Approx(by.of(0, 0).forward).epsilon(1e-7));
  CHECK(by.of(0, 1).forward == doctest::Approx((1 - e) / k).epsilon(1e-7));
  CHECK(by.of(1, 1).forward == doctest::Approx(1e-9 * late / x0).epsilon(1e-6));
  // x' = -integral of x is an oscillation
  const System memory = time_system(parse_model(
      "[unknowns]\nx = 1\n[equations]\ne = \"x' = -9*integral(x, t from 0 to t)\"\n[outputs]\no = \"x\"\n"));
  const TimeResult wave = step_in_time(memory, o);
  CHECK(wave.outputs.back()[0] == doctest::Approx(std::cos(12.0)).epsilon(1e-6));
  // an integral equation without any rate: x = 1 + 2 integral of x is exp(2 t)
  const System volterra = time_system(parse_model(
      "[unknowns]\nx = 1\n[equations]\ne = \"x = 2*integral(x, t from 0 to t) + 1\"\n[outputs]\no = \"x\"\n"));
  TimeOptions shorter = o;
  shorter.until = 1.5;
  CHECK(step_in_time(volterra, shorter).outputs.back()[0] == doctest::Approx(std::exp(3.0)).epsilon(1e-6));
  CHECK_THROWS_AS(
      (void)steady_system(parse_model("[unknowns]\nx = 1\n[equations]\ne = \"x' = 1 - x - integral(x, t from "
                                      "0 to t)\"\n")),
      Error);
  for (const char* range : {"integral(x, t)", "integral(x, t from 1 to t)", "integral(x, t from 0 to 2)"}) {
    const std::string text =
        std::string("[unknowns]\nx = 1\n[equations]\ne = \"x' = -x\"\n[outputs]\no = \"") + range + "\"\n";
    try {
      (void)time_system(parse_model(text));
      FAIL("no error");
    } catch (const Error& error) {
      CHECK_MESSAGE(error.message().find("write integral(f, t from 0 to t)") != std::string::npos, error.message());
      CHECK(error.position().line == 6);
    }
  }
}

TEST_CASE("difference quotients show their V: too long a step, then rounding, and single precision loses most") {
  const Model m = parse_model("[parameters]\na = 0.7\n[unknowns]\nx = 1\n[equations]\ne = \"x*exp(x) = a\"\n");
  const SensitivityResult r = sensitivities(steady_system(m), {"x"}, {"a"});
  const Sensitivity& s = r.of(0, 0);
  REQUIRE(s.steps.size() > 8);
  const auto error = [&](double v) { return std::fabs(v / s.forward - 1); };
  double best = 1;
  double best_single = 1;
  for (const DifferenceStep& d : s.steps) {
    best = std::min(best, error(d.central));
    best_single = std::min(best_single, error(d.single));
  }
  CHECK(best < 1e-8);
  CHECK(error(s.steps.front().central) > 100 * best);
  CHECK(error(s.steps.back().central) > 100 * best);
  CHECK(best_single > 100 * best);
  CHECK(error(s.difference) < 1e-7);
}

TEST_CASE("uncertainties add up as the formula says, correlations included, and draws agree") {
  System s;
  const Symbol x("x"), a("a"), b("b");
  s.states = {x};
  s.start = {1};
  s.parameters = {a, b};
  s.parameter_values = {3, 2};
  s.residuals = {x - a * b};
  s.output_names = {"y"};
  s.outputs = {x};
  SensitivityOptions o;
  o.adjoint = o.differences = false;
  const SensitivityResult r = sensitivities(s, {"y"}, {"a", "b"}, o);
  CHECK(r.evidence.verdict == Verdict::untested);
  const std::vector<double> d{0.03, 0.05};
  CHECK(propagate(r, d).deviations[0] == doctest::Approx(std::hypot(2 * 0.03, 3 * 0.05)).epsilon(1e-12));
  const std::vector<std::vector<double>> rho{{1, -0.6}, {-0.6, 1}};
  const double wanted = std::sqrt(0.06 * 0.06 + 0.15 * 0.15 - 2 * 0.6 * 0.06 * 0.15);
  const Propagation p = propagate(r, d, rho);
  CHECK(p.deviations[0] == doctest::Approx(wanted).epsilon(1e-12));
  CHECK(p.contributions[0][1] == doctest::Approx(0.15).epsilon(1e-12));
  const MonteCarlo mc = monte_carlo(s, {"y"}, {"a", "b"}, d, rho, 4000, o);
  CHECK(mc.draws == 4000);
  CHECK(mc.deviations[0] == doctest::Approx(wanted).epsilon(5 * mc.resolution));
  CHECK(mc.means[0] == doctest::Approx(6).epsilon(0.002));
  CHECK_THROWS_AS((void)propagate(r, d, {{1, 1.5}, {1.5, 1}}), Error);
  CHECK_THROWS_AS((void)propagate(r, {0.1}), Error);
}

TEST_CASE("sensitivity and uncertainties on the command line") {
  const std::string model = std::string(BOREON_MODELS) + "/electron_density.toml";
  const test::Folder folder;
  test::Output o = test::tool("sensitivity " + model + " --of n_e --wrt q,a_NO --json --plot " + (folder / "s.png"));
  REQUIRE(o.code == 0);
  const auto j = o.json();
  CHECK(j["result"]["n_e"]["q"]["relative"].get<double>() == doctest::Approx(0.5).epsilon(1e-3));
  CHECK(j["result"]["n_e"]["a_NO"]["forward"].get<double>() ==
        doctest::Approx(j["result"]["n_e"]["a_NO"]["adjoint"].get<double>()).epsilon(1e-9));
  CHECK(std::filesystem::file_size(folder / "s.png") > 10000);
  o = test::tool("solve " + model + " --json --monte-carlo 200");
  REQUIRE(o.code == 0);
  CHECK(o.json()["uncertainties"]["n_e"].get<double>() > 1e9);
  CHECK(o.json()["monte_carlo"]["n_e"]["enough"] == true);
  struct Case {
    std::string arguments;
    const char* says;
  };
  const Case cases[] = {{"sensitivity " + model + " --of n_E", "did you mean 'n_e'"},
                        {"sensitivity " + model + " --wrt alpha", "no parameter 'alpha'"},
                        {"sensitivity " + model + " --wrt N2p", "N2p(0)"},
                        {"sensitivity " + model + " --wrt \"N2p(0)\"", "does not depend on it"},
                        {"sensitivity \"x^2\"", "takes a model"},
                        {"evaluate \"1 + 1\" --monte-carlo 10", "--monte-carlo"},
                        {"solve " + std::string(BOREON_MODELS) + "/arc_ignition.toml --monte-carlo 10", "uncertain"}};
  for (const Case& c : cases) {
    CAPTURE(c.arguments);
    o = test::tool(c.arguments);
    CHECK(o.code == 2);
    CHECK_MESSAGE(o.says(c.says), o.text);
  }
  o = test::tool("sensitivity " + model + " --of share --wrt q");
  CHECK(o.code == 0);
  const std::string idle = folder.file(
      "idle.toml",
      "[parameters]\na = 2\nb = 3\n[unknowns]\nx = 1\ny = 1\n[equations]\ne = \"x^2 = a\"\nf = \"y = b*x\"\n");
  o = test::tool("sensitivity " + idle + " --of x --wrt b");
  CHECK(o.says("x does not depend on b"));
  // error bars of a run with an equation that holds at every moment: z = x, so both fall like exp(-k)
  const std::string algebraic = folder.file(
      "algebraic.toml",
      "[parameters]\nk = { value = 1, uncertainty = 0.1 }\n[unknowns]\nx = 1\nz = 1\n[equations]\ne = \"x' = "
      "-k*z\"\nf = \"z = x\"\n[run]\nuntil = 1\n");
  o = test::tool("simulate " + algebraic);
  CHECK(o.code == 0);
  CHECK_MESSAGE(o.says("x = 0.367879 +- 0.0368   (-0.0368 by k)"), o.text);
  CHECK_MESSAGE(o.says("z = 0.367879 +- 0.0368   (-0.0368 by k)"), o.text);
  const std::string twofold =
      folder.file("twofold.toml", "[parameters]\na = 0\n[unknowns]\nx = 2\n[equations]\ne = \"(x - 1)^2 = a\"\n");
  o = test::tool("sensitivity " + twofold + " --of x --wrt a");
  CHECK(o.code == 1);
  CHECK_MESSAGE(o.says("singular"), o.text);
}

TEST_CASE("second derivatives of steady states, by closed forms and in either order") {
  // x^2 = a*b, y = x*b: x = sqrt(a*b), g = x*y = a*b^2
  const System s = steady_system(parse_model(
      "[parameters]\na = 3\nb = 2\nc = 5\n[unknowns]\nx = 2\ny = 2\n[equations]\ne = \"x^2 = a*b\"\nf = \"y = x*b\"\n"
      "[outputs]\ng = \"x*y + sin(c)\"\nh = \"y/x + exp(-x)*c\"\n"));
  const SecondSensitivity r = second_sensitivities(s, "g", {"a", "b", "c"});
  REQUIRE_MESSAGE(r.found, r.message);
  CHECK(r.evidence.verdict == Verdict::agrees);
  CHECK(r.value == doctest::Approx(12 + std::sin(5.0)));
  const double expected[3][3] = {{0, 4, 0}, {4, 6, 0}, {0, 0, -std::sin(5.0)}};
  const double first[3] = {4, 12, std::cos(5.0)};
  for (std::size_t i = 0; i < 3; ++i) {
    CHECK(r.first[i] == doctest::Approx(first[i]));
    for (std::size_t j = 0; j < 3; ++j) CHECK(r.second[i][j] == doctest::Approx(expected[i][j]).scale(1));
  }
  const SecondSensitivity h = second_sensitivities(s, "h", {"a", "c"});
  REQUIRE(h.found);
  const double x = std::sqrt(6.0);
  CHECK(h.second[0][0] == doctest::Approx(5 * std::exp(-x) * (1 / (6.0) + 1 / (6.0 * x))));
  CHECK(h.second[0][1] == doctest::Approx(-std::exp(-x) / x));
  CHECK(h.second[1][0] == doctest::Approx(-std::exp(-x) / x));
  CHECK_THROWS_WITH_AS((void)second_sensitivities(s, "g", {"x"}), doctest::Contains("x is an unknown"), Error);
  CHECK_THROWS_WITH_AS((void)second_sensitivities(s, "k", {"a"}), doctest::Contains("no output or unknown 'k'"), Error);

  const test::Output out =
      test::tool("sensitivity " + test::model("electron_density.toml") + " --of n_e --wrt q,a_NO --second");
  CHECK(out.code == 0);
  CHECK(out.says("second derivatives of n_e"));
  CHECK(out.says("the uncertain parameters move the mean of n_e by"));
}
