// SPDX-License-Identifier: MIT
// Models with arrays: against the same models written out by hand, what is shown, and what is refused.
#include <doctest/doctest.h>

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace array_cases {

// Reaction and diffusion on a ring or a line with random shape, in index notation and as a list of equations.
struct Twins {
  std::string indexed;
  std::string written;
};

Twins twins(std::uint64_t seed) {
  std::mt19937_64 random(seed);
  const auto pick = [&](int below) { return static_cast<int>(random() % static_cast<std::uint64_t>(below)); };
  const auto uniform = [&](double low, double high) {
    return std::round(1000 * (low + (high - low) * static_cast<double>(random() >> 11U) * 0x1p-53)) / 1000;
  };
  const int n = 4 + pick(5);
  const int first = pick(3) - 1;
  const bool ring = pick(2) == 0;
  const double d = uniform(0.1, 1);
  const int lit = first + 1 + pick(n - 2);
  std::vector<double> loss;
  for (int k = 0; k < n; ++k) loss.push_back(uniform(0.5, 2));
  Twins t;
  t.indexed = fmt::format(
      "[indices]\ni = {{ from = {}, to = \"n + {}\"{} }}\n[parameters]\nn = {}\nD = {}\n\"loss[i]\" = [{}]\n", first,
      first - 1, ring ? ", periodic = true" : "", n, d, fmt::join(loss, ", "));
  t.indexed +=
      "\"seen[i]\" = { value = \"1/(2 + i^2)\" }\n[unknowns]\n\"u[i]\" = { start = \"1 + i/10\", lower = 0 }\nv = "
      "0.5\n";
  t.indexed += "[definitions]\n\"flow[i]\" = \"D*(u[i+1] - u[i])\"\nall = \"sum(u[i]^2, i)/n\"\n[equations]\n";
  t.indexed += "inner = \"u'[i] = flow[i] - flow[i-1] - loss[i]*u[i]^2 + seen[i]*v\"\n";
  t.indexed += fmt::format(
      "lit = {{ equation = \"u'[i] = flow[i] - flow[i-1] - loss[i]*u[i]^2 + seen[i]*v + 1/2\", where = \"i = {}\" }}\n",
      lit);
  if (!ring)
    t.indexed += fmt::format("low = \"u[{}] = 1\"\nhigh = \"u'[n + {}] = -flow[n + {}] - u[n + {}]\"\n", first,
                             first - 1, first - 2, first - 1);
  t.indexed += "rest = \"v' = all - v\"\n[outputs]\nwhole = \"sum(loss[i]*u[i], i)\"\ntop = \"max(u[i], i)\"\n";
  t.written = fmt::format("[parameters]\nD = {}\n[unknowns]\n", d);
  const auto name = [&](int k) { return fmt::format("u_{}", ((k - first) % n + n) % n); };
  for (int k = first; k < first + n; ++k)
    t.written += fmt::format("{} = {{ start = {}, lower = 0 }}\n", name(k), 1 + k / 10.0);
  t.written += "v = 0.5\n[equations]\n";
  for (int k = first; k < first + n; ++k) {
    const std::string u = name(k);
    const auto own = loss[static_cast<std::size_t>(k - first)];
    if (!ring && k == first) {
      t.written += fmt::format("{0}e = \"{0} = 1\"\n", u);
    } else if (!ring && k == first + n - 1) {
      t.written += fmt::format("{0}e = \"{0}' = -D*({0} - {1}) - {0}\"\n", u, name(k - 1));
    } else {
      t.written += fmt::format("{0}e = \"{0}' = D*({1} - {0}) - D*({0} - {2}) - {3}*{0}^2 + v/(2 + {4}^2){5}\"\n", u,
                               name(k + 1), name(k - 1), own, k < 0 ? fmt::format("({})", k) : std::to_string(k),
                               k == lit ? " + 1/2" : "");
    }
  }
  std::string squares;
  std::string weighted;
  std::string top = name(first);
  for (int k = first; k < first + n; ++k) {
    squares += fmt::format("{}{}^2", squares.empty() ? "" : " + ", name(k));
    weighted +=
        fmt::format("{}{}*{}", weighted.empty() ? "" : " + ", loss[static_cast<std::size_t>(k - first)], name(k));
    if (k > first) top = fmt::format("max({}, {})", top, name(k));
  }
  t.written +=
      fmt::format("rest = \"v' = ({})/{} - v\"\n[outputs]\nwhole = \"{}\"\ntop = \"{}\"\n", squares, n, weighted, top);
  return t;
}

constexpr const char* plate = R"toml(title = "A plate"
[indices]
i = { from = 0, to = "n - 1" }
j = { from = 0, to = "n - 1", periodic = true }
[parameters]
n = 5
D = 0.4
"q[i, j]" = { value = "exp(-(i - 2)^2)", unit = "K/s" }
[unknowns]
"T[i, j]" = { start = "300 + i", unit = "K" }
[definitions]
"flux[i, j]" = { value = "D*(T[i, j+1] - T[i, j])", unit = "K/s" }
[equations]
heat = "T'[i, j] = flux[i, j] - flux[i, j-1] + D*(T[i+1, j] - 2*T[i, j] + T[i-1, j]) + q[i, j]"
wall = "T[0, j] = 300"
end  = "T[n-1, j] = T[n-2, j]"
[outputs]
mean = "sum(sum(T[i, j], i), j)/n^2"
"drift[i, j]" = { value = "flux[i, j]^2", unit = "K^2/s^2" }
)toml";

}  // namespace array_cases

using namespace array_cases;

TEST_CASE("models in index notation are what they are written out: steady states, runs, Jacobians") {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    CAPTURE(seed);
    const Twins t = twins(seed);
    CAPTURE(t.indexed);
    const Model a = parse_model(t.indexed);
    const Model b = parse_model(t.written);
    const System x = time_system(a);
    const System y = time_system(b);
    REQUIRE(x.states.size() == y.states.size());
    CHECK(x.start == y.start);
    CHECK(sparse_jacobian(x.right_sides, x.states).pattern.columns ==
          sparse_jacobian(y.right_sides, y.states).pattern.columns);
    const SteadyResult s = solve_steady(steady_system(a));
    const SteadyResult r = solve_steady(steady_system(b));
    REQUIRE(s.converged == r.converged);
    if (!s.converged) continue;
    for (std::size_t k = 0; k < s.outputs.size(); ++k)
      CHECK(s.outputs[k] == doctest::Approx(r.outputs[k]).epsilon(1e-10));
    TimeOptions o;
    o.until = 0.7;
    o.samples = 5;
    const TimeResult run = step_in_time(x, o);
    const TimeResult other = step_in_time(y, o);
    for (std::size_t k = 0; k < s.outputs.size(); ++k)
      CHECK(run.outputs.back()[k] == doctest::Approx(other.outputs.back()[k]).epsilon(1e-6));
  }
}

TEST_CASE("a model with fields: shown as written, solved, results by shape and extremes") {
  const test::Folder folder;
  const std::string file = folder.file("plate.toml", plate);
  const auto shown = test::tool("show " + file);
  CHECK(shown.code == 0);
  for (const char* part : {"i = 0 .. n - 1", "j = 0 .. n - 1, periodic", "q[i, j] = exp(-(i - 2)^2)", "(25 unknowns)",
                           "heat (15 elements):", "T[n - 1, j] = T[n - 2, j]", "flux[i, j] = D*(T[i, j + 1] - T[i, j])",
                           "drift[i, j] = flux[i, j]^2"}) {
    INFO(shown.text << part);
    CHECK(shown.says(part));
  }
  CHECK(test::tool("show " + file + " --format latex").says("T_{n - 1, j}"));
  CHECK(test::tool("show " + file + " --format unicode").code == 0);
  const auto solved = test::tool("solve " + file + " --json");
  REQUIRE(solved.code == 0);
  CHECK(solved.json()["values"]["T[0, 3]"] == 300);
  CHECK(solved.json()["outputs"].contains("drift[4, 4]"));
  const auto text = test::tool("solve " + file);
  CHECK(text.says("T[i, j]     : 5 x 5 values, 300 (T[0, 0])"));
  CHECK(text.says("drift[i, j] : 5 x 5 values"));
  // Sizes are set before the model is made for them, elements of parameters after it.
  const auto larger = test::tool("solve " + file + " --set n=9 --json");
  REQUIRE(larger.code == 0);
  CHECK(larger.json()["values"].contains("T[8, 8]"));
  CHECK(test::tool("check " + file + " --json").json()["check"]["verdict"] == "agrees");
  // Names with commas in tables, out and back in.
  const std::string table = folder / "run.csv";
  REQUIRE(test::tool("simulate " + file + " --until 1 --out " + table).code == 0);
  const CsvTable back = read_csv(table);
  CHECK(back.names[1] == "T[0, 0]");
  CHECK(back.names.size() == 1 + 25 + 1 + 25);
  CHECK(back.column("T[0, 4]").back() == 300);
  const auto drawn = test::tool("simulate " + file + " --until 1 --show T,mean,drift --plot " + (folder / "run.png"));
  CHECK(drawn.code == 0);
  CHECK(test::tool("simulate " + file + " --until 1 --show flux --plot " + (folder / "run.png"))
            .says("make it an output"));
  CHECK(test::tool("simulate " + file + " --until 1 --show 'T[1,2]' --plot " + (folder / "one.png")).code == 0);
  Model m = parse_model(plate);
  CHECK_THROWS_AS(m.set_parameter("n", 7), Error);
  CHECK_NOTHROW(m.set_parameter("D", 0.5));
  CHECK(m.find_array("T")->elements() == 25);
  CHECK(m.find_array("T")->element(7) == "T[1, 2]");
}

TEST_CASE("arrays from files and lists, as whole arrays, and as places of other arrays") {
  const test::Folder folder;
  (void)folder.file("g.csv", "1.5\n0.75\n2\n");
  (void)folder.file("A.csv", "1,2,3\n4,5,6\n");
  const std::string file = folder.file("network.toml", R"toml(
[indices]
node = { from = 1, to = 3 }
wire = { from = 0, to = 2 }
side = { from = 0, to = 1 }
row  = { from = 0, to = 1 }
[parameters]
"ends[wire, side]" = { values = [[1, 2], [2, 3], [3, 1]] }
"g[wire]" = { file = "g.csv", unit = "S" }
"A[row, wire]" = { file = "A.csv" }
[unknowns]
"V[node]" = { start = "node^2" }
[definitions]
"I[wire]" = "g[wire]*(V[ends[wire, 0]] - V[ends[wire, 1]])"
y = "A*I"
C = "A*transpose(A)"
first = "y[0]"
part = "A[0..1, 1..2]"
[equations]
charge = "V'[node] = -sum(piecewise(I[wire] if ends[wire, 0] = node, -I[wire] if ends[wire, 1] = node, 0 otherwise), wire)"
[outputs]
I_2 = "I[2]"
y_1 = "y[1]"
c = "C[0, 1]"
t = "trace(C)"
d = "dot(A*I, A*I) + first"
p = "part[1, 0]"
whole = "2*y - y"
one = "(A*I)[1]"
)toml");
  const auto o = test::tool("evaluate " + file + " --json");
  REQUIRE(o.code == 0);
  const auto value = [&](const char* name) { return std::stod(o.json()["result"][name].get<std::string>()); };
  const double I[] = {1.5 * (1 - 4), 0.75 * (4 - 9), 2.0 * (9 - 1)};
  const double y0 = I[0] + 2 * I[1] + 3 * I[2];
  const double y1 = 4 * I[0] + 5 * I[1] + 6 * I[2];
  CHECK(value("I_2") == doctest::Approx(I[2]));
  CHECK(value("y_1") == doctest::Approx(y1));
  CHECK(value("one") == doctest::Approx(y1));
  CHECK(value("c") == 32);
  CHECK(value("t") == 14 + 77);
  CHECK(value("d") == doctest::Approx(y0 * y0 + y1 * y1 + y0));
  CHECK(value("p") == 5);
  CHECK(value("whole[0]") == doctest::Approx(y0));
  // The places of the network are no parameters: nothing else would follow them.
  const Model m = load_model(file);
  CHECK(m.find_unknown("V[3]")->start == 9);
  for (const Parameter& p : m.parameters) CHECK(!p.name.starts_with("ends"));
  // The index that a part of an array counts with is called like no index of the model.
  const std::string part = folder.file("part.toml", R"toml(
[indices]
place_1 = { from = 0, to = 1 }
q = { from = 0, to = 2 }
[parameters]
"A[place_1, q]" = [[1, 2, 3], [4, 5, 6]]
[unknowns]
x = 1
[equations]
e = "x' = -x"
[outputs]
o = "sum(A[place_1, 1..2][0], place_1)"
)toml");
  CHECK(test::tool("evaluate " + part + " --json").json()["result"]["o"] == "7");
  // An element of a parameter can be set.
  const auto set = test::tool("evaluate " + file + " --set 'g[2]=4' --json");
  CHECK(std::stod(set.json()["result"]["I_2"].get<std::string>()) == 32);
}

TEST_CASE("models with arrays that are wrong are refused with the element, the index or the shapes") {
  const std::string head =
      "[indices]\ni = { from = 0, to = 4 }\nj = { from = 1, to = 3 }\n[parameters]\nk0 = 1.5\n\"w[j]\" = [1, 2, "
      "3]\n\"A[i, j]\" = "
      "{ value = \"i + j\" }\n[unknowns]\n\"T[i]\" = 1\n";
  struct Case {
    std::string text;
    std::vector<std::string> says;
  };
  const std::string equation = "[equations]\ne = \"T'[i] = -T[i]\"\n";
  for (const Case& c : std::vector<Case>{
           {head + "[equations]\ne = \"T'[i] = T[i-1] - T[i]\"\n", {"T[-1]", "i = 0", "runs from 0 to 4"}},
           {head + "[equations]\ne = \"T'[0] = -T[0]\"\n", {"4 of the 5 elements", "T[1]"}},
           {head + equation + "f = \"T'[i] = -2*T[i]\"\n", {"T[0]", "equally specific", "e and f"}},
           {head + "[equations]\ne = \"T'[i] = -T[i]*w[j]\"\n", {"index j is open", "sum(..., j)"}},
           {head + "[equations]\ne = { equation = \"T'[i] = -T[i]\", where = \"T[i] > 0\" }\n",
            {"not known when the model is loaded"}},
           {head + "[equations]\ne = { equation = \"T'[i] = -T[i]\", wher = \"i > 0\" }\n", {"'wher'", "where"}},
           {head + "[equations]\ne = \"T'[T[i]] = -T[i]\"\n", {"place T[0]", "not known when the model is loaded"}},
           {head + equation + "[outputs]\no = \"T[i]\"\n", {"index i is open", "output o"}},
           {head + equation + "[outputs]\no = \"T[9]\"\n", {"9 is no place in T"}},
           {head + equation + "[outputs]\no = \"T[1, 2]\"\n", {"T has 1 index, but 2 are given", "T[i]"}},
           {head + equation + "[outputs]\no = \"T[k0]\"\n", {"k0 = 1.5", "whole number"}},
           {head + equation + "[outputs]\no = \"A*T\"\n", {"5 x 3", "shape 5", "last extent"}},
           {head + equation + "[outputs]\no = \"max(T)\"\n", {"max(T[i], i)"}},
           {head + equation + "[outputs]\no = \"sum(T[q], q from 0 to 10^9)\"\n", {"more than 1000000 terms"}},
           {"[indices]\ni = { from = -9223372036854775807, to = 9223372036854775807 }\n[unknowns]\n\"T[i]\" = 1\n" +
                equation,
            {"index i has more than"}},
           {head + equation + "[outputs]\no = \"A^2\"\n", {"power of the array A"}},
           {head + equation + "[outputs]\no = \"w + T\"\n", {"shape 3", "shape 5"}},
           {head + equation + "[outputs]\no = \"k0[2]\"\n", {"k0 is no array"}},
           {head + equation + "[outputs]\no = \"sum(T[i], q)\"\n", {"range of q is missing", "[indices]"}},
           {head + equation + "[outputs]\no = \"sum(T[q], q from 0 to 1/2)\"\n", {"1/2", "whole number"}},
           {head + equation + "[definitions]\ny = \"A*z\"\nz = \"w*y\"\n[outputs]\no = \"y[0]\"\n",
            {"circle", "y -> z -> y"}},
           {"[indices]\ni = { from = 3, to = 2 }\n[unknowns]\n\"T[i]\" = 1\n" + equation, {"no places", "3 to 2"}},
           {"[indices]\ni = { from = 0, to = \"m\" }\n[unknowns]\n\"T[i]\" = 1\n" + equation, {"'m'", "no parameter"}},
           {"[indices]\ni = { from = 0 }\n[unknowns]\n\"T[i]\" = 1\n" + equation, {"needs its range"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[unknowns]\n\"T[q]\" = 1\n" + equation, {"'q'", "no declared index"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[unknowns]\n\"T[i\" = 1\n" + equation, {"closing bracket"}},
           {"[unknowns]\n\"T[i]\" = 1\n" + equation, {"'i'", "[indices]"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[parameters]\n\"w[i]\" = { values = [1, 2, 3], value = \"i\" "
            "}\n[unknowns]\n\"T[i]\" = 1\n" +
                equation,
            {"one of value", "values", "file"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[parameters]\n\"w[i]\" = { file = \"none.csv\" "
            "}\n[unknowns]\n\"T[i]\" = 1\n" +
                equation,
            {"none.csv", "cannot be read"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[parameters]\n\"w[i]\" = [1, [2], 3]\n[unknowns]\n\"T[i]\" = 1\n" +
                equation,
            {"nested deeper"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[parameters]\n\"w[i]\" = { value = \"T[i]\" }\n[unknowns]\n\"T[i]\" "
            "= 1\n" +
                equation,
            {"depends on an unknown"}},
           {"[indices]\ni = { from = 0, to = 2 }\n[unknowns]\n\"T[i]\" = { start = \"1/i\" }\n" + equation,
            {"start of T[0]", "no value"}}}) {
    CAPTURE(c.text);
    std::string said;
    try {
      (void)parse_model(c.text);
    } catch (const Error& e) {
      said = e.message();
      CHECK(e.position().known());
    }
    for (const std::string& part : c.says) {
      INFO(said << " | " << part);
      CHECK(said.find(part) != std::string::npos);
    }
  }
}

TEST_CASE("index notation on the command line: derivatives by elements, values, forms") {
  const auto d = test::tool("derive 'sum((x[k+1] - x[k])^2, k from 0 to n - 2)' --wrt 'x[j]' --json");
  REQUIRE(d.code == 0);
  CHECK(d.json()["check"]["verdict"] == "agrees");
  const Expr slope = parse(d.json()["result"].get<std::string>());
  CHECK(written_out(substitute(slope, {{parse("n"), 4}, {parse("j"), 1}})) == parse("4*x[1] - 2*x[0] - 2*x[2]"));
  CHECK(test::tool("evaluate 'sum(x[k]^2, k from 0 to 2)' --at 'x[0]=1,x[1]=2, x[2] = 5'").says("30"));
  CHECK(test::tool("simplify 'sum(T[i], i from 0 to 2)'").code == 0);
  const Expr e = parse("max(T[k], k from 0 to 3) + V[ends[w, 0]]*product(b[k], k from 1 to m)");
  CHECK(parse_mathml(to_mathml(e), ParseContext::of(e)) == e);
  CHECK(parse_mathml(to_mathml(parse("u[i]'(x)"))) == parse("u[i]'(x)"));
}

TEST_CASE("a run is checked by its outputs too, which may amplify what is left of the error") {
  const test::Folder folder;
  const auto run_of = [&](const std::string& outputs) {
    return test::tool("simulate " +
                        folder.file("amplified.toml", "[unknowns]\nx = 1\n[equations]\ne = \"x' = -x\"\n[outputs]\n" +
                                                          outputs + "\n[run]\nuntil = 1\n") +
                        " --json");
  };
  const auto o = run_of("wave = \"sin(1e5*x)\"");
  REQUIRE(o.code == 0);
  CHECK(o.json()["outputs"]["wave"].get<double>() == doctest::Approx(std::sin(1e5 * std::exp(-1.0))).epsilon(1e-5));
  CHECK(o.json()["check"]["digits"].get<double>() < 9);
  // What is conserved drifts by rounding alone, and no output needs a value everywhere.
  const auto quiet = run_of("drift = \"x*exp(t) - 1\"\nlate = \"log(t)\"");
  CHECK(quiet.code == 0);
  CHECK(quiet.json()["check"]["verdict"] == "agrees");
  CHECK(quiet.json()["check"]["digits"].get<double>() >= 6);
}

TEST_CASE("the figure of a steady state shows fields, and says where there are none") {
  const test::Folder folder;
  const std::string plate = folder.file("plate.toml", R"toml([indices]
i = { from = 0, to = 12 }
[unknowns]
"T[i]" = { start = 0, unit = "K" }
s = 1
[equations]
inner = "T[i-1] - 2*T[i] + T[i+1] = 0"
low = "T[0] = 0"
high = "T[12] = 1"
e = "s = T[6]"
)toml");
  const std::string figure = folder / "plate.png";
  CHECK(test::tool("solve " + plate + " --plot " + figure).says("figure written to"));
  CHECK(std::filesystem::file_size(figure) > 5000);
  CHECK(
      test::tool("solve " + plate + " --plot " + figure + " --show s --force").says("single values are in the list"));
  CHECK(test::tool("solve " + test::model("ion_chemistry.toml") + " --plot " + figure + " --force")
            .says("draws fields"));
}
