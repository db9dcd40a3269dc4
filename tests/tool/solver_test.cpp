// SPDX-License-Identifier: MIT
// Solvers on problems whose answers are known, and figures.
#include <doctest/doctest.h>

#include <cmath>
#include <filesystem>
#include <fstream>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace {

System steady(const std::string& text) { return steady_system(parse_model(text)); }
System in_time(const std::string& text) { return time_system(parse_model(text)); }

}  // namespace

TEST_CASE("roots of systems with known solutions") {
  struct Case {
    const char* text;
    std::vector<double> root;
  };
  const Case cases[] = {
      {"[unknowns]\nx = 1\n[equations]\ne = \"cos(x) = x\"\n", {0.7390851332151607}},
      {"[unknowns]\nx = -1.2\ny = 1\n[equations]\na = \"10*(y - x^2)\"\nb = \"1 - x\"\n", {1, 1}},
      {"[unknowns]\nx = 6\ny = -4\n[equations]\na = \"atan(3*(x - 1)) = (y - 2)/10\"\nb = \"atan(3*(y - 2)) = -(x - "
       "1)/10\"\n",
       {1, 2}},
      {"[unknowns]\nx = { start = 0.5, lower = 0 }\n[equations]\ne = \"x*exp(x) = 1\"\n", {0.5671432904097838}},
      {"[unknowns]\nx = { start = -0.5, upper = 0 }\n[equations]\ne = \"x^2 = 2\"\n", {-std::sqrt(2.0)}},
      {"[unknowns]\nx = { start = 0.9, lower = 0.1, upper = 1.5 }\n[equations]\ne = \"sin(x) = 1/2\"\n",
       {std::asin(0.5)}},
      {"[unknowns]\na = 1\nb = 1\nc = 1\n[equations]\ne = \"a + b + c = 6\"\nf = \"a - b = -1\"\ng = \"2*c = 6\"\n",
       {1, 2, 3}},
      {"[unknowns]\nx = 1e-9\ny = 1e9\n[equations]\na = \"x*y = 2\"\nb = \"y = 1e10*(1 + x)\"\n", {2e-10, 1e10}},
  };
  for (const Case& c : cases) {
    CAPTURE(std::string(c.text));
    const SteadyResult r = solve_steady(steady(c.text));
    REQUIRE_MESSAGE(r.converged, r.message);
    for (std::size_t i = 0; i < c.root.size(); ++i) CHECK(r.values[i] == doctest::Approx(c.root[i]).epsilon(1e-8));
    CHECK(r.correction < 1e-7);
    CHECK(r.residual_calls > 0);
  }
}

TEST_CASE("the iteration table tells the story: quadratic convergence at the end") {
  const SteadyResult r =
      solve_steady(steady("[unknowns]\nx = 3\ny = 2\n[equations]\na = \"x^2 + y = 11\"\nb = \"x + y^2 = 7.5\"\n"));
  REQUIRE(r.converged);
  REQUIRE(r.iterations.size() >= 3);
  for (std::size_t i = 0; i < r.iterations.size(); ++i) CHECK(r.iterations[i].number == static_cast<int>(i));
  for (std::size_t i = 1; i < r.iterations.size(); ++i)
    CHECK(r.iterations[i].residual_norm <= r.iterations[i - 1].residual_norm);
}

TEST_CASE("a start at a singular point is left behind, dependent equations are named") {
  const SteadyResult lucky = solve_steady(steady("[unknowns]\nx = 0\n[equations]\ne = \"x^2 = 4\"\n"));
  REQUIRE(lucky.converged);
  CHECK(std::abs(lucky.values[0]) == doctest::Approx(2));
  CHECK(lucky.restarts > 0);
  const SteadyResult dependent =
      solve_steady(steady("[parameters]\nk = 2\n[unknowns]\nA = 1\nB = 3\nC = 4\n[equations]\na = \"k*A = B\"\nb = \"B "
                          "- k*A = 0\"\nc = \"C = 5\"\n"));
  CHECK(dependent.outcome == SteadyOutcome::singular);
  CHECK(dependent.suspects == std::vector<std::string>{"A", "B"});
  // a start that happens to solve dependent equations is an answer, but not the only one
  const SteadyResult one_of_many =
      solve_steady(steady("[unknowns]\nA = 1\nB = 1\n[equations]\na = \"A = B\"\nb = \"2*B - 2*A = 0\"\n"));
  CHECK(one_of_many.converged);
  CHECK(one_of_many.suspects == std::vector<std::string>{"A", "B"});
  CHECK(one_of_many.message.find("do not determine A, B") != std::string::npos);
}

TEST_CASE("outputs at the steady state, and rates that vanish there") {
  const System s = steady(
      "[parameters]\nk = 3\n[unknowns]\nx = 1\n[equations]\ne = \"x' = 6 - k*x\"\n[outputs]\ndouble_x = \"2*x\"\nrate "
      "= \"x'\"\n");
  const SteadyResult r = solve_steady(s);
  REQUIRE(r.converged);
  CHECK(r.outputs[0] == doctest::Approx(4));
  CHECK(r.outputs[1] == 0);
}

TEST_CASE("explicit time stands still in a steady state") {
  const SteadyResult r =
      solve_steady(steady("[unknowns]\nx = 1\n[equations]\ne = \"x' = 2 + t - x\"\n[run]\nfrom = 3\nuntil = 4\n"));
  REQUIRE(r.converged);
  CHECK(r.values[0] == doctest::Approx(5));
}

TEST_CASE("conserved quantities stay conserved in runs") {
  const System robertson = in_time(R"toml(
[unknowns]
A = 1
B = 0
C = 0
[equations]
a = "A' = -0.04*A + 1e4*B*C"
b = "B' = 0.04*A - 1e4*B*C - 3e7*B^2"
c = "C' = 3e7*B^2"
[outputs]
total = "A + B + C"
)toml");
  TimeOptions o;
  o.until = 1e4;
  o.samples = 11;
  const TimeResult r = step_in_time(robertson, o);
  REQUIRE(r.completed);
  for (const auto& g : r.outputs) CHECK(g[0] == doctest::Approx(1).epsilon(1e-7));
  CHECK(r.steps < 3000);
  CHECK(r.jacobian_calls > 0);

  const System pendulum = in_time(
      "[unknowns]\na = 1\n\"a'\" = 0\n[equations]\ne = \"a'' = -sin(a)\"\n[outputs]\nenergy = \"a'^2/2 - cos(a)\"\n");
  for (const SteppingMethod method : {SteppingMethod::bdf, SteppingMethod::adams}) {
    o.until = 20;
    o.relative_tolerance = 1e-9;
    o.method = method;
    const TimeResult p = step_in_time(pendulum, o);
    REQUIRE(p.completed);
    for (const auto& g : p.outputs) CHECK(g[0] == doctest::Approx(-std::cos(1.0)).epsilon(1e-5));
  }
}

TEST_CASE("dense and sparse runs agree; explicit time enters; tolerances matter") {
  std::string text = "[unknowns]\n";
  for (int i = 0; i < 40; ++i) text += "u" + std::to_string(i) + " = " + std::to_string(i % 7) + ".5\n";
  text += "[equations]\n";
  for (int i = 0; i < 40; ++i) {
    const auto u = [&](int k) { return "u" + std::to_string((k + 40) % 40); };
    text += "e" + std::to_string(i) + " = \"" + u(i) + "' = 20*(" + u(i - 1) + " - 2*" + u(i) + " + " + u(i + 1) +
            ") + sin(t)\"\n";
  }
  const System s = in_time(text);
  TimeOptions o;
  o.until = 2;
  const TimeResult sparse = step_in_time(s, o);
  o.linear_solver = LinearSolver::dense;
  const TimeResult dense = step_in_time(s, o);
  REQUIRE(sparse.completed);
  REQUIRE(dense.completed);
  CHECK(sparse.linear_solver.find("KLU") != std::string::npos);
  CHECK(dense.linear_solver.find("dense") != std::string::npos);
  double mean = 0;
  double start = 0;
  for (std::size_t i = 0; i < 40; ++i) {
    CHECK(sparse.states.back()[i] == doctest::Approx(dense.states.back()[i]).epsilon(1e-6));
    mean += sparse.states.back()[i] / 40;
    start += s.start[i] / 40;
  }
  CHECK(mean == doctest::Approx(start + 1 - std::cos(2.0)).epsilon(1e-6));
  o.relative_tolerance = 1e-3;
  CHECK(step_in_time(s, o).steps < dense.steps);
  std::vector<double> seen;
  o.progress = [&](double t) { seen.push_back(t); };
  CHECK(step_in_time(s, o).completed);
  CHECK(seen.size() == 100);
  CHECK(seen.back() == 2);
  o.until = -1;
  CHECK_THROWS_AS((void)step_in_time(s, o), Error);
}

TEST_CASE("a system may be written by hand") {
  const Symbol x("x"), k("k"), t("t");
  System s;
  s.state_names = {"x"};
  s.states = {x};
  s.start = {1};
  s.lower = {-1e300};
  s.upper = {1e300};
  s.parameters = {k};
  s.parameter_names = {"k"};
  s.parameter_values = {0.5};
  s.time = t;
  s.right_sides = {-k * x};
  s.residuals = {x * x - k};
  TimeOptions o;
  o.until = 2;
  CHECK(step_in_time(s, o).states.back()[0] == doctest::Approx(std::exp(-1.0)).epsilon(1e-6));
  CHECK(solve_steady(s).values[0] == doctest::Approx(std::sqrt(0.5)));
}

TEST_CASE("figures: gaps, scales, panels, refusals") {
  const test::Folder folder;
  Figure f{.title = "it's a \"title\" with 'quotes' and $x_1$", .x_label = "x", .y_label = "y", .curves = {}};
  Curve c{.label = "gap", .x = {}, .y = {}};
  for (int i = 0; i < 50; ++i) {
    c.x.push_back(i);
    c.y.push_back(i == 20 ? std::nan("") : std::exp(0.2 * i));
  }
  f.curves = {c, {.label = "points", .x = {1, 2, 3}, .y = {4, 5, 6}, .points = true}};
  f.logarithmic_y = true;
  write_figure(f, folder / "one.png");
  write_figures({f, f}, folder / "two.svg");
  CHECK(std::filesystem::file_size(folder / "one.png") > 4000);
  std::ifstream svg(folder / "two.svg");
  const std::string text{std::istreambuf_iterator<char>(svg), {}};
  CHECK(text.find("<svg") != std::string::npos);
  CHECK(text.find("quotes") != std::string::npos);
  CHECK_THROWS_AS(write_figure(f, folder / "bad.pdf"), Error);
  CHECK_THROWS_AS(write_figure(f, "/no/such/folder/a.png"), Error);
  CHECK_THROWS_AS(write_figures({}, folder / "none.png"), Error);
  Figure nothing{
      .title = "nothing", .x_label = "", .y_label = "", .curves = {{.label = "nan", .x = {1}, .y = {std::nan("")}}}};
  CHECK_THROWS_AS(write_figure(nothing, folder / "nothing.png"), Error);
  Figure uneven{.title = "uneven", .x_label = "", .y_label = "", .curves = {{.label = "u", .x = {1, 2}, .y = {1}}}};
  CHECK_THROWS_AS(write_figure(uneven, folder / "uneven.png"), Error);
  Figure bars{.title = "bars",
              .x_label = "",
              .y_label = "",
              .curves = {{.label = "a", .x = {}, .y = {1, 2}}, {.label = "b", .x = {}, .y = {3, 0.5}}},
              .categories = {"first one", "second one"}};
  write_figures({bars, f}, folder / "bars.svg");
  std::ifstream drawn(folder / "bars.svg");
  const std::string bar_text{std::istreambuf_iterator<char>(drawn), {}};
  for (const char* word : {"first one", "second one", "3.00", "0.50"}) CHECK(bar_text.find(word) != std::string::npos);
  bars.categories.pop_back();
  CHECK_THROWS_AS(write_figure(bars, folder / "bars.png"), Error);
}

TEST_CASE("differential-algebraic systems: against the same system with the algebraic unknowns written out") {
  struct Case {
    const char* with;
    const char* without;
  };
  const Case cases[] = {
      {"[unknowns]\nx = 1\nz = 0.3\n[equations]\na = \"x' = -z\"\nb = \"z^3 + z = x\"\n[outputs]\no = \"x + t\"\n",
       "[unknowns]\nz = 0.6823278038280194\n[equations]\na = \"(3*z^2 + 1)*z' = -z\"\n[outputs]\no = \"z^3 + z + "
       "t\"\n"},
      {"[unknowns]\nx = 1\n\"x'\" = 0.5\nf = 0\n[equations]\na = \"x'' = f - x'/10\"\nb = \"f = "
       "-4*sin(x)\"\n[outputs]\no "
       "= \"x*f\"\n",
       "[unknowns]\nx = 1\n\"x'\" = 0.5\n[equations]\na = \"x'' = -4*sin(x) - x'/10\"\n[outputs]\no = "
       "\"-4*x*sin(x)\"\n"},
      {"[unknowns]\na = 1\nb = 0\nc = 0\n[equations]\none = \"a' = -0.04*a + 1e4*b*c\"\ntwo = \"b' = 0.04*a - 1e4*b*c "
       "- "
       "3e7*b^2\"\nthree = \"a + b + c = 1\"\n[outputs]\no = \"c\"\n",
       "[unknowns]\na = 1\nb = 0\nc = 0\n[equations]\none = \"a' = -0.04*a + 1e4*b*c\"\ntwo = \"b' = 0.04*a - 1e4*b*c "
       "- "
       "3e7*b^2\"\nthree = \"c' = 3e7*b^2\"\n[outputs]\no = \"c\"\n"}};
  for (const Case& c : cases) {
    TimeOptions o;
    o.until = 3;
    o.samples = 7;
    o.relative_tolerance = 1e-10;
    const System s = in_time(c.with);
    CHECK(s.differential_algebraic());
    const TimeResult a = step_in_time(s, o);
    const TimeResult b = step_in_time(in_time(c.without), o);
    REQUIRE_MESSAGE(a.completed, a.message);
    REQUIRE(b.completed);
    for (std::size_t k = 0; k < 7; ++k) CHECK(a.outputs[k][0] == doctest::Approx(b.outputs[k][0]).epsilon(1e-6));
    o.method = SteppingMethod::adams;
    CHECK_THROWS_AS((void)step_in_time(s, o), Error);
  }
  // a bound of an algebraic unknown is met; equations that do not determine their unknown are refused
  TimeOptions o;
  o.until = 3;
  const TimeResult bound = step_in_time(
      in_time("[unknowns]\nx = 1\nz = { start = 1, upper = 2 }\n[equations]\na = \"x' = 1\"\nb = \"z = x\"\n"), o);
  CHECK_FALSE(bound.completed);
  REQUIRE(bound.crossings.size() == 1);
  CHECK(bound.crossings[0].time == doctest::Approx(1).epsilon(1e-6));
  const TimeResult high =
      step_in_time(in_time("[unknowns]\nx = 1\nz = 0\n[equations]\na = \"x' = z\"\nb = \"x = cos(t)\"\n"), o);
  CHECK_FALSE(high.completed);
  CHECK_MESSAGE(high.message.find("determine") != std::string::npos, high.message);
  CHECK_THROWS_AS((void)in_time("[unknowns]\nx = 1\nz = 0\n[equations]\na = \"x' = z\"\nb = \"x' = cos(t)\"\n"), Error);
}
