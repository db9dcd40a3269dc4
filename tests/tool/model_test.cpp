// SPDX-License-Identifier: MIT
// Model files: what they mean, and what is said of mistakes in them.
#include <doctest/doctest.h>

#include <cmath>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace {

const char* const good = R"toml(title = "test"
[parameters]
k = { value = 0.5, unit = "1/s", note = "rate" }
c = 2
[unknowns]
x = { start = 1, unit = "m", lower = 0 }
y = 3
"y'" = -1
[functions]
"square(u)" = "u^2"
"shifted(u)" = "square(u + a)"
[definitions]
b = "a*c"
a = "k + 1"
[equations]
first = "x' = -k*shifted(x) + b"
second = "y'' + k*y' + square'(y) = sin(t)"
[outputs]
energy = "y'^2/2 + square(y)"
[run]
until = 10
)toml";

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

}  // namespace

TEST_CASE("a model means what it says") {
  const Model m = parse_model(good);
  CHECK(m.parameters[0].value == Number(1, 2));
  CHECK(m.parameters[0].unit == "1/s");
  CHECK(m.unknowns[1].order == 2);
  CHECK(m.unknowns[1].rate_start == -1);
  CHECK(m.in_time());
  CHECK(m.warnings.empty());
  const System s = time_system(m);
  CHECK(s.state_names == std::vector<std::string>{"x", "y", "y'"});
  Bindings at;
  const std::vector<std::pair<const char*, double>> values{{"k", 0.5}, {"c", 2.0},       {"x", 1.0},
                                                           {"y", 3.0}, {"y_rate", -1.0}, {"t", 2.0}};
  for (const auto& [name, value] : values) at.set(name, value);
  CHECK(evaluate(s.right_sides[0], at, Unused::allowed) == doctest::Approx(-0.5 * 2.5 * 2.5 + 1.5 * 2));
  CHECK(evaluate(s.right_sides[2], at, Unused::allowed) == doctest::Approx(std::sin(2.0) + 0.5 - 6));
  CHECK(evaluate(s.outputs[0], at, Unused::allowed) == doctest::Approx(0.5 + 9));
  const System steady = steady_system(m);
  CHECK(steady.states.size() == 2);
}

TEST_CASE("coupled highest derivatives are solved for") {
  const Model m = parse_model(R"toml(
[parameters]
a = 0.3
[unknowns]
u = 1
v = 2
w = 0
[equations]
e1 = "u' + a*v' = -u"
e2 = "v' - a*u' + w' = u*v"
e3 = "2*w' = v - u'"
)toml");
  const System s = time_system(m);
  Bindings at;
  const std::vector<std::pair<const char*, double>> values{{"a", 0.3}, {"u", 1.2}, {"v", -0.7}, {"w", 0.4}};
  for (const auto& [name, value] : values) at.set(name, value);
  std::vector<double> r;
  for (const Expr& e : s.right_sides) r.push_back(evaluate(e, at, Unused::allowed));
  CHECK(r[0] + 0.3 * r[1] == doctest::Approx(-1.2));
  CHECK(r[1] - 0.3 * r[0] + r[2] == doctest::Approx(1.2 * -0.7));
  CHECK(2 * r[2] == doctest::Approx(-0.7 - r[0]));
}

TEST_CASE("arguments and definitions are kept apart from parameters of the same name") {
  const Model m = parse_model(R"toml(
[parameters]
p = 10
[unknowns]
x = 1
[functions]
"f(p)" = "p + d"
[definitions]
d = "2*p"
[equations]
e = "x = f(1)"
)toml");
  CHECK(m.warnings.size() == 1);
  CHECK(m.equations[0].resolved.rhs == 1 + 2 * Symbol("p"));
}

TEST_CASE("what a model leaves unused is a warning with its place") {
  const Model m = parse_model(replaced(good, "c = 2", "c = 2\nunused = 5"));
  REQUIRE(m.warnings.size() == 1);
  CHECK(m.warnings[0].message.find("unused") != std::string::npos);
  CHECK(m.warnings[0].position.line == 5);
  CHECK(parse_model(replaced(good, "b = \"a*c\"", "b = \"a*c\"\nidle = \"k\"")).warnings.size() == 1);
}

TEST_CASE("mistakes in a model file give kind, file, line and remedy") {
  struct Mistake {
    const char* from;
    const char* to;
    ErrorKind kind;
    std::size_t line;
    const char* says;
  };
  const Mistake mistakes[] = {
      {"k*shifted(x)", "kk*shifted(x)", ErrorKind::name, 16, "did you mean 'k'"},
      {"shifted(x)", "shiftd(x)", ErrorKind::name, 16, "did you mean 'shifted'"},
      {"shifted(x)", "shifted(x, y)", ErrorKind::shape, 16, "takes 1 argument"},
      {"b = \"a*c\"", "b = \"a*(c\"", ErrorKind::syntax, 13, "never closed"},
      {"b = \"a*c\"", "b = \"a*cc\"", ErrorKind::name, 13, "did you mean"},
      {"a = \"k + 1\"", "a = \"k + b\"", ErrorKind::cycle, 14, "a -> b -> a"},
      {"\"u^2\"", "\"shifted(u)\"", ErrorKind::cycle, 10, "square -> shifted -> square"},
      {"c = 2", "k = 2", ErrorKind::syntax, 4, "TOML"},
      {"c = 2", "x = 2", ErrorKind::name, 6, "already a parameter"},
      {"c = 2", "c = \"2\"", ErrorKind::shape, 4, "without quotes"},
      {"c = 2", "\"c'\" = 2", ErrorKind::name, 4, "prime on the parameter"},
      {"c = 2", "c = { unit = \"m\" }", ErrorKind::shape, 4, "has no value"},
      {"c = 2", "c = { value = 2, units = \"m\" }", ErrorKind::name, 4, "did you mean 'unit'"},
      {"c = 2", "c = nan", ErrorKind::domain, 4, "finite"},
      {"c = 2", "pi = 2", ErrorKind::name, 4, "word of the expression grammar"},
      {"c = 2", "\"2c\" = 2", ErrorKind::name, 4, "digits and underscores"},
      {"unit = \"1/s\"", "unit = \"1/(s\"", ErrorKind::syntax, 3, "malformed"},
      {"unit = \"m\"", "unit = \"m + s\"", ErrorKind::syntax, 6, "product of powers"},
      {"lower = 0", "lower = 5, upper = 1", ErrorKind::shape, 6, "exclude everything"},
      {"\"y'\" = -1", "\"z'\" = -1", ErrorKind::name, 8, "no unknown"},
      {"\"y'\" = -1", "\"x'\" = -1", ErrorKind::shape, 6, "of first order"},
      {"\"y'\" = -1", "\"k'\" = -1", ErrorKind::name, 8, "is a parameter"},
      {"k*y' ", "k*k' ", ErrorKind::name, 17, "parameter"},
      {"y'' + k*y'", "y''' + k*y'", ErrorKind::unsupported, 7, "order 3"},
      {"y'' + k*y' + square'(y) = sin(t)", "y'' < 1", ErrorKind::shape, 17, "left = right"},
      {"second = \"y'' + k*y' + square'(y) = sin(t)\"", "", ErrorKind::shape, 7, "occurs in no equation"},
      {"second = \"y'' + k*y' + square'(y) = sin(t)\"", "second = \"k = c\"", ErrorKind::shape, 17,
       "contains no unknown"},
      {"y'' + k*y' + square'(y) = sin(t)", "y'' = 1/(k - k)", ErrorKind::domain, 17, "division by zero"},
      {"y'' + k*y' + square'(y) = sin(t)", "y'' = k(3)", ErrorKind::name, 17, "k is a parameter, not a function"},
      {"\"square(u)\"", "square", ErrorKind::syntax, 10, "list of arguments"},
      {"\"square(u)\"", "\"square(u, u)\"", ErrorKind::name, 10, "two arguments named"},
      {"\"square(u)\"", "\"square(3)\"", ErrorKind::name, 10, "cannot be an argument"},
      {"until = 10", "untill = 10", ErrorKind::name, 21, "did you mean 'until'"},
      {"until = 10", "until = -1", ErrorKind::shape, 21, "end after it starts"},
      {"until = 10", "samples = 1.5", ErrorKind::shape, 21, "integer"},
      {"[outputs]", "[output]", ErrorKind::name, 18, "did you mean 'outputs'"},
      {"title = \"test\"", "title = 3", ErrorKind::shape, 1, "text in quotes"},
      {"[unknowns]", "[unknown]", ErrorKind::name, 5, "did you mean 'unknowns'"},
      {"energy = \"y'^2/2", "energy = \"yy'^2/2", ErrorKind::name, 19, "not known"},
      {"title = \"test\"", "title = \"test", ErrorKind::syntax, 1, "TOML"},
  };
  for (const Mistake& m : mistakes) {
    CAPTURE(m.from);
    CAPTURE(m.to);
    try {
      (void)parse_model(replaced(good, m.from, m.to), "some.toml");
      FAIL_CHECK("no error");
    } catch (const Error& e) {
      CHECK_MESSAGE(e.kind() == m.kind, e.what());
      CHECK_MESSAGE(e.position().line == m.line, e.what());
      CHECK_MESSAGE(e.position().column > 0, e.what());
      CHECK_MESSAGE(e.position().file == "some.toml", e.what());
      CHECK_MESSAGE(std::string(e.what()).find(m.says) != std::string::npos, e.what());
    }
  }
  CHECK_THROWS_AS((void)load_model("no/such/file.toml"), Error);
  CHECK_THROWS_AS((void)parse_model("[unknowns]\nx = 1\ny = 1\n[equations]\na = \"x + y = 1\"\n"), Error);
}

TEST_CASE("a place inside an expression is a place in the file") {
  try {
    (void)parse_model("[unknowns]\nx = 1\n[equations]\nlong_name = \"x^2 = 2*kk\"\n", "m.toml");
    FAIL("no error");
  } catch (const Error& e) {
    CHECK(e.position().line == 4);
    CHECK(e.position().column == 22);
  }
}

TEST_CASE("steady states") {
  const auto solve = [](const std::string& text) { return solve_steady(steady_system(parse_model(text))); };
  const SteadyResult root = solve("[unknowns]\nx = 1\ny = 1\n[equations]\na = \"x^2 + y^2 = 5\"\nb = \"x*y = 2\"\n");
  REQUIRE(root.converged);
  CHECK(root.values[0] * root.values[1] == doctest::Approx(2));
  CHECK(root.residual_norm < 1e-14);
  CHECK(root.iterations.size() >= 2);
  CHECK(root.iterations.back().residual_norm <= root.iterations.front().residual_norm);

  const SteadyResult lost =
      solve("[unknowns]\na = 1\nb = 1\nc = 2\n[equations]\ne1 = \"a*b = c\"\ne2 = \"c = a*b\"\ne3 = \"a + c = 3\"\n");
  CHECK_FALSE(lost.converged);
  CHECK(lost.outcome == SteadyOutcome::singular);
  CHECK(lost.message.find("do not determine") != std::string::npos);
  CHECK_FALSE(lost.suspects.empty());

  const SteadyResult bounded = solve("[unknowns]\nx = { start = 3, lower = 1 }\n[equations]\ne = \"x^2 = 0.25\"\n");
  CHECK_FALSE(bounded.converged);
  CHECK(bounded.outcome == SteadyOutcome::at_bound);
  CHECK(bounded.at_bounds == std::vector<std::string>{"x"});

  const SteadyResult start = solve("[unknowns]\nx = -1\n[equations]\ne = \"log(x) = 1\"\n");
  CHECK(start.outcome == SteadyOutcome::not_finite_at_start);
  CHECK(start.message.find("start") != std::string::npos);

  const SteadyResult none = solve("[unknowns]\nx = 1\n[equations]\ne = \"x^2 + 1 = 0\"\n");
  CHECK_FALSE(none.converged);
  CHECK_THROWS_AS((void)solve("[unknowns]\nx = 1\n[equations]\na = \"x = 1\"\nb = \"x = 2\"\n"), Error);
}

TEST_CASE("dense and sparse linear solvers agree on a large system") {
  std::string text = "[parameters]\nh = 0.02\n[unknowns]\n";
  for (int i = 0; i < 60; ++i) text += "u" + std::to_string(i) + " = 0.1\n";
  text += "[equations]\n";
  for (int i = 0; i < 60; ++i) {
    const std::string left = i == 0 ? "0" : "u" + std::to_string(i - 1);
    const std::string right = i == 59 ? "1" : "u" + std::to_string(i + 1);
    const std::string u = "u" + std::to_string(i);
    text += "e" + std::to_string(i) + " = \"" + left + " - 2*" + u + " + " + right + " = h^2*exp(" + u + ")\"\n";
  }
  const System s = steady_system(parse_model(text));
  SteadyOptions dense;
  dense.linear_solver = LinearSolver::dense;
  const SteadyResult a = solve_steady(s, dense);
  const SteadyResult b = solve_steady(s);
  REQUIRE(a.converged);
  REQUIRE(b.converged);
  CHECK(b.linear_solver.find("KLU") != std::string::npos);
  for (std::size_t i = 0; i < 60; ++i) CHECK(a.values[i] == doctest::Approx(b.values[i]).epsilon(1e-10));
}

TEST_CASE("time stepping against known solutions") {
  const Model decay = parse_model(
      "[parameters]\nk = 2\n[unknowns]\nx = 3\n[equations]\ne = \"x' = -k*x\"\n[outputs]\ntwice = \"2*x\"\nrate = "
      "\"x'\"\n");
  const System s = time_system(decay);
  for (const SteppingMethod method : {SteppingMethod::bdf, SteppingMethod::adams}) {
    TimeOptions o;
    o.until = 1.5;
    o.samples = 4;
    o.method = method;
    const TimeResult r = step_in_time(s, o);
    REQUIRE(r.completed);
    REQUIRE(r.times == std::vector<double>{0, 0.5, 1, 1.5});
    for (std::size_t i = 0; i < 4; ++i) {
      CHECK(r.states[i][0] == doctest::Approx(3 * std::exp(-2 * r.times[i])).epsilon(1e-6));
      CHECK(r.outputs[i][0] == doctest::Approx(2 * r.states[i][0]));
      CHECK(r.outputs[i][1] == doctest::Approx(-2 * r.states[i][0]));
    }
    CHECK(to_csv(s, r).starts_with("t,x,twice,rate\n0,3,6,-6\n"));
  }
  const System oscillator =
      time_system(parse_model("[unknowns]\ns = 1\n\"s'\" = 0\n[equations]\ne = \"s'' = -4*s\"\n"));
  TimeOptions o;
  o.until = 3;
  const TimeResult r = step_in_time(oscillator, o);
  CHECK(r.states.back()[0] == doctest::Approx(std::cos(6.0)).epsilon(1e-5));
  CHECK(r.states.back()[1] == doctest::Approx(-2 * std::sin(6.0)).epsilon(1e-5));
}

TEST_CASE("time stepping that fails says why") {
  const System blow_up = time_system(parse_model("[unknowns]\nx = 1\n[equations]\ne = \"x' = x^2\"\n"));
  TimeOptions o;
  o.until = 2;
  const TimeResult r = step_in_time(blow_up, o);
  CHECK_FALSE(r.completed);
  CHECK(r.message.find("t = ") != std::string::npos);
  const System bad_start = time_system(parse_model("[unknowns]\nx = -1\n[equations]\ne = \"x' = log(x)\"\n"));
  CHECK(step_in_time(bad_start, o).message.find("no finite value at the start") != std::string::npos);
  CHECK_THROWS_AS((void)time_system(parse_model("[unknowns]\nx = 1\n[equations]\ne = \"x = 2\"\n")), Error);
}

namespace {

const char* const with_table = R"toml(
[parameters]
q = 2
[unknowns]
T = { start = 5, lower = 0.1 }
[tables]
sigma = { arguments = [0, 1, 2, 4, 8, 16, 32], values = [0, 0.1, 0.4, 0.9, 1.2, 1, 0.6], curve = "monotone", unit = "m^2" }
[functions]
"loss(x)" = "x*sigma(x)"
[definitions]
gain = "3*q/2"
[equations]
energy = "T' = gain - loss(T) + 0*sigma'(T)"
[outputs]
rate = "sigma(T)/q"
slope = "sigma'(T)"
[run]
until = 30
)toml";

}  // namespace

TEST_CASE("tables of models are functions everywhere") {
  const Model m = parse_model(with_table);
  CHECK(m.warnings.empty());
  CHECK(to_string(m.tables[0]) == "monotone curve through 7 points from 0 to 32");
  const System s = time_system(m);
  const Expr df = derivative(s.right_sides[0], s.states[0]);
  const std::vector<double> at = {3.0};
  const NumericFunction& sigma = m.tables[0].function;
  CHECK(evaluate(df, {{s.states[0], 3.0}}, Unused::allowed) ==
        doctest::Approx(-sigma.value(at) - 3 * sigma.value(at, std::vector<int>{1})));
  TimeOptions options;
  options.until = 30;
  const TimeResult run = step_in_time(s, options);
  const double T = run.states.back()[0];
  CHECK(T * sigma.value(std::vector<double>{T}) == doctest::Approx(3).epsilon(1e-6));
  CHECK(run.outputs.back()[0] == doctest::Approx(sigma.value(std::vector<double>{T}) / 2).epsilon(1e-6));
  CHECK(run.outputs.back()[1] ==
        doctest::Approx(sigma.value(std::vector<double>{T}, std::vector<int>{1})).epsilon(1e-5));
}

TEST_CASE("tables of models: mistakes are told with their place") {
  const auto told = [](const std::string& from, const std::string& to) -> std::string {
    try {
      (void)parse_model(replaced(with_table, from, to));
      return "nothing";
    } catch (const Error& e) {
      CHECK(e.position().known());
      return e.message();
    }
  };
  CHECK(told("[0, 1, 2, 4, 8, 16, 32]", "[0, 1, 2, 4, 8, 16]").find("6 arguments but 7 values") != std::string::npos);
  CHECK(told("[0, 1, 2, 4, 8, 16, 32]", "[0, 1, 2, 2, 8, 16, 32]").find("must rise") != std::string::npos);
  CHECK(told("\"monotone\"", "\"monotonic\"").find("monotone") != std::string::npos);
  CHECK(told("curve =", "curv =").find("did you mean 'curve'") != std::string::npos);
  CHECK(told("sigma = {", "T = {").find("'T' is already an unknown") != std::string::npos);
  CHECK(told("sigma = {", "q = {").find("'q' is already a parameter") != std::string::npos);
  CHECK(told("x*sigma(x)", "x*sigma(x, 2)").find("sigma takes 1 argument") != std::string::npos);
  CHECK(told("x*sigma(x)", "x*sgma(x)").find("sigma") != std::string::npos);
  CHECK(told("values = [", "values = [\"a\", ").find("number") != std::string::npos);
  CHECK(told("sigma = {", "sin = {").find("known already") != std::string::npos);
}

TEST_CASE("operands of a model keep the order typed") {
  const Model m = parse_model(replaced(good, "-k*shifted(x) + b", "b - shifted(x)*k"));
  const PrintOptions options{.independent = "t", .order = m.order};
  CHECK(to_text(m.equations[0].given.rhs, options) == "b - shifted(x)*k");
  CHECK(to_text(m.outputs[0].given, options) == "y'^2/2 + square(y)");
}

TEST_CASE("a backslash before a letter beyond ASCII is told, whatever the parser below makes of it") {
  for (const char* text : {"title = \"a\\\xEF\xBB\xBE\"\n", "title = \"\"\"a\\\xC3\xA4 b\"\"\"\n"}) {
    try {
      (void)parse_model(text);
      FAIL("no error");
    } catch (const Error& e) {
      CHECK(e.kind() == ErrorKind::syntax);
      CHECK(e.position().line == 1);
      CHECK(e.message().find("backslash") != std::string::npos);
    }
  }
}
