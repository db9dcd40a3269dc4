// SPDX-License-Identifier: MIT
// solve for functions and transform, as a new user types them.
#include <doctest/doctest.h>

#include <filesystem>
#include <fstream>
#include <string>

#include "tool/tool.hpp"

using test::tool;

TEST_CASE("solve: differential equations in text and JSON") {
  const test::Output o = tool("solve \"y' = -k*y\" --for 'y(t)' --given 'y(0)=A' --assume 'k > 0'");
  CHECK(o.code == 0);
  CHECK(o.says("y(t) = A*exp(-k*t)"));
  CHECK(o.says("check: put back into equations and conditions"));
  const auto j = tool("solve \"y'' + y = 0\" --for 'y(t)' --json --steps").json();
  CHECK(j["status"] == "exact");
  CHECK(j["result"][0]["y(t)"].get<std::string>().find("C2") != std::string::npos);
  CHECK(j["constants"].size() == 2);
  CHECK(j["check"]["verdict"] == "agrees");
  CHECK(j["steps"].size() > 0);
  // another variable, and a system
  CHECK(tool("solve \"y' = 3*x^2*y\" --for 'y(x)'").says("exp(x^3)"));
  const auto s = tool("solve \"x' = y\" \"y' = -x\" --for 'x(t),y(t)' --given 'x(0)=1, y(0)=0' --json").json();
  CHECK(s["result"][0]["x(t)"] == "cos(t)");
  CHECK(s["result"][0]["y(t)"] == "-sin(t)");
  // a relation where y cannot be written out
  const auto r = tool("solve \"2*t*y + (t^2 + 3*y^2)*y' = 0\" --for 'y(t)' --json").json();
  CHECK(r["result"][0].get<std::string>().find("= C1") != std::string::npos);
  CHECK(tool("solve \"y' + 1 = 2*y\" --for 'y(t)' --format latex").says("C_{1}"));
}

TEST_CASE("solve: what goes wrong with differential equations is said with the remedy") {
  const auto says = [](const std::string& words, const char* what, int code = 2) {
    const test::Output o = tool(words);
    INFO(words);
    INFO(o.text);
    CHECK(o.code == code);
    CHECK(o.says(what));
  };
  says("solve \"y' = y\"", "--for \"y(t)\"");
  says("solve \"y' = y\" --for y", "--for \"y(t)\"");
  says("solve 'x^2 = 2' --given 'x(0)=1'", "--given is for differential equations");
  says("solve \"y' = y\" --for 'y(t)' --given 'y=1'", "--given");
  says("solve \"y' = y\" --for 'y(t)' --given 'a=1'", "values of the unknown at places");
  says("solve \"y' = y\" --for 'y(t)' --given 'y(t)=1'", "no condition");
  says("solve \"y' = y\" --for 'y(t)' --set y=1", "unknown function");
  says("solve \"y' = y\" --for 'y(t)' --within 'y from 0 to 1'", "--within");
  says("solve \"y' == y\" --for 'y(t)'", "one equals sign");
  says("solve \"y' > y\" --for 'y(t)'", "inequality");
  says("solve \"y' = x\" --for 'y(t),x(s)'", "different variables");
  says("solve \"y'' + y = 0\" --for 'y(t)' --given 'y(0)=0, y(pi)=1'", "no solution of the equation meets", 1);
  const test::Output o = tool("solve \"y' = cos(t*y)\" --for 'y(t)'");
  CHECK(o.says("unevaluated: none of the known forms fits"));
}

TEST_CASE("transform: each way in text and JSON, and near misses") {
  CHECK(tool("transform 't*exp(-a*t)' --laplace 't to s'").says("1/(a + s)^2"));
  const auto f = tool("transform 'exp(-s)/(s + 2)' --inverse-laplace 's to t' --json").json();
  CHECK(f["status"] == "exact");
  CHECK(f["check"]["verdict"] == "agrees");
  CHECK(f["result"].get<std::string>().find("heaviside(t - 1)") != std::string::npos);
  const auto c = tool("transform 'abs(sin(t))' --fourier 't over 2*pi' --json").json();
  CHECK(c["result"]["a0"] == "2/pi");
  CHECK(c["exceptions"][0]["when"] == "n = 1");
  CHECK(c["exceptions"][0]["value"]["an"] == "0");
  CHECK(tool("transform \"y''\" --laplace 't to s'").says("s^2*Y(s)"));
  const auto says = [](const std::string& words, const char* what) {
    const test::Output o = tool(words);
    INFO(words);
    CHECK(o.code == 2);
    CHECK(o.says(what));
  };
  says("transform t", "say which transform");
  says("transform t --laplace t", "\"t to s\"");
  says("transform t --laplace 't to t'", "from one symbol to another");
  says("transform 's*t' --laplace 't to s'", "occurs in the function too");
  says("transform t --fourier 't'", "t over 2*pi");
  says("transform 'n*t' --fourier 't over 1'", "rename the parameter");
  says("transform t --laplace 't to s' --fourier 't over 1'", "say which transform");
  const test::Output none = tool("transform 'exp(t^2)' --laplace 't to s'");
  CHECK(none.code == 0);
  CHECK(none.says("unevaluated"));
}

TEST_CASE("spectrum: formulas and tables") {
  const test::Folder folder;
  const auto j = tool("spectrum 'exp(-t)' --over 't over 1' --harmonics 4 --json").json();
  CHECK(j["result"].size() == 5);
  CHECK(j["result"][1]["b"].get<double>() == doctest::Approx(0.196239).epsilon(1e-5));
  CHECK(j["dominant"]["n"] == 1);
  CHECK(tool("spectrum 'exp(-t)' --over 't over 1' --first 1 --json").json()["result"][0]["n"] == 1);
  const std::string figure = folder / "s.png";
  CHECK(tool("spectrum 'sin(t)' --over 't over 2*pi' --plot " + figure).code == 0);
  CHECK(std::filesystem::file_size(figure) > 1000);
  // the table that it writes is one that it reads
  const std::string table = folder / "wave.csv";
  std::ofstream(table) << "t [s],u [m],v\n0,1,0\n1,0,1\n2,-1,0\n3,0,-1\n";
  const test::Output o = tool("spectrum " + table + " --column u");
  CHECK(o.code == 0);
  CHECK(o.says("1/s"));
  CHECK(o.says("the largest harmonic is n = 1 (0.25 1/s, amplitude 1)"));
  const std::string out = folder / "out.csv";
  CHECK(tool("spectrum " + table + " --column u --out " + out).code == 0);
  CHECK(tool("spectrum " + out + " --column a").code == 0);
  const auto says = [&](const std::string& words, const char* what) {
    const test::Output fault = tool("spectrum " + words);
    INFO(words);
    INFO(fault.text);
    CHECK(fault.code != 0);
    CHECK(fault.says(what));
  };
  const auto file = [&](const char* name, const char* text) {
    const std::string path = folder / name;
    std::ofstream(path) << text;
    return path;
  };
  // a model whose output is a wave: 2 + sin(3*t), over three of its periods
  const std::string model = file("wave.toml", R"toml(title = "a wave"
independent = "t"
[unknowns]
u = { start = 0 }
[equations]
wave = "u' = 3*cos(3*t)"
[outputs]
shifted = "u + 2"
[run]
until = 6.283185307179586
)toml");
  const auto run = tool("spectrum " + model + " --samples 240 --json").json();
  CHECK(run["result"][0]["a"].get<double>() == doctest::Approx(2));
  CHECK(run["dominant"]["n"] == 3);
  CHECK(run["dominant"]["amplitude"].get<double>() == doctest::Approx(1).epsilon(1e-5));
  CHECK(run["mean_square"].get<double>() == doctest::Approx(4.5).epsilon(1e-5));
  CHECK(run["check"]["verdict"] == "agrees");
  CHECK(tool("spectrum " + model + " --of u --after 2 --until 4 --window hann").code == 0);
  says(model + " --of w", "no unknown or output 'w'");
  says(model + " --after 9", "--after lies between");
  says(model + " --over 't over 1'", "a run takes --after and --until");
  says(table + " --column u --until 4", "are for runs of models");
  says("'exp(-a*t)' --over 't over 1'", "--set a=1");
  says("'exp(-t)'", "--over");
  says("'exp(-t)' --over 't over 1' --column u", "--column is for tables");
  says(table, "--column u");
  says(table + " --column w", "the table has t, u, v");
  says(table + " --column u --over 't over 1'", "--over is for formulas");
  says(file("bad.csv", "t,x\n0,1\n1,a\n"), "line 3, column x: 'a' is no number");
  says(file("short.csv", "t,x\n0,1\n1\n"), "line 3: 1 fields");
  says(file("twice.csv", "t,t\n0,1\n1,2\n"), "two columns are called t");
  says(file("uneven.csv", "t,x\n0,1\n1,2\n3,4\n"), "not at equal distances");
  says(file("empty.csv", ""), "is empty");
  says(folder / "none.csv", "cannot be read");
}

TEST_CASE("solve: power series of differential equations") {
  const test::Output o = tool("solve \"y'' = t*y\" --for 'y(t)' --series 6");
  CHECK(o.says("y1 = t^6/180 + t^3/6 + 1"));
  CHECK(o.says("an ordinary point"));
  CHECK(tool("solve \"y'' = -sin(y)\" --for 'y(t)' --series 5 --given \"y(0)=0, y'(0)=1\"").says("t^5/60"));
  const auto j = tool("solve \"t*y'' + y' + t*y = 0\" --for 'y(t)' --series 4 --json").json();
  CHECK(j["independent"].size() == 2);
  CHECK(j["exponents"][0] == "0");
  CHECK(j["check"]["verdict"] == "agrees");
  CHECK(tool("solve \"t^3*y'' + y = 0\" --for 'y(t)' --series 4").says("irregular singular point"));
  CHECK(tool("solve 'x^2 = 1' --series 4").says("--series is for a differential equation"));
  CHECK(tool("solve \"y' = y\" --for 'y(t)' --about 1").says("--about"));
  CHECK(tool("solve \"x(t) = A*t + B\" --for A,B --given \"x(0)=1, x'(0)=2\"").says("A = 2"));
  CHECK(tool("solve 'x^2 = 4' --for x --given 'y(0)=1'").says("--given is for differential equations"));
}

TEST_CASE("solve: partial differential equations") {
  const std::string heat = "solve \"derivative(u(x,t),t) = derivative(u(x,t),x,2)\" --for \"u(x,t)\"";
  const auto j = test::tool(heat + " --given \"u(0,t)=0, derivative(u(x,t),x)=0 at x=1, u(x,0)=1\" --json").json();
  CHECK(j["status"] == "exact");
  CHECK(j["from"] == 1);
  CHECK(j["term"].get<std::string>().find("sin(") != std::string::npos);
  CHECK(test::tool("solve \"x*derivative(u(x,y),x) + y*derivative(u(x,y),y) = u(x,y)\" --for \"u(x,y)\"")
            .says("x*F(y/x)"));
  CHECK(test::tool(heat).says("two ends are needed"));
  CHECK(test::tool(heat + " --given \"u(0,0)=1\"").code == 2);
  CHECK(test::tool(heat + " --given \"u(x,0)=1 at 3\"").says("after 'at' a place is expected"));
  CHECK(test::tool("solve \"derivative(u(x,t),t) = 0\" \"x = 1\" --for \"u(x,t)\"").code == 2);
  CHECK(test::tool("solve \"derivative(u(x,t),t) = 0\" --for \"u(x,x)\"").code == 2);
}

TEST_CASE("solve --small: powers of a small parameter") {
  const std::string oscillator = "solve \"y'' + y + eps*y^3 = 0\" --for \"y(t)\" --given \"y(0)=1, y'(0)=0\"";
  const auto j = test::tool(oscillator + " --small eps --series 1 --json").json();
  CHECK(j["status"] == "approximate");
  CHECK(j["terms"].size() == 2);
  CHECK(j["secular"] == true);
  CHECK(test::tool(oscillator + " --small t").code == 2);
  CHECK(test::tool(oscillator + " --small eps --series 20").code == 2);
  CHECK(test::tool("solve \"x^2 = eps\" --for x --small eps").says("no meaning"));
}
