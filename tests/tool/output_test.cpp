// SPDX-License-Identifier: MIT
// What the commands print: the same on every run, in every format, consistent between text, JSON and library.
#include <doctest/doctest.h>

#include <cmath>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using test::model;

TEST_CASE("the same command prints the same text") {
  for (const std::string& arguments : std::initializer_list<std::string>{
           "derive 'exp(-x^2)*sin(k*x)/x' --wrt x,x,k", "show " + model("ion_chemistry.toml") + " --format unicode",
           "derive " + model("arc_switching.toml"), "check " + model("dipole_field.toml"),
           "solve " + model("ion_chemistry.toml") + " --verbose",
           "simulate " + model("pulsating_patch.toml") + " --until 5"}) {
    CAPTURE(arguments);
    const auto first = test::tool(arguments);
    CHECK(first.code == 0);
    CHECK(first.text == test::tool(arguments).text);
    CHECK(first.text == first.out);
    CHECK(first.text.find(" \n") == std::string::npos);
  }
}

TEST_CASE("results in JSON are text that reads back and means the same as the library's") {
  struct Case {
    const char* expression;
    const char* variable;
  };
  for (const Case& c : {Case{"sin(x)^cos(x)", "x"}, Case{"exp(-x^2/(4*D*t))/sqrt(4*pi*D*t)", "t"},
                        Case{"atan2(y, x)*hypot(x, y)", "y"}, Case{"piecewise(x^2 if x < 1, log(x) otherwise)", "x"},
                        Case{"f(x)*g(x^2)", "x"}, Case{"integral(exp(-u^2*x), u from 0 to x)", "x"},
                        Case{"cyl_bessel_j(1, x)*erf(x)", "x"}, Case{"max(x, y)^3", "x"}}) {
    CAPTURE(std::string(c.expression));
    const auto j = test::tool(std::string("derive '") + c.expression + "' --wrt " + c.variable + " --json").json();
    CHECK(j["ok"] == true);
    const boreon::Expr here = boreon::derivative(boreon::parse(c.expression), boreon::Symbol(c.variable));
    CHECK((boreon::parse(j["result"].get<std::string>()) == here));
    CHECK(j["check"]["verdict"] != "disagrees");
  }
}

TEST_CASE("solve, simulate and the library give the same numbers") {
  const boreon::Model m = boreon::load_model(model("ion_chemistry.toml"));
  const auto here = boreon::solve_steady(boreon::steady_system(m));
  auto there = test::tool("solve " + model("ion_chemistry.toml") + " --json").json();
  for (std::size_t i = 0; i < m.unknowns.size(); ++i) CHECK(there["values"][m.unknowns[i].name] == here.values[i]);
  CHECK(there["iterations"] == here.iterations.size() - 1);

  const boreon::Model arc = boreon::load_model(model("arc_switching.toml"));
  boreon::TimeOptions o;
  o.until = 50;
  o.samples = 26;
  const boreon::System s = boreon::time_system(arc);
  const auto run = boreon::step_in_time(s, o);
  auto run_there = test::tool("simulate " + model("arc_switching.toml") + " --until 50 --samples 26 --json").json();
  for (std::size_t i = 0; i < s.states.size(); ++i)
    CHECK(run_there["values"][s.state_names[i]] == run.states.back()[i]);
  CHECK(run_there["statistics"]["steps"] == run.steps);
}

TEST_CASE("the models are physically sound") {
  // steady state of the run inside the arc equals the solution of the steady chemistry with the same sources
  auto late = test::tool("simulate " + model("arc_switching.toml") + " --until 139 --set t_off=1e6 --json").json();
  auto steady = test::tool("solve " + model("arc_switching.toml") +
                             " --set q_night=2.601e9 --set t_on=1e9 --set t_off=2e9 --json")
                    .json();
  for (const char* ion : {"N2p", "O2p", "NOp"})
    CHECK(late["values"][ion].get<double>() == doctest::Approx(steady["values"][ion].get<double>()).epsilon(2e-2));

  // the proton keeps its energy and turns where its parallel energy is used up
  const test::Folder folder;
  CHECK(test::tool("simulate " + model("mirror_proton.toml") + " --out " + (folder / "proton.csv")).code == 0);
  std::ifstream file(folder / "proton.csv");
  std::string line;
  std::getline(file, line);
  double highest = 0;
  double first_energy = 0;
  while (std::getline(file, line)) {
    double t = 0;
    double s = 0;
    double v = 0;
    double energy = 0;
    REQUIRE(std::sscanf(line.c_str(), "%lf,%lf,%lf,%lf", &t, &s, &v, &energy) == 4);
    if (t == 0) first_energy = energy;
    highest = std::max(highest, std::abs(s));
    CHECK(energy == doctest::Approx(first_energy).epsilon(1e-6));
  }
  const double parallel = 1.67e-27 * 8.5e5 * 8.5e5 / 2;
  CHECK(highest == doctest::Approx(6.4e6 * std::sqrt(parallel / 3.2e-16)).epsilon(1e-4));

  // the dipole field: twice as strong over the pole as at the equator, at the same distance
  auto pole = test::tool("solve " + model("dipole_field.toml") + " --set x0=0 --set y0=0 --set z0=1 --json").json();
  auto equator =
      test::tool("solve " + model("dipole_field.toml") + " --set x0=1 --set y0=0 --set z0=0 --json").json();
  CHECK(pole["outputs"]["strength"].get<double>() == doctest::Approx(2 * equator["outputs"]["strength"].get<double>()));
  CHECK(equator["outputs"]["strength"].get<double>() == doctest::Approx(3.12e-5));
}

TEST_CASE("formats: each command that shows mathematics knows all three") {
  for (const std::string& command : std::initializer_list<std::string>{"derive 'x^2/y' --wrt x", "show 'x^2/y'",
                                                                       "show " + model("dipole_field.toml"),
                                                                       "derive " + model("mirror_proton.toml")}) {
    CAPTURE(command);
    const std::string text = test::tool(command + " --format text").out;
    const std::string latex = test::tool(command + " --format latex").out;
    const std::string unicode = test::tool(command + " --format unicode").out;
    CHECK(latex.find("\\frac") != std::string::npos);
    CHECK(unicode.find("─") != std::string::npos);
    CHECK(text.find("\\frac") == std::string::npos);
    CHECK(text.find("─") == std::string::npos);
  }
}

TEST_CASE("assumptions and values given on the command line reach the result") {
  CHECK(test::tool("derive 'sqrt(x^2)' --wrt x --json").json()["result"] == "x/sqrt(x^2)");
  CHECK(test::tool("derive 'abs(a*x)' --wrt x --assume 'a > 0, x > 0' --json").json()["result"] == "a");
  CHECK(test::tool("derive 'sqrt(a - b)' --wrt a --assume 'a > b, b > 0' --json").json()["check"]["verdict"] ==
        "agrees");
  CHECK(test::tool("evaluate 'a*x' --at x=2 --set a=3 --json").json()["result"] == "6");
  CHECK(test::tool("evaluate 'n' --assume 'n integer' --at n=4 --json").code == 0);
}

TEST_CASE("a field that repeats another has all of it") {
  for (const std::string& arguments :
       {"solve " + model("ion_chemistry.toml"), "simulate " + model("pulsating_patch.toml") + " --until 5"}) {
    CAPTURE(arguments);
    const auto j = test::tool(arguments + " --json").json();
    CHECK(!j["values"].empty());
    CHECK(j["result"] == j["values"]);
  }
}
