// SPDX-License-Identifier: MIT
// All roots within bounds, and branches of steady states.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace roots_cases {

System system_of_text(const std::string& text) { return steady_system(parse_model(text)); }

std::string one_unknown(const std::string& equation, double low, double high) {
  return "[unknowns]\nx = { start = " + std::to_string(0.5 * (low + high)) + ", lower = " + std::to_string(low) +
         ", upper = " + std::to_string(high) + " }\n[equations]\ne = \"" + equation + "\"\n";
}

TraceResult along_k(const std::string& unknown, const std::string& equation, double from, double to) {
  TraceOptions o;
  o.along = "k";
  o.from = from;
  o.to = to;
  return trace(
      system_of_text("[parameters]\nk = 0\n[unknowns]\n" + unknown + "\n[equations]\ne = \"" + equation + "\"\n"), o);
}

}  // namespace roots_cases

using namespace roots_cases;

TEST_CASE("as many roots as there are, shown to be all") {
  struct Case {
    const char* equation;
    double low, high;
    std::vector<double> roots;
  };
  const double pi = std::acos(-1.0);
  const Case cases[] = {{"sin(x) = 0", 1, 10, {pi, 2 * pi, 3 * pi}},
                        {"x^2 + 1 = 0", -5, 5, {}},
                        {"exp(x) = 5*x", 0, 4, {0.25917110181907377, 2.542641357773527}},
                        {"log(x) = -2", 0.001, 9, {std::exp(-2.0)}},
                        {"x^3 - x = 0", -1, 1, {-1, 0, 1}},
                        {"abs(x) = 1/2", -3, 3, {-0.5, 0.5}},
                        {"1e-9*(x - 1)*(x - 2) = 0", 0, 5, {1, 2}}};
  for (const Case& c : cases) {
    CAPTURE(std::string(c.equation));
    const RootsResult r = find_roots(system_of_text(one_unknown(c.equation, c.low, c.high)));
    CHECK_MESSAGE(r.complete, r.message);
    REQUIRE(r.roots.size() == c.roots.size());
    for (std::size_t i = 0; i < c.roots.size(); ++i) {
      CHECK(r.roots[i].values[0] == doctest::Approx(c.roots[i]).epsilon(1e-12).scale(1));
      CHECK(r.roots[i].certified);
    }
    CHECK(r.evidence.verdict == Verdict::agrees);
  }
}

TEST_CASE("polynomial systems made from their roots") {
  std::mt19937_64 random(21);
  for (int k = 0; k < 10; ++k) {
    // a grid: (x - a1)(x - a2)... = 0 turned, so that the unknowns mix
    std::vector<double> a;
    std::vector<double> b;
    for (int i = 0; i < 2 + k % 2; ++i) a.push_back(-2 + 4 * static_cast<double>(random() % 1000) / 1000);
    for (int i = 0; i < 2; ++i) b.push_back(-2 + 4 * static_cast<double>(random() % 1000) / 1000);
    const auto near = [](const std::vector<double>& v) {
      for (std::size_t i = 0; i < v.size(); ++i)
        for (std::size_t j = 0; j < i; ++j)
          if (std::fabs(v[i] - v[j]) < 0.01) return true;
      return false;
    };
    if (near(a) || near(b)) continue;
    System s;
    const Symbol x("x"), y("y");
    s.states = {x, y};
    s.start = {0.1, 0.2};
    s.lower = {-6, -6};
    s.upper = {6, 6};
    const Expr u = x + y / 2;
    const Expr v = y - x / 3;
    Expr f = 1;
    Expr g = 1;
    for (const double r : a) f = f * (u - Expr(Number::from_double(r)));
    for (const double r : b) g = g * (v - Expr(Number::from_double(r)));
    s.residuals = {f, g};
    const RootsResult r = find_roots(s);
    CHECK_MESSAGE(r.complete, r.message);
    CHECK(r.roots.size() == a.size() * b.size());
    for (const Root& root : r.roots) {
      const double p = root.values[0] + root.values[1] / 2;
      const double q = root.values[1] - root.values[0] / 3;
      const auto among = [](double value, const std::vector<double>& list) {
        return std::any_of(list.begin(), list.end(), [&](double w) { return std::fabs(value - w) < 1e-9; });
      };
      CHECK(among(p, a));
      CHECK(among(q, b));
    }
  }
}

TEST_CASE("a double root is no certified one, and nothing is called complete that is not") {
  const RootsResult r = find_roots(system_of_text(one_unknown("(x - 1)^2 = 0", -3, 4)));
  CHECK_FALSE(r.complete);
  CHECK(r.message.find("x = 1") != std::string::npos);
  REQUIRE(r.roots.size() == 1);
  CHECK_FALSE(r.roots[0].certified);
  const RootsResult open = find_roots(system_of_text("[unknowns]\nx = 1\n[equations]\ne = \"x^2 = 4\"\n"));
  CHECK_FALSE(open.complete);
  CHECK(open.roots.size() == 2);
  RootsOptions few;
  few.most_boxes = 5;
  few.starts = 1;
  const RootsResult cut = find_roots(system_of_text(one_unknown("sin(40*x) = 0.3", 0, 9)), few);
  CHECK_FALSE(cut.complete);
  CHECK(cut.message.find("5 boxes") != std::string::npos);
}

TEST_CASE("turning points are where the slope of the inverse vanishes") {
  // k = x^3 - x turns at x = -+1/sqrt(3)
  const TraceResult t = along_k("x = -2", "x^3 - x = k", -4, 4);
  REQUIRE(t.completed);
  REQUIRE(t.turning_points.size() == 2);
  const double x = 1 / std::sqrt(3.0);
  CHECK(t.turning_points[0].parameter == doctest::Approx(2 * x * x * x).epsilon(1e-10));
  CHECK(t.turning_points[0].values[0] == doctest::Approx(-x).epsilon(1e-6));
  CHECK(t.turning_points[1].parameter == doctest::Approx(-2 * x * x * x).epsilon(1e-10));
  CHECK(t.points.back().parameter == 4);
  for (const TracePoint& p : t.points)
    CHECK(std::pow(p.values[0], 3) - p.values[0] == doctest::Approx(p.parameter).epsilon(1e-9).scale(1e-3));
  // in other units the same points
  const TraceResult u = along_k("x = -2e9", "(x/1e9)^3 - x/1e9 = k", -4, 4);
  REQUIRE(u.turning_points.size() == 2);
  CHECK(u.turning_points[0].values[0] == doctest::Approx(-1e9 * x).epsilon(1e-6));
}

TEST_CASE("branches that turn back, cross, leave their bounds") {
  // half a circle, round its turning point and back
  const TraceResult circle = along_k("x = 1", "x^2 + k^2 = 1", 0, 3);
  CHECK(circle.completed);
  REQUIRE(circle.turning_points.size() == 1);
  CHECK(circle.turning_points[0].parameter == doctest::Approx(1).epsilon(1e-10));
  CHECK(circle.points.back().values[0] == doctest::Approx(-1).epsilon(1e-9));
  const TraceResult fork = along_k("x = 0.001", "x*(k - x^2 - 1/10) = 0*k", -1, 1);
  CHECK(fork.completed);
  REQUIRE(fork.branch_points.size() == 1);
  CHECK(fork.branch_points[0].parameter == doctest::Approx(0.1).epsilon(1e-4));
  const TraceResult bound = along_k("x = { start = 0.5, upper = 2 }", "x = k", 0.5, 9);
  CHECK(bound.completed);
  CHECK(bound.message.find("upper bound 2 of x") != std::string::npos);
}

TEST_CASE("stability and the beginning of oscillations") {
  // the normal form: a focus that loses its stability at k = 0, between k and -k as real part
  const Model m = parse_model(
      "[parameters]\nk = -1\n[unknowns]\nx = 0.1\ny = 0.1\n[equations]\na = \"x' = (k - 1/4)*x - y + 1/10 - "
      "x*(x^2 + y^2)\"\nb = \"y' = x + (k - 1/4)*y - y*(x^2 + y^2)\"\n");
  const System s = time_system(m);
  TraceOptions o;
  o.along = "k";
  o.from = -1;
  o.to = 1;
  const TraceResult t = trace(s, o);
  REQUIRE(t.completed);
  CHECK(t.points.front().unstable == 0);
  CHECK(t.points.back().unstable == 2);
  REQUIRE(t.hopf_points.size() == 1);
  // half the trace of the Jacobian vanishes there: k - 1/4 = 2*(x^2 + y^2)
  const TracePoint& h = t.hopf_points[0];
  CHECK(h.parameter - 0.25 ==
        doctest::Approx(2 * (h.values[0] * h.values[0] + h.values[1] * h.values[1])).epsilon(1e-6));
}

TEST_CASE("roots and branches on the command line") {
  const std::string model = std::string(BOREON_MODELS) + "/arc_ignition.toml";
  const test::Folder folder;
  test::Output o = test::tool("solve " + model + " --roots --json");
  REQUIRE(o.code == 0);
  CHECK(o.json()["roots"].size() == 3);
  CHECK(o.json()["complete"] == true);
  o = test::tool("trace " + model + " --along power --from 0.005 --to 0.2 --json --plot " + (folder / "b.png") +
                   " --out " + (folder / "b.csv"));
  REQUIRE(o.code == 0);
  CHECK(o.json()["turning_points"].size() == 2);
  CHECK(o.json()["branch"].size() > 50);
  CHECK(std::filesystem::file_size(folder / "b.png") > 10000);
  struct Case {
    std::string arguments;
    int code;
    const char* says;
  };
  const Case cases[] = {{"trace " + model + " --along powr --from 0.1 --to 1", 2, "did you mean 'power'"},
                        {"trace " + model + " --along power --from 0.1", 2, "--to"},
                        {"trace " + model + " --along power --from 0.1 --to 0.1", 2, "two different values"},
                        {"trace " + model + " --from 0.1 --to 1", 2, "--along"},
                        {"trace \"x = k\" --along k --from 0 --to 1", 2, "takes a model"},
                        {"trace " + model + " --along power --from q --to 1", 2, "--from takes a number"},
                        {"solve \"x = 1\" --roots", 2, "--roots"}};
  for (const Case& c : cases) {
    CAPTURE(c.arguments);
    o = test::tool(c.arguments);
    CHECK(o.code == c.code);
    CHECK_MESSAGE(o.says(c.says), o.text);
  }
  const std::string tight =
      folder.file("tight.toml",
                  "[parameters]\nq = 5e7\na = 0.5\n[unknowns]\nn = { start = 100, lower = 0, upper = "
                  "1000 }\n[equations]\nbalance = \"q = a*n^2\"\n");
  o = test::tool("solve " + tight);
  CHECK(o.code == 1);
  CHECK_MESSAGE(o.says("n = 10000, above its upper bound 1000"), o.text);
}

TEST_CASE("the derived Jacobian beside differences, single precision and an old one") {
  const JacobianComparison c =
      compare_jacobians(steady_system(load_model(std::string(BOREON_MODELS) + "/ion_chemistry.toml")));
  REQUIRE(c.trials.size() == 4);
  CHECK(c.trials[0].converged);
  CHECK(c.trials[0].worst_entry == 0);
  CHECK(c.trials[1].converged);
  CHECK(c.trials[1].worst_entry > 0);
  CHECK(c.trials[1].worst_entry < 1e-3);
  CHECK(c.trials[2].worst_entry > c.trials[1].worst_entry);
  CHECK(c.trials[3].residuals.size() >= c.trials[0].residuals.size());
  for (const JacobianTrial& t : c.trials)
    for (std::size_t k = 1; k < t.residuals.size(); ++k) CHECK(t.residuals[k] <= t.residuals[k - 1]);
  const test::Folder folder;
  const test::Output o = test::tool("solve " + std::string(BOREON_MODELS) +
                                      "/ion_chemistry.toml --compare-jacobian --plot " + (folder / "c.png"));
  CHECK(o.code == 0);
  CHECK(o.says("single precision"));
  CHECK(std::filesystem::file_size(folder / "c.png") > 10000);
}
