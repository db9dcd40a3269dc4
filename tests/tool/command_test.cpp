// SPDX-License-Identifier: MIT
// The real command line: every command with good and bad input.
#include <doctest/doctest.h>

#include "tool/tool.hpp"

using test::tool;
using test::model;

namespace {

void check_contract(const nlohmann::json& j, const std::string& command) {
  CHECK(j.at("ok") == true);
  CHECK(j.at("command") == command);
  for (const char* key : {"input", "result", "status", "conditions", "exceptions", "seconds"})
    CHECK_MESSAGE(j.contains(key), key);
}

}  // namespace

TEST_CASE("derive") {
  const auto o = tool("derive 'x^3*y' --wrt x,x,y --json");
  CHECK(o.code == 0);
  const auto j = o.json();
  check_contract(j, "derive");
  CHECK(j["result"] == "6*x");
  CHECK(j["status"] == "exact");
  CHECK(j["check"]["verdict"] == "agrees");
  CHECK(j["check"]["digits"] >= 12);
  CHECK(tool("derive 'x^3*y' --wrt x,x,y").says("agrees to"));
  CHECK(tool("derive 'a*b + sin(c)' --what gradient --json").json()["result"] ==
        nlohmann::json::array({"b", "a", "cos(c)"}));
  CHECK(tool("derive 'r*cos(a)' 'r*sin(a)' --wrt r,a --json").json()["result"][1][0] == "sin(a)");
  CHECK(tool("derive 'x^2*y' --what hessian --json").json()["result"][0][1] == "2*x");
  CHECK(tool("derive 'sqrt(x^2)' --wrt x --assume 'x > 0' --json").json()["result"] == "1");
  CHECK(tool("derive 'x/y' --wrt y --format latex").says("\\frac{x}{y^{2}}"));
  CHECK(tool("derive 'x/y' --wrt y --format unicode").says("──"));
  const auto m = tool("derive " + model("ion_chemistry.toml") + " --json").json();
  CHECK(m["result"].size() == 9);
  CHECK(m["check"]["verdict"] == "agrees");
  CHECK(tool("derive " + model("mirror_proton.toml") + " --what gradient --of energy").says("d(energy)/d(s)"));
}

TEST_CASE("evaluate") {
  CHECK(tool("evaluate 'sin(x)/x' --at x=1/3 --digits 40 --json").json()["result"] ==
        "0.9815840903884567325200322558028618181929");
  const auto j = tool("evaluate 'x + y' --at 'x=1/3, y=2' --json").json();
  check_contract(j, "evaluate");
  CHECK(std::stod(j["result"].get<std::string>()) == doctest::Approx(7.0 / 3));
  CHECK(j["status"] == "approximate");
  CHECK(tool("evaluate 'exp(1i*pi/2)' --json").code == 0);
  CHECK(tool("evaluate '10^400*exp(-1)' --digits 5").says("3.6788e+399"));
  CHECK(tool("evaluate '1e-400'").code == 0);
  CHECK(tool("evaluate " + model("mirror_proton.toml")).says("energy"));
  CHECK(tool("evaluate 'log(x)' --at x=-1").code == 1);
  CHECK(tool("evaluate 'log(x)' --at x=-1").says("x = -1"));
}

TEST_CASE("check on every shipped model agrees to at least eight digits") {
  for (const char* name : {"ion_chemistry.toml", "arc_switching.toml", "dipole_field.toml", "mirror_proton.toml",
                           "pulsating_patch.toml"}) {
    CAPTURE(name);
    const auto o = tool("check " + model(name) + " --json");
    CHECK(o.code == 0);
    const auto j = o.json();
    check_contract(j, "check");
    CHECK(j["check"]["verdict"] == "agrees");
    CHECK(j["check"]["digits"] >= 8);
  }
}

TEST_CASE("solve and simulate") {
  const auto j = tool("solve " + model("ion_chemistry.toml") + " --json").json();
  check_contract(j, "solve");
  for (const char* key : {"values", "iterations", "residual_norm", "at_bounds", "statistics", "iteration_table"})
    CHECK_MESSAGE(j.contains(key), key);
  CHECK(j["values"]["NOp"] > j["values"]["O2p"]);
  const double few = tool("solve " + model("ion_chemistry.toml") + " --set q_N2=2e7 --set q_O2=6e6 --json")
                         .json()["outputs"]["electrons"];
  CHECK(few < 0.2 * j["outputs"]["electrons"].get<double>());
  CHECK(tool("solve " + model("ion_chemistry.toml") + " --verbose").says("residual norm"));

  const test::Folder folder;
  const auto run = tool("simulate " + model("mirror_proton.toml") + " --until 30 --samples 11 --out " +
                          (folder / "run.csv") + " --plot " + (folder / "run.png") + " --json");
  CHECK(run.code == 0);
  const auto r = run.json();
  check_contract(r, "simulate");
  CHECK(r["values"].contains("s'"));
  CHECK(r["check"]["digits"] > 4);
  CHECK(std::filesystem::file_size(folder / "run.png") > 5000);
  std::ifstream csv(folder / "run.csv");
  std::string line;
  std::getline(csv, line);
  CHECK(line == "t,s,s',energy");
  int lines = 0;
  while (std::getline(csv, line)) ++lines;
  CHECK(lines == 11);
  const double adams =
      tool("simulate " + model("mirror_proton.toml") + " --until 30 --method adams --json").json()["values"]["s"];
  CHECK(adams == doctest::Approx(r["values"]["s"].get<double>()).epsilon(1e-5));
}

TEST_CASE("generated source compiles without warnings and agrees with its own check values") {
  const test::Folder folder;
  for (const char* language : {"c++", "c"}) {
    const std::string out = folder / (std::string("generated_") + (language[1] == '+' ? "cpp" : "c"));
    const auto o =
        tool("generate " + model("arc_switching.toml") + " --language " + language + " --out " + out + " --json");
    REQUIRE(o.code == 0);
    check_contract(o.json(), "generate");
    const std::string ending = language[1] == '+' ? ".cpp" : ".c";
    const std::string compiler = language[1] == '+' ? "g++ -std=c++17" : "gcc -std=c99";
    for (const char* part : {"residual", "jacobian", "outputs"}) {
      const std::string stem = out + "/arc_switching_" + part;
      const std::string command = compiler + " -O2 -Wall -Wextra -Wpedantic -Werror -ffp-contract=off " + stem +
                                  ending + " " + stem + "_test" + ending + " -lm -o " + out + "/run && " + out +
                                  "/run >/dev/null";
      CAPTURE(command);
      CHECK(std::system(command.c_str()) == 0);
    }
  }
}

TEST_CASE("show, plot, help, version, demo") {
  const auto shown = tool("show " + model("mirror_proton.toml") + " --format unicode");
  CHECK(shown.code == 0);
  CHECK(shown.says("m·s'' = -μ·field'(s)"));
  CHECK(tool("show 'x^2/2' --json").json()["latex"][0] == "\\frac{x^{2}}{2}");
  const test::Folder folder;
  for (const char* name : {"figure.png", "figure.svg"}) {
    CHECK(
        tool("plot 'exp(1 - z - exp(-z))' 'a*z' --over 'z from -2 to 8' --set a=0.1 --out " + (folder / name)).code ==
        0);
    CHECK(std::filesystem::file_size(folder / name) > 3000);
  }
  CHECK(tool("--version").says("boreon "));
  CHECK(tool("--help").says("boreon derive --help"));
  for (const char* command : {"show", "derive", "simplify", "expand", "factor", "rewrite", "evaluate", "check", "solve",
                              "simulate", "generate", "plot", "demo"}) {
    CAPTURE(command);
    CHECK(tool(std::string(command) + " --help").says("Examples:\n  boreon " + std::string(command)));
  }
  const auto demo = tool("demo --json --out " + (folder / "demo"));
  CHECK(demo.code == 0);
  CHECK(demo.json()["check"]["verdict"] == "agrees");
  CHECK(std::filesystem::exists(folder / "demo/arc_switching.png"));
}

TEST_CASE("mistakes on the command line: exit code, kind, remedy, in text and in JSON") {
  const test::Folder folder;
  const std::string broken = folder.file("broken.toml", "[unknowns]\nx = 1\n[equations]\ne = \"x = 2*kk\"\n");
  const std::string algebraic = folder.file("algebraic.toml", "[unknowns]\nx = 1\n[equations]\ne = \"x = 2\"\n");
  const std::string impossible = folder.file("impossible.toml", "[unknowns]\nx = 1\n[equations]\ne = \"x^2 = -1\"\n");
  const std::string over = folder.file("over.toml", "[unknowns]\nx = 1\n[equations]\na = \"x = 2\"\nb = \"x = 3\"\n");
  struct Mistake {
    std::string arguments;
    int code;
    const char* kind;
    const char* says;
  };
  const Mistake mistakes[] = {
      {"", 2, "usage", "a command is needed"},
      {"deriv 'x' --wrt x", 2, "usage", "did you mean 'derive'"},
      {"derive", 2, "usage", "--help shows examples"},
      {"derive 'x^2' --wtr x", 2, "usage", "--help shows examples"},
      {"derive '2x' --wrt x", 2, "syntax", "write 2*x"},
      {"derive 'x*y'", 2, "usage", "--wrt says what to derive by"},
      {"derive 'alpha*y' --wrt alpa", 2, "binding", "did you mean 'alpha'"},
      {"derive 'x' --wrt 'x + 1'", 2, "usage", "takes names"},
      {"derive 'x = 2' --wrt x", 2, "shape", "not an equation"},
      {"derive 'cyl_bessel_j(x, 1)' --wrt x", 1, "unsupported", "order"},
      {"derive 'x' --wrt x --format word", 2, "usage", "format"},
      {"derive 'x^2' --wrt x --assume 'x pozitive'", 2, "usage", "did you mean 'positive'"},
      {"derive 'x^2' --wrt x --assume 'x'", 2, "usage", "statements"},
      {"derive 'x^2' --what slope", 2, "usage", "gradient, jacobian, hessian"},
      {"derive " + model("mirror_proton.toml") + " --what gradient --of enrgy", 2, "usage", "did you mean 'energy'"},
      {"evaluate 'x + k' --at x=1", 2, "binding", "no value is given for k"},
      {"evaluate 'x' --at x=1,y=2", 2, "binding", "does not occur"},
      {"evaluate 'x' --at x", 2, "usage", "name=value"},
      {"evaluate 'x' --at x=1,x=2", 2, "usage", "twice"},
      {"evaluate 'log(x)' --at x=0", 1, "domain", "log(x)"},
      {"evaluate 'pi' --digits 0", 2, "usage", "digits"},
      {"evaluate 'exp(1000)'", 1, "domain", "--digits 15"},
      {"evaluate '(-8)^(1/3)'", 1, "domain", "cbrt(x)"},
      {"evaluate ''", 2, "syntax", "empty"},
      {"solve no/such.toml", 2, "io", "cannot be read"},
      {"solve 'x^2 > 2' 'x = 1'", 1, "unsupported", "inequality"},
      {"solve 'x^2 > a' --for z", 2, "usage", "does not occur in the inequality"},
      {"solve 'x == 2'", 2, "usage", "one equals sign"},
      {"solve 'x + y = 2'", 2, "usage", "--for x"},
      {"solve 'x + y = 2' --for z", 2, "usage", "occurs in no equation; they contain x, y"},
      {"solve 'x = x'", 2, "usage", "every value"},
      {"solve 'x = 2' --for ''", 2, "usage", "--for x,y"},
      {"solve 'x = 2' --for 'x,x'", 2, "usage", "twice"},
      {"solve 'x = cos(x)' --within '0 to 1'", 2, "usage", "x from 0 to 10"},
      {"solve 'x = cos(x)' --tolerance 1e-3", 2, "usage", "no meaning"},
      {"solve " + model("ion_chemistry.toml") + " --for x", 2, "usage", "no meaning"},
      {"solve " + broken, 2, "name", "'kk' is not known"},
      {"solve " + impossible, 1, "convergence", "no steady state"},
      {"simulate " + over + " --until 1", 2, "shape", "one equation for each unknown"},
      {"solve " + algebraic + " --set q=1", 2, "name", "no parameter 'q'"},
      {"simulate " + algebraic + " --until 1", 1, "unsupported", "use solve"},
      {"simulate " + model("pulsating_patch.toml") + " --until -5", 2, "usage", "end after it starts"},
      {"simulate " + model("pulsating_patch.toml") + " --method euler", 2, "usage", "method"},
      {"simulate " + model("pulsating_patch.toml") + " --plot /no/such/folder/a.png", 2, "io", "does not exist"},
      {"simulate " + model("pulsating_patch.toml") + " --plot a.pdf", 2, "usage", ".png or .svg"},
      {"simulate " + model("pulsating_patch.toml") + " --show wawes --plot a.png", 2, "name", "did you mean 'waves'"},
      {"generate 'x^2'", 2, "usage", "model file"},
      {"generate " + model("ion_chemistry.toml") + " --language fortran", 2, "usage", "language"},
      {"plot 'x^2' --out a.png", 2, "usage", "--over"},
      {"plot 'x^2' --over 'x from 0 to 1'", 2, "usage", "--out"},
      {"plot 'x^2' --over 'x from 1 to 0' --out a.png", 2, "usage", "empty"},
      {"plot 'x^2' --over 'x' --out a.png", 2, "usage", "range"},
      {"plot 'k*x' --over 'x from 0 to 1' --out a.png", 2, "binding", "--set k=1"},
      {"plot 'log(-1 - x^2)' --over 'x from 0 to 1' --out a.png", 1, "domain", "nothing to draw"},
  };
  for (const Mistake& m : mistakes) {
    CAPTURE(m.arguments);
    const auto plain = tool(m.arguments);
    CHECK_MESSAGE(plain.code == m.code, plain.text);
    CHECK_MESSAGE(plain.says(m.says), plain.text);
    CHECK_MESSAGE(plain.says("error: "), plain.text);
    CHECK_MESSAGE(plain.out.empty(), plain.out);
    const auto json = tool(m.arguments + " --json");
    CHECK(json.code == m.code);
    const auto j = json.json();
    CHECK(j["ok"] == false);
    CHECK_MESSAGE(j["error"]["kind"] == m.kind, json.out);
    CHECK(j["error"].contains("line"));
    CHECK(j["error"].contains("column"));
  }
}

TEST_CASE(
    "a model in LaTeX is LaTeX throughout: what is opened is closed, and no name stands outside of mathematics or "
    "text") {
  for (const char* name : {"ion_chemistry.toml", "mirror_proton.toml", "arc_switching.toml", "dipole_field.toml",
                           "pulsating_patch.toml"}) {
    CAPTURE(name);
    const test::Output o = tool("show " + model(name) + " --format latex");
    CHECK(o.code == 0);
    CHECK(o.text.starts_with("\\section*{"));
    int braces = 0;
    std::size_t dollars = 0;
    bool mathematics = false;
    std::vector<std::string> open;
    for (std::size_t i = 0; i < o.text.size(); ++i) {
      const char c = o.text[i];
      if (c == '\\') {
        const std::string_view rest = std::string_view(o.text).substr(i);
        for (const std::string_view what : {"\\begin{", "\\end{"}) {
          if (!rest.starts_with(what)) continue;
          const std::string environment(rest.substr(what.size(), rest.find('}') - what.size()));
          if (what == "\\begin{") {
            open.push_back(environment);
          } else {
            REQUIRE(!open.empty());
            CHECK(open.back() == environment);
            open.pop_back();
          }
          mathematics = !open.empty() && open.back() == "align*";
        }
        if (i + 1 < o.text.size() && std::string_view("_%&#${}\\").find(o.text[i + 1]) != std::string_view::npos) ++i;
        continue;
      }
      if (c == '{') ++braces;
      if (c == '}') --braces;
      CHECK(braces >= 0);
      if (c == '$') ++dollars;
      if (c == '_' || c == '^') CHECK((mathematics || dollars % 2 == 1));
    }
    CHECK(braces == 0);
    CHECK(dollars % 2 == 0);
    CHECK(open.empty());
  }
}

TEST_CASE("what the demo says it runs is what it runs") {
  const test::Folder folder;
  const std::string story = tool("demo --out " + (folder / "demo")).text;
  int typed = 0;
  for (std::size_t at = story.find("$ boreon "); at != std::string::npos; at = story.find("$ boreon ", at + 1)) {
    const std::string line = story.substr(at, story.find('\n', at) - at);
    const std::string words = line.substr(std::string("$ boreon ").size());
    // what neither reads a model nor writes files
    if (words.find(".toml") != std::string::npos || words.find("--out") != std::string::npos) continue;
    INFO(line);
    const test::Output o = tool(words);
    CHECK(o.code == 0);
    CHECK(story.substr(at + line.size() + 1).starts_with(o.text));
    ++typed;
  }
  CHECK(typed >= 6);
}
