// SPDX-License-Identifier: MIT
// Optima: against closed forms and an independent search, in any units, with prices that mean what they say; what is
// refused, and what its checks would refute.
#include <doctest/doctest.h>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "solvers/optimum.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace optimise_cases {

constexpr double infinite = std::numeric_limits<double>::infinity();

OptimisationProblem problem_of(const std::string& objective, const std::string& unknowns, std::vector<double> start) {
  OptimisationProblem p;
  for (const Symbol& s : Symbol::list(unknowns)) p.unknowns.emplace_back(s);
  p.start = std::move(start);
  p.lower.assign(p.unknowns.size(), -infinite);
  p.upper.assign(p.unknowns.size(), infinite);
  p.objective = parse(objective);
  return p;
}

Constraint at_most(const std::string& value, double limit) { return {value, parse(value), -infinite, limit}; }
Constraint at_least(const std::string& value, double limit) { return {value, parse(value), limit, infinite}; }
Constraint equal(const std::string& value, double limit) { return {value, parse(value), limit, limit}; }

struct Draw {
  std::mt19937_64 random;
  explicit Draw(std::uint64_t seed) : random(seed) {}
  int pick(int below) { return static_cast<int>(random() % static_cast<std::uint64_t>(below)); }
  double uniform(double low, double high) {
    return low + (high - low) * static_cast<double>(random() >> 11U) * 0x1p-53;
  }
  Expr number(double low, double high) {
    return Expr(Number(static_cast<std::int64_t>(std::lround(100 * uniform(low, high))), 100));
  }
};

// sum of a_i (x_i - c_i)^2 within bounds and one plane of which the multiplier is found by bisection: x_i(m) =
// clamp(c_i - m b_i/(2 a_i)) falls with m where b_i > 0.
struct Planted {
  OptimisationProblem problem;
  std::vector<double> values;
  double multiplier = 0;
  double objective = 0;
};

Planted planted(std::uint64_t seed) {
  Draw draw(seed);
  const int n = 2 + draw.pick(5);
  Planted t;
  OptimisationProblem& p = t.problem;
  std::vector<double> a, b, c;
  std::vector<Expr> terms, plane;
  for (int i = 0; i < n; ++i) {
    p.unknowns.emplace_back(Symbol("x" + std::to_string(i)));
    const Expr weight = draw.number(0.2, 3), slope = draw.number(0.2, 2), centre = draw.number(-2, 2);
    a.push_back(evaluate(weight));
    b.push_back(evaluate(slope));
    c.push_back(evaluate(centre));
    terms.push_back(weight * power(p.unknowns.back() - centre, 2));
    plane.push_back(slope * p.unknowns.back());
    p.lower.push_back(draw.pick(3) == 0 ? -infinite : std::round(10 * draw.uniform(-2, 0)) / 10);
    p.upper.push_back(draw.pick(3) == 0 ? infinite : std::round(10 * draw.uniform(0.5, 2)) / 10);
    p.start.push_back(std::clamp(draw.uniform(-1, 1), p.lower.back(), p.upper.back()));
  }
  p.objective = add(terms);
  const auto at = [&](double m) {
    std::vector<double> x;
    for (std::size_t i = 0; i < a.size(); ++i)
      x.push_back(std::clamp(c[i] - m * b[i] / (2 * a[i]), p.lower[i], p.upper[i]));
    return x;
  };
  const auto sum = [&](const std::vector<double>& x) {
    double s = 0;
    for (std::size_t i = 0; i < x.size(); ++i) s += b[i] * x[i];
    return s;
  };
  const double lowest = sum(at(1e6)), highest = sum(at(-1e6));
  const double limit = std::round(100 * (std::max(lowest, -4.0) * 0.4 + std::min(highest, 4.0) * 0.6)) / 100;
  const int kind = draw.pick(3);
  p.constraints.push_back({"plane", add(plane), kind == 1 ? -infinite : limit, kind == 2 ? infinite : limit});
  const double free = sum(at(0));
  double m = 0;
  if (kind == 0 || (kind == 1 && free > limit) || (kind == 2 && free < limit)) {
    double low = -1e6, high = 1e6;
    for (int k = 0; k < 200; ++k) {
      m = (low + high) / 2;
      (sum(at(m)) > limit ? low : high) = m;
    }
  }
  t.values = at(m);
  t.multiplier = m;
  for (std::size_t i = 0; i < a.size(); ++i) t.objective += a[i] * std::pow(t.values[i] - c[i], 2);
  return t;
}

}  // namespace optimise_cases

using namespace optimise_cases;

TEST_CASE("quadratic forms on a plane within bounds, whose optimum is known otherwise") {
  for (std::uint64_t seed = 0; seed < 60; ++seed) {
    CAPTURE(seed);
    Planted t = planted(seed);
    const OptimisationResult r = optimise(t.problem);
    REQUIRE_MESSAGE(r.found(), r.message);
    CHECK(r.evidence.verdict == Verdict::agrees);
    CHECK(r.objective == doctest::Approx(t.objective).epsilon(1e-10).scale(1));
    for (std::size_t i = 0; i < t.values.size(); ++i)
      CHECK(r.values[i] == doctest::Approx(t.values[i]).epsilon(1e-9).scale(1));
    // what the limit costs is minus its multiplier, unless the bounds hold everything
    if (r.active[0] != 0 && r.free_directions > 0)
      CHECK(r.prices[0] == doctest::Approx(-t.multiplier).epsilon(1e-6).scale(1));
    if (r.active[0] == 0) CHECK(std::fabs(t.multiplier) < 1e-9);
    // the greatest value of minus the objective is there, too
    t.problem.objective = -t.problem.objective;
    t.problem.maximise = true;
    const OptimisationResult other = optimise(t.problem, {.other_starts = 0});
    REQUIRE_MESSAGE(other.found(), other.message);
    CHECK(other.objective == doctest::Approx(-t.objective).epsilon(1e-10).scale(1));
    if (r.active[0] != 0 && r.free_directions > 0)
      CHECK(other.prices[0] == doctest::Approx(-r.prices[0]).epsilon(1e-6).scale(1));
  }
}

TEST_CASE("the units of unknowns, objective and constraints change nothing") {
  for (std::uint64_t seed = 0; seed < 12; ++seed) {
    CAPTURE(seed);
    const Planted t = planted(seed + 500);
    const OptimisationResult plain = optimise(t.problem, {.other_starts = 3});
    REQUIRE(plain.found());
    Draw draw(seed);
    OptimisationProblem p = t.problem;
    Bindings units;
    std::vector<double> factors;
    for (std::size_t i = 0; i < p.unknowns.size(); ++i) {
      factors.push_back(std::pow(10.0, draw.pick(33) - 16));
      units.set(p.unknowns[i], p.unknowns[i] / Expr(Number::from_double(factors[i])));
      p.start[i] *= factors[i];
      p.lower[i] *= factors[i];
      p.upper[i] *= factors[i];
    }
    const double of_objective = std::pow(10.0, draw.pick(25) - 12), of_plane = std::pow(10.0, draw.pick(25) - 12);
    p.objective = Expr(Number::from_double(of_objective)) * substitute(p.objective, units);
    p.constraints[0].value = Expr(Number::from_double(of_plane)) * substitute(p.constraints[0].value, units);
    p.constraints[0].lower *= of_plane;
    p.constraints[0].upper *= of_plane;
    const OptimisationResult r = optimise(p, {.other_starts = 3});
    REQUIRE_MESSAGE(r.found(), r.message);
    CHECK(r.active == plain.active);
    CHECK(r.at_bounds == plain.at_bounds);
    for (std::size_t i = 0; i < p.unknowns.size(); ++i)
      CHECK(r.values[i] / factors[i] == doctest::Approx(plain.values[i]).epsilon(1e-8).scale(1));
    CHECK(r.prices[0] / of_objective * of_plane == doctest::Approx(plain.prices[0]).epsilon(1e-6).scale(1));
  }
}

TEST_CASE("a price is what the optimum changes by when its limit is moved") {
  OptimisationProblem p = problem_of("(x - 3)^2 + (y - 2)^2 + x*y*z + exp(z)", "x y z", {1, 1, 0});
  p.lower = {0, 0, -2};
  p.upper = {5, 1.5, 3};
  p.constraints = {at_most("x + y^2", 2.5), equal("x*y + z", 0.5), at_least("x", 0.1)};
  const OptimisationResult r = optimise(p);
  REQUIRE_MESSAGE(r.found(), r.message);
  const auto moved = [&](auto change) {
    constexpr double by = 1e-5;
    OptimisationProblem up = p, down = p;
    up.start = down.start = r.values;
    change(up, by);
    change(down, -by);
    return (optimise(up, {.other_starts = 0}).objective - optimise(down, {.other_starts = 0}).objective) / (2 * by);
  };
  int holding = 0;
  for (std::size_t j = 0; j < p.constraints.size(); ++j) {
    const double slope =
        moved([&](OptimisationProblem& q, double by) { q.constraints[j].lower += by, q.constraints[j].upper += by; });
    CHECK(r.prices[j] == doctest::Approx(slope).epsilon(1e-5).scale(1));
    holding += r.active[j] != 0 ? 1 : 0;
  }
  for (std::size_t i = 0; i < p.unknowns.size(); ++i) {
    const double slope = moved([&](OptimisationProblem& q, double by) { q.lower[i] += by, q.upper[i] += by; });
    CHECK(r.bound_prices[i] == doctest::Approx(slope).epsilon(1e-5).scale(1));
    holding += r.at_bounds[i] != 0 ? 1 : 0;
  }
  CHECK(holding >= 2);
}

TEST_CASE("places that are awkward: saddles, flat floors, corners, limits that say the same") {
  OptimisationProblem saddle = problem_of("x^2 - y^2", "x y", {0, 0});
  saddle.lower = {-1, -1};
  saddle.upper = {2, 3};
  OptimisationResult r = optimise(saddle, {.other_starts = 0});  // the start is the saddle
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.values[0] == doctest::Approx(0));
  CHECK(r.values[1] == 3);
  CHECK(r.bound_prices[1] == doctest::Approx(-6));

  r = optimise(problem_of("(x - 1)^4 + y^4 + (z + 2)^2", "x y z", {2, 1, 1}));
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.flat);
  CHECK_FALSE(r.warnings.empty());
  CHECK(r.objective < 1e-9);
  CHECK(r.values[2] == doctest::Approx(-2));

  // three limits meet in one corner of the plane, two of its bounds in another
  OptimisationProblem corner = problem_of("-x - 2*y", "x y", {0.1, 0.1});
  corner.lower = {0, 0};
  corner.constraints = {at_most("x + y", 2), at_most("x + 3*y", 4), at_most("y", 1), at_most("2*x + y", 3)};
  r = optimise(corner);
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.values[0] == doctest::Approx(1));
  CHECK(r.values[1] == doctest::Approx(1));

  OptimisationProblem twice = problem_of("x^2 + y^2", "x y", {3, 1});
  twice.constraints = {at_least("x + y", 3), equal("x - y", 0), equal("2*x - 2*y", 0)};
  r = optimise(twice);
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.values[0] == doctest::Approx(1.5));
  CHECK(r.prices[0] == doctest::Approx(3));  // told, since it does not depend on the others
  CHECK(std::isnan(r.prices[1]));
  CHECK_FALSE(r.warnings.empty());

  // an unknown that ends as next to nothing hides no other
  OptimisationProblem trace = problem_of("x*log(x) + y*log(y) + 50*x + z^2", "x y z", {0.5, 0.5, 1});
  trace.lower = {1e-40, 1e-40, -5};
  trace.constraints = {equal("x + y", 1)};
  r = optimise(trace);
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.values[0] == doctest::Approx(std::exp(-50.0) / (1 + std::exp(-50.0))).epsilon(1e-9));
  CHECK_FALSE(r.flat);
}

TEST_CASE("the best of several optima, and the others told") {
  const OptimisationResult r = optimise(problem_of("sin(5*x) + x^2/10 + y^2", "x y", {3, 1}));
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.values[0] == doctest::Approx(-0.311665873779994).epsilon(1e-12));
  REQUIRE_FALSE(r.others.empty());
  for (const OtherOptimum& o : r.others) CHECK(o.objective > r.objective);
}

TEST_CASE("a hollow above an abyss is called the best place nearby only") {
  OptimisationProblem p = problem_of("x^3 - 3*x + y^2", "x y", {2, 1});
  const OptimisationResult r = optimise(p);
  REQUIRE_MESSAGE(r.found(), r.message);
  CHECK(r.values[0] == doctest::Approx(1));
  REQUIRE_FALSE(r.warnings.empty());
  CHECK(r.warnings[0].find("only the best place nearby") != std::string::npos);
}

TEST_CASE("why there is no optimum") {
  OptimisationProblem p = problem_of("y^2 - x", "x y", {0, 0});
  CHECK(optimise(p).outcome == OptimisationOutcome::unbounded);
  CHECK(optimise(p).message.find("a bound on x") != std::string::npos);
  p = problem_of("exp(-x)", "x", {0});
  CHECK_FALSE(optimise(p).found());
  p = problem_of("x^2 + y^2", "x y", {0, 0});
  p.constraints = {at_least("x + y", 3), at_most("x + 2*y", 1), at_most("x", 2)};
  OptimisationResult r = optimise(p);
  CHECK(r.outcome == OptimisationOutcome::infeasible);
  CHECK(r.message.find("'x + y' is missed by ") != std::string::npos);
  p = problem_of("log(x) + y^2", "x y", {-1, 1});
  r = optimise(p);
  CHECK(r.outcome == OptimisationOutcome::left_domain);
  CHECK(r.message.find("log(x)") != std::string::npos);
  CHECK(r.message.find("x = -1") != std::string::npos);
  p = problem_of("abs(x - 1) + y^2", "x y", {3, 1});
  r = optimise(p);
  CHECK_FALSE(r.found());
  CHECK(r.message.find("abs(x - 1) has a kink") != std::string::npos);
  p.lower = {1, 2};
  p.upper = {0, 3};
  CHECK_THROWS_WITH_AS((void)optimise(p), doctest::Contains("lower bound of x"), Error);
  p = problem_of("x + q", "x", {1});
  CHECK_THROWS_WITH_AS((void)optimise(p), doctest::Contains("q"), Error);
  p = problem_of("x^2", "x", {1});
  p.constraints = {equal("x", 1), equal("2*x", 2)};
  CHECK_THROWS_WITH_AS((void)optimise(p), doctest::Contains("leave nothing to choose"), Error);
}

TEST_CASE("the checks of an optimum refute what is none") {
  for (std::uint64_t seed = 0; seed < 30; ++seed) {
    CAPTURE(seed);
    const Planted t = planted(seed + 900);
    const OptimisationProblem q = completed(t.problem);
    const SmoothProblem p(q);
    const SmoothProblem::Sizes sizes = p.sizes_at(q.start);
    Optimum o = optimum_near(p, interior_point(p, q.start, sizes, 500), sizes);
    REQUIRE(o.settled);
    CHECK_FALSE(look_around(p, o, sizes, 0).better_around);
    if (curvature_at(p, o, sizes).free_directions == 0) continue;
    // a feasible place a thousandth beside it
    Draw draw(seed);
    Optimum beside = o;
    for (std::size_t i = 0; i < beside.x.size(); ++i) beside.x[i] += 1e-3 * draw.uniform(-1, 1) * sizes.unknowns[i];
    beside.x = made_feasible(p, beside.x, sizes);
    REQUIRE_FALSE(beside.x.empty());
    REQUIRE(p.value(beside.x.data(), beside.objective, beside.constraints.data()));
    if (beside.objective < o.objective + 1e-9) continue;
    CHECK(look_around(p, beside, sizes, 0).better_around);
  }
  // a saddle and a greatest value where a least one is looked for
  for (const char* const text : {"x^2 - y^2", "-x^2 - y^2", "x*y", "x^4 - y^2"}) {
    const OptimisationProblem q = completed(problem_of(text, "x y", {0, 0}));
    const SmoothProblem p(q);
    const SmoothProblem::Sizes sizes = p.sizes_at(q.start);
    InteriorPoint end;
    end.x = {0, 0};
    end.at_lower = end.at_upper = {0, 0};
    const Optimum o = optimum_near(p, end, sizes);
    const Curvature c = curvature_at(p, o, sizes);
    CHECK(c.known);
    CHECK(c.least < -0.1);
    CHECK(look_around(p, o, sizes, 0).better_around);
  }
}

TEST_CASE("a steady state of which one unknown is nothing is determined like any other") {
  const SteadyResult r = solve_steady(steady_system(parse_model(
      "[unknowns]\nx = 1\ny = 1\nz = 2\n[equations]\na = \"x + y + z = 2\"\nb = \"x - y = 0\"\nc = \"x + y = 2\"\n")));
  REQUIRE(r.converged);
  CHECK(r.message == "converged");
  CHECK(r.suspects.empty());
  CHECK(r.values[2] == 0);
  CHECK(r.correction < 1e-12);
}

TEST_CASE("optimise on the command line") {
  const test::Folder folder;
  const std::string can = folder.file("can.toml", R"(title = "A can"
[parameters]
V = { value = 1, uncertainty = 0.05 }
thin = 0.4
[unknowns]
r = { start = 1, lower = 0, unit = "m" }
h = { start = 1, lower = 0 }
[definitions]
lid = "pi*r^2"
[equations]
volume = "lid*h = V"
[outputs]
sheet = { value = "2*lid + 2*pi*r*h", unit = "m^2" }
[optimise]
minimise = "sheet"
[constraints]
slim = "r <= thin"
tall = "h >= 0.1"
)");
  const test::Output text = test::tool("optimise " + can);
  CHECK(text.code == 0);
  CHECK(text.says("minimum of sheet = 6.00531 m^2"));
  CHECK(text.says("slim: r <= thin"));
  CHECK(text.says("changes by -7.47345 for each unit"));
  CHECK(text.says("1 constraint is not in the way"));
  CHECK(text.says("sheet = 6.00531 +- 0.25"));
  const auto json = test::tool("optimise " + can + " --json --set thin=3").json();
  CHECK(json["values"]["r"].get<double>() == doctest::Approx(std::cbrt(0.5 / std::acos(-1.0))));
  CHECK(json["check"]["verdict"] == "agrees");
  CHECK(json["constraints"]["slim"]["active"] == false);
  CHECK(json["constraints"]["volume"]["price"].get<double>() ==
        doctest::Approx(json["objective"].get<double>() * 2 / 3));
  CHECK(test::tool("show " + can).says("minimise\n  sheet\n\nconstraints\n  r <= thin   (slim)"));
  CHECK(test::tool("check " + can).says("curvature of the objective, 3 entries: agrees"));
  CHECK(test::tool("solve " + can).says("optimise finds the best one"));
  CHECK(test::tool("optimise " + can + " --goal maximum").says("goes on rising without end"));
  CHECK(test::tool("optimise " + can + " --of shet").says("'shet'; did you mean 'sheet'?"));
  const std::string table = folder / "can.csv";
  CHECK(test::tool("optimise " + can + " --out " + table).code == 0);
  std::ifstream file(table);
  std::string head;
  std::getline(file, head);
  CHECK(head == "r,h,sheet");

  const test::Output plain =
      test::tool("optimise \"x*y\" --goal maximum --subject \"x + y = 10\" --subject \"x >= 6\" --at x=7");
  CHECK(plain.says("maximum of x*y = 24"));
  CHECK(plain.says("the lower bound 6 of x"));
  CHECK(test::tool("optimise \"x^2\" --subject \"x < 3\"").says("is strict"));
  CHECK(test::tool("optimise \"x^2\" --subject \"x + 1\"").says("takes one relation"));
  CHECK(test::tool("optimise \"x^2\" --at z=3").says("'z' does not occur"));
  CHECK(test::tool("optimise \"3\"").says("nothing to choose"));
  CHECK(test::tool("optimise " + can + " --subject \"r <= 3\"").says("a model has its [constraints]"));
}

TEST_CASE("models with [optimise]: what is refused, and constraints of arrays") {
  const auto load = [](const std::string& rest) { return parse_model("[unknowns]\nx = 1\ny = 2\n" + rest); };
  CHECK_THROWS_WITH_AS((void)load("[optimise]\nminimise = \"x + y\"\nmaximise = \"x\"\n"),
                       doctest::Contains("either minimise"), Error);
  CHECK_THROWS_WITH_AS((void)load("[optimise]\nminimize = \"x + y\"\n"), doctest::Contains("did you mean 'minimise'"),
                       Error);
  CHECK_THROWS_WITH_AS((void)load("[constraints]\na = \"x <= y\"\n[equations]\nb=\"x=1\"\nc=\"y=2\"\n"),
                       doctest::Contains("need [optimise]"), Error);
  CHECK_THROWS_WITH_AS((void)load("[optimise]\nminimise = \"x\"\n"),
                       doctest::Contains("unknown y occurs in no equation or constraint"), Error);
  CHECK_THROWS_WITH_AS((void)load("[optimise]\nminimise = \"x*y\"\n[constraints]\na = \"x < y\"\n"),
                       doctest::Contains("strict"), Error);
  CHECK_THROWS_WITH_AS((void)load("[optimise]\nminimise = \"x*y\"\n[constraints]\na = \"x + y\"\n"),
                       doctest::Contains("one relation"), Error);
  CHECK_THROWS_WITH_AS((void)load("[optimise]\nminimise = \"x*y\"\n[constraints]\na = \"1 <= 2\"\n"),
                       doctest::Contains("whatever is chosen"), Error);
  CHECK_THROWS_WITH_AS(
      (void)load("[optimise]\nminimise = \"x*y\"\n[parameters]\nq = 1\n[constraints]\na = \"q <= 2\"\n"),
      doctest::Contains("contains no unknown"), Error);
  CHECK_THROWS_WITH_AS(
      (void)optimisation_problem(load("[optimise]\nminimise = \"x*y\"\n[equations]\na = \"x' = y\"\n")),
      doctest::Contains("runs in time"), Error);

  // the potentials of the nodes are what the flows of least heating are made of: a circuit solved in another way
  const Model m = load_model(test::model("least_heating.toml"), {{"most", Number(1000)}});
  const OptimisationResult r = optimise(optimisation_problem(m));
  REQUIRE_MESSAGE(r.found(), r.message);
  const int ends[8][2] = {{1, 2}, {2, 3}, {3, 4}, {4, 5}, {5, 6}, {6, 1}, {1, 4}, {2, 5}};
  const double feed[6] = {30, 5, -10, 0, -20, -5};
  std::string text = "[unknowns]\n";
  for (int k = 1; k <= 6; ++k) text += fmt::format("V{} = 0\n", k);
  text += "[equations]\nground = \"V6 = 0\"\n";
  for (int k = 1; k <= 5; ++k) {
    std::string sum;
    for (int w = 0; w < 8; ++w) {
      if (ends[w][0] == k) sum += fmt::format(" + (V{} - V{})/(1 + {}/8)", ends[w][0], ends[w][1], w);
      if (ends[w][1] == k) sum += fmt::format(" - (V{} - V{})/(1 + {}/8)", ends[w][0], ends[w][1], w);
    }
    text += fmt::format("node{} = \"{} = {}\"\n", k, sum, feed[k - 1]);
  }
  const SteadyResult circuit = solve_steady(steady_system(parse_model(text)));
  REQUIRE(circuit.converged);
  for (int w = 0; w < 8; ++w) {
    const double flow = (circuit.values[static_cast<std::size_t>(ends[w][0] - 1)] -
                         circuit.values[static_cast<std::size_t>(ends[w][1] - 1)]) /
                        (1 + w / 8.0);
    CHECK(r.values[static_cast<std::size_t>(w)] == doctest::Approx(flow).epsilon(1e-10).scale(1));
  }
  CHECK(test::tool("optimise " + test::model("least_heating.toml")).says("forth[0]: I[0] <= most"));
}
