// SPDX-License-Identifier: MIT
// Every option of every command has an effect or is refused; files are whole or untouched; nothing runs through a
// shell.
#include <doctest/doctest.h>

#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <map>
#include <set>
#include <thread>
#include <utility>
#include <vector>

#include "tool/tool.hpp"

using test::tool;
using test::Folder;
using test::model;

namespace {

std::string text_of(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(file), {}};
}

// The answer without what changes from run to run.
std::string stable(const test::Output& o) {
  std::string s = o.text;
  for (std::size_t at = s.find("\"seconds\""); at != std::string::npos; at = s.find("\"seconds\"", at + 1))
    s.erase(at, s.find('\n', at) - at);
  return s;
}

// The names of the long options that a command's help lists.
std::vector<std::string> options_of(const std::string& command) {
  std::vector<std::string> list;
  const std::string help = tool(command + " --help").out;
  for (std::size_t at = help.find("\n  --"); at != std::string::npos; at = help.find("\n  --", at + 1)) {
    list.push_back(help.substr(at + 3, help.find_first_of(" ,\n", at + 3) - at - 3));
  }
  return list;
}

}  // namespace

TEST_CASE("every option of every command has an effect, or is an error with the option's name") {
  const Folder folder;
  const std::string chemistry = model("ion_chemistry.toml");
  const std::string proton = model("mirror_proton.toml");
  struct Form {
    const char* command;
    std::string words;
  };
  const Form forms[] = {{"show", "'sin(a*x)'"},
                        {"show", chemistry},
                        {"derive", "'a*x^2*sin(y)' --wrt x"},
                        {"derive", chemistry},
                        {"simplify", "'a*x + 2*x'"},
                        {"expand", "'(x + a)^2'"},
                        {"factor", "'x^2 - a^2'"},
                        {"rewrite", "'a*sin(x)^2/2' --rule 'sin(u)^2 becomes 1 for any u'"},
                        {"integrate", "'x*exp(-x*a)' --over 'x from 0 to 1'"},
                        {"limit", "'sin(a*x)/(2*x)' --at 'x to 0'"},
                        {"series", "'exp(a*x)' --about x=0"},
                        {"transform", "'t*exp(-a*t)' --laplace 't to s'"},
                        {"spectrum", "'exp(-t)' --over 't over 1'"},
                        {"evaluate", "'sin(a)' --at a=1/3"},
                        {"evaluate", chemistry},
                        {"check", "'a*x = 2*x'"},
                        {"check", "'a*x^3'"},
                        {"check", chemistry},
                        {"solve", chemistry},
                        {"solve", "\"y' = a*y\" --for 'y(t)'"},
                        {"simulate", proton + " --until 5"}};
  const std::map<std::string, std::string> values{{"--set", "a=2"},
                                                  {"--assume", "'a > 0'"},
                                                  {"--unknown", "g"},
                                                  {"--out", folder / "out.txt"},
                                                  {"--format", "latex"},
                                                  {"--what", "hessian"},
                                                  {"--coordinates", "spherical"},
                                                  {"--of", "nothing"},
                                                  {"--wrt", "a"},
                                                  {"--form", "factored"},
                                                  {"--by", "a"},
                                                  {"--points", "7"},
                                                  {"--rule", "'a becomes 2'"},
                                                  {"--rules", "/dev/null"},
                                                  {"--order", "top-down"},
                                                  {"--extent", "first"},
                                                  {"--limit", "1"},
                                                  {"--over", "'x from 0 to 2'"},
                                                  {"--digits", "20"},
                                                  {"--at", "'x to 1'"},
                                                  {"--about", "x=1"},
                                                  {"--tolerance", "1e-5"},
                                                  {"--linear-solver", "sparse"},
                                                  {"--until", "7"},
                                                  {"--samples", "11"},
                                                  {"--method", "adams"},
                                                  {"--at-bound", "warn"},
                                                  {"--plot", folder / "p.png"},
                                                  {"--show", "s"},
                                                  {"--work", "123456789"},
                                                  {"--memory", "900"},
                                                  {"--laplace", "'t to z'"},
                                                  {"--inverse-laplace", "'s to t'"},
                                                  {"--fourier", "'t over 2*pi'"},
                                                  {"--for", "'y(x)'"},
                                                  {"--given", "'y(0)=3'"},
                                                  {"--column", "x"},
                                                  {"--harmonics", "3"},
                                                  {"--first", "1"},
                                                  {"--window", "hann"},
                                                  {"--within", "'x from 0 to 2'"}};
  // Options that steer how the work is done, not what comes out, or that need no value to be meaningful.
  const std::set<std::string> steering{
      "--json",  "--help",     "--force",           "--work",    "--memory",  "--unknown", "--no-check",
      "--steps", "--at-bound", "--assume",          "--verbose", "--complex", "--extent",  "--order",
      "--limit", "--rules",    "--principal-value", "--log-x",   "--log-y",   "--method",  "--points"};
  for (const Form& f : forms) {
    const std::string plain = stable(tool(std::string(f.command) + " " + f.words));
    for (const std::string& option : options_of(f.command)) {
      if (steering.contains(option)) continue;
      const auto value = values.find(option);
      const std::string words =
          std::string(f.command) + " " + f.words + " " + option + (value == values.end() ? "" : " " + value->second);
      CAPTURE(words);
      const test::Output o = tool(words);
      const bool refused = o.code != 0 && (o.says(option) || o.says("error"));
      CHECK_MESSAGE((refused || stable(o) != plain), o.text);
      if (refused) CHECK(o.says("error:"));
    }
  }
}

TEST_CASE("every option of what writes files changes the files or the answer, or is an error with its name") {
  const Folder folder;
  const std::string chemistry = model("ion_chemistry.toml");
  struct Form {
    const char* command;
    std::string words;
    bool into_folder;
  };
  std::ofstream(folder / "m.csv") << "x,measured\n1.5,0.4\n2.5,0.2\n9,7\n";
  const Form forms[] = {{"plot", "'exp(-a*x)*(2 + sin(x))' --over 'x from 1 to 4' --set a=1", false},
                        {"generate", chemistry, true},
                        {"generate", chemistry + " --language c", true},
                        {"demo", "", true}};
  const std::map<std::string, std::string> values{{"--set", "a=2"},
                                                  {"--assume", "'a > 0'"},
                                                  {"--format", "latex"},
                                                  {"--over", "'x from 2 to 5'"},
                                                  {"--points", "23"},
                                                  {"--language", "c++"},
                                                  {"--name", "other"},
                                                  {"--show", "program"},
                                                  {"--against", folder / "m.csv"}};
  const std::set<std::string> steering{"--json",    "--help", "--force",    "--work",  "--memory",
                                       "--unknown", "--out",  "--no-check", "--assume"};
  int number = 0;
  const auto made = [&](const Form& f, const std::string& more, test::Output& o) {
    const std::string out = folder / (std::to_string(number++) + (f.into_folder ? "" : ".svg"));
    o = tool(std::string(f.command) + " " + f.words + more + " --out " + out);
    std::string all = stable(o);
    for (std::size_t at = all.find(out); at != std::string::npos; at = all.find(out)) all.erase(at, out.size());
    std::vector<std::string> files;
    if (std::filesystem::is_directory(out)) {
      for (const auto& entry : std::filesystem::recursive_directory_iterator(out)) {
        if (entry.is_regular_file()) files.push_back(entry.path().string());
      }
    } else if (std::filesystem::exists(out)) {
      files.push_back(out);
    }
    std::sort(files.begin(), files.end());
    for (const std::string& file : files) all += file.substr(out.size()) + text_of(file);
    return all;
  };
  for (const Form& f : forms) {
    test::Output o;
    const std::string plain = made(f, "", o);
    CHECK_MESSAGE(o.code == 0, o.text);
    for (const std::string& option : options_of(f.command)) {
      if (steering.contains(option)) continue;
      const auto value = values.find(option);
      const std::string more = " " + option + (value == values.end() ? "" : " " + value->second);
      CAPTURE(std::string(f.command) + " " + f.words + more);
      const std::string now = made(f, more, o);
      const bool refused = o.code != 0 && o.says("error:");
      CHECK_MESSAGE(
          (refused || now != plain || (option == "--language" && f.words.find("--language c") == std::string::npos)),
          o.text);
    }
  }
}

TEST_CASE("options that mean nothing in a form are refused by name") {
  const std::string m = model("ion_chemistry.toml");
  for (const auto& [words, part] : std::initializer_list<std::pair<std::string, const char*>>{
           {"derive " + m + " --wrt a", "--wrt has no meaning"},
           {"evaluate " + m + " --at x=1", "--at has no meaning"},
           {"evaluate " + m + " --digits 20", "--digits has no meaning"},
           {"solve " + m + " --assume 'x > 0'", "--assume has no meaning"},
           {"generate " + m + " --language c --eigen --out /tmp/never-written-by-tests", "--eigen has no meaning"},
           {"derive 'x^2' --wrt ''", "--wrt is empty"},
           {"derive 'x^2' --wrt x,,x", "empty place"},
           {"simplify 'a*x' --set b=2", "--set: 'b' does not occur"},
           {"simplify 'a*x' --set a=-1 --assume 'a > 0'", "contradicts --assume"},
           {"generate " + m, "--out"},
           {"plot x --over 'x from 0 to 1' --points 0 --out a.png", "--points"}}) {
    const auto o = tool(words);
    INFO(o.text);
    CHECK(o.code == 2);
    CHECK(o.says(part));
  }
  CHECK(tool("check 'a*x = 2*x' --set a=2").code == 0);
  CHECK(tool("derive 'a*x^2' --wrt x --set a=3").says("6*x"));
  CHECK(tool("integrate 'exp(-a*x)' --over 'x from 0 to infinity' --set a=4").says("1/4"));
}

TEST_CASE("names of other notations are warned of, in text and JSON") {
  struct Case {
    const char* words;
    const char* warning;
  };
  for (const Case& c :
       {Case{"derive 'ln(x)' --wrt x", "the natural logarithm is log"},
        Case{"derive 'arctan(x)'", "here it is called atan"}, Case{"derive 'SIN(x)'", "here it is called sin"},
        Case{"derive 'x(y+1)' --wrt y", "x(y + 1) calls x as an unknown function; for a product write x*(y + 1)"},
        Case{"derive 'e^x' --wrt x", "write exp(x)"}, Case{"derive 'Pi*x' --wrt x", "the constant is pi"},
        Case{"simplify 'exp(i*x)'", "the imaginary unit is 1i"},
        Case{"derive 'x^2' --wrt q", "so the derivative by it is 0"}}) {
    CAPTURE(std::string(c.words));
    const auto o = tool(c.words);
    CHECK(o.code == 0);
    CHECK(o.says(std::string("warning: ")));
    CHECK(o.says(c.warning));
    const auto j = tool(std::string(c.words) + " --json").json();
    REQUIRE(j["warnings"].size() == 1);
    CHECK(j["warnings"][0].get<std::string>().find(c.warning) != std::string::npos);
  }
  for (const char* words : {"derive 'f(x)' --wrt x --unknown f", "derive \"f'(x)\" --wrt x", "simplify 'y(t) + y(t)'",
                            "derive 'log(x)'", "simplify \"y'' + y\""}) {
    CAPTURE(std::string(words));
    CHECK(!tool(words).says("warning"));
  }
  for (const auto& [before, now] : {std::pair{"bessel_J(0, x)", "cyl_bessel_j"},
                                    {"bessel_Y(0, x)", "cyl_neumann"},
                                    {"bessel_I(0, x)", "cyl_bessel_i"},
                                    {"bessel_K(0, x)", "cyl_bessel_k"},
                                    {"legendre_P(2, x)", "legendre"},
                                    {"hermite_H(2, x)", "hermite"},
                                    {"dirac(x)", "dirac_delta"}}) {
    const auto o = tool("simplify '" + std::string(before) + "'");
    CHECK(o.code == 2);
    CHECK(o.says(now));
  }
}

TEST_CASE("evidence says how it looked, can fail, and decides the exit code") {
  CHECK(tool("evaluate 'exp(-1000)'").says("5.07595889754946e-435"));
  const auto lost = tool("evaluate '(1 - cos(x))/x^2' --at x=1e-9");
  CHECK(lost.says("  0.5\n"));
  CHECK(lost.says("digits are lost by cancellation"));
  const auto powers = tool("check '(x*y)^n = x^n*y^n' --json");
  CHECK(powers.code == 1);
  CHECK(powers.json()["check"]["worst"]["right"].get<std::string>().find('i') != std::string::npos);
  CHECK(tool("check '(x*y)^n = x^n*y^n' --assume 'x > 0, y > 0'").code == 0);
  CHECK(tool("factor '0^n'").says("0^n"));
  CHECK(tool("factor '1/(z+3) + double(0.1)'").code == 0);
  CHECK(tool("integrate 'z*exp(-z/H)' --over z").says("valid for H != 0"));
  CHECK(tool("integrate 'sinh(t)/t' --over t").says("Shi(t)"));
  CHECK(tool("integrate 'sqrt(x)' --over 'x from -1 to 1' --numeric").code == 1);
}

TEST_CASE("names of files are names: nothing is run, nothing else is written") {
  const Folder folder;
  const std::string inside = folder / "work";
  std::filesystem::create_directories(inside);
  const std::string bad[] = {"|touch pwned #.svg", "$(touch pwned).png", "a';touch pwned;'.png", "`touch pwned`.svg"};
  const auto here = std::filesystem::current_path();
  std::filesystem::current_path(inside);
  for (const std::string& name : bad) {
    std::string quoted;
    for (const char c : name) quoted += c == '\'' ? "'\\''" : std::string(1, c);
    const auto o = tool("plot 'x^2' --over 'x from 0 to 1' --out '" + quoted + "'");
    CAPTURE(name);
    CHECK(o.code == 0);
    CHECK(std::filesystem::exists(std::filesystem::path(inside) / name));
    CHECK(!std::filesystem::exists("pwned"));
  }
  std::filesystem::current_path(here);
  const std::string mark = folder / "pwned";
  std::FILE* pipe = ::popen(("TMPDIR=\"/nonexistent';touch " + mark + ";'\" " + BOREON_TOOL +
                             " plot 'x^2' --over 'x from 0 to 1' --out " + (folder / "t.png") + " 2>&1")
                                .c_str(),
                            "r");
  (void)test::read_all(pipe);
  CHECK(WEXITSTATUS(::pclose(pipe)) == 2);
  CHECK(!std::filesystem::exists(mark));
}

TEST_CASE("files are whole or untouched") {
  const Folder folder;
  const std::string toml = folder.file("run.toml", text_of(model("mirror_proton.toml")));
  const std::string before = text_of(toml);
  for (const std::string& words : {"simulate " + toml + " --out " + toml, "simulate " + toml + " --force --out " + toml,
                                   "show " + toml + " --out " + toml, "solve " + toml + " --out " + toml}) {
    CAPTURE(words);
    CHECK(tool(words).code == 2);
    CHECK(text_of(toml) == before);
  }
  const std::string foreign = folder.file("notes.txt", "my own words");
  CHECK(tool("derive 'x^2' --out " + foreign).code == 2);
  CHECK(text_of(foreign) == "my own words");
  CHECK(tool("derive 'x^2' --force --out " + foreign).code == 0);
  CHECK(text_of(foreign).find("2*x") != std::string::npos);
  CHECK(tool("derive 'x^3' --out " + foreign).code == 0);  // earlier output
  std::filesystem::create_directories(folder / "src");
  const std::string cmake = folder.file("src/CMakeLists.txt", "project(mine)\n");
  CHECK(tool("generate " + model("ion_chemistry.toml") + " --out " + (folder / "src")).code == 2);
  CHECK(text_of(cmake) == "project(mine)\n");
  CHECK(tool("generate " + model("ion_chemistry.toml") + " --show operations --out " + (folder / "operations.txt"))
            .code == 0);
  CHECK(text_of(folder / "operations.txt").find("multiply") != std::string::npos);
  // every command may write over its own earlier output
  for (const std::string& words :
       {"generate " + model("ion_chemistry.toml") + " --out " + (folder / "own"),
        "generate " + model("ion_chemistry.toml") + " --language c --eigen --out " + (folder / "own"),
        "generate " + model("ion_chemistry.toml") + " --language c --out " + (folder / "own_c"),
        "simulate " + model("mirror_proton.toml") + " --until 2 --out " + (folder / "own.csv") + " --plot " +
            (folder / "own.png"),
        "plot 'x' --over 'x from 0 to 1' --out " + (folder / "own.svg"),
        "solve " + model("ion_chemistry.toml") + " --out " + (folder / "own1.csv"),
        "solve " + model("ion_chemistry.toml") + " --out " + (folder / "own1.json"),
        "show " + model("ion_chemistry.toml") + " --format latex --out " + (folder / "own.tex"),
        "show " + model("ion_chemistry.toml") + " --out " + (folder / "own.html"),
        "demo --out " + (folder / "story")}) {
    CAPTURE(words);
    const int first = tool(words).code;
    CHECK(tool(words).code == first);
    CHECK((first == 0 || words.find("--eigen") != std::string::npos));
  }
  CHECK(tool("derive 'x^2' --out " + (folder / "missing/a.txt")).code == 2);
  CHECK(tool("derive 'x^2' --out " + (folder / "src")).code == 2);
  if (std::filesystem::exists("/dev/full")) {
    CHECK(tool("derive 'x^2' > /dev/full").code != 0);
    CHECK(tool("derive 'x^2' --json > /dev/full").code != 0);
    CHECK(tool("simulate " + model("mirror_proton.toml") + " --out /dev/full").code == 2);
  }
  CHECK(tool("solve " + model("ion_chemistry.toml") + " --out " + (folder / "s.csv")).code == 0);
  CHECK(text_of(folder / "s.csv").starts_with("N2p,"));
  CHECK(tool("solve " + model("ion_chemistry.toml") + " --out " + (folder / "s.json")).code == 0);
  CHECK(nlohmann::json::parse(text_of(folder / "s.json"))["command"] == "solve");
  CHECK(tool("solve " + model("ion_chemistry.toml") + " --out " + (folder / "s.dat")).code == 2);
  for (const auto& entry : std::filesystem::directory_iterator(folder / "."))
    CHECK(entry.path().filename().string()[0] != '.');
}

TEST_CASE("an interrupt stops at once, cleans up and is told") {
  const Folder folder;
  for (const auto& [signal, code] : {std::pair{SIGINT, 130}, {SIGTERM, 143}}) {
    const std::string out = folder / "stopped.txt";
    const pid_t child = ::fork();
    if (child == 0) {
      (void)::freopen(out.c_str(), "w", stdout);
      ::execl(BOREON_TOOL, BOREON_TOOL, "expand", "(a+b+c+d)^120", "--json", "--work", "100000000000",
              static_cast<char*>(nullptr));
      ::_exit(99);
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(700));
    ::kill(child, signal);
    int status = 0;
    ::waitpid(child, &status, 0);
    CHECK(WIFEXITED(status));
    CHECK(WEXITSTATUS(status) == code);
    CHECK(nlohmann::json::parse(text_of(out))["error"]["kind"] == "interrupted");
  }
}

TEST_CASE("whatever is asked ends: an answer, or the limit and how to raise it") {
  for (const char* words :
       {"evaluate 'sum(1/k, k from 1 to 10^18)'", "evaluate 'polygamma(-1e20, 2)'",
        "evaluate 'polylog(23456789012345678901, double(0.1))'", "evaluate 'polynomial_root(1e20, 1, 2, -1)'",
        "expand '(a+b+c+d)^200' --work 100000000", "factor 'x^1000-1' --work 100000000",
        "evaluate 'cyl_bessel_j(1e30, 2)'", "evaluate 'legendre(10^25, 0.5)'", "evaluate 'gamma(1e300)'",
        "evaluate 'zeta(10^40)'", "simplify 'sum(k^20, k from 1 to n)'",
        "series '1/sin(x)' --about x=0 --order 2000 --work 100000000"}) {
    CAPTURE(std::string(words));
    const auto o = tool(words);
    CHECK((o.code == 0 || o.code == 1 || o.code == 2));
    if (o.code != 0) CHECK(o.says("error:"));
  }
  CHECK(tool("evaluate 'sum(1/k, k from 1 to 10^18)'").says("42.02374733"));
  CHECK(tool("expand '(a+b+c+d)^200' --work 1000000").says("--work 10000000"));
  CHECK(tool("expand '(a+b+c+d)^200' --work 1000000 --json").json()["error"]["kind"] == "limit");
}

TEST_CASE("what a terminal would carry out is written out") {
  const Folder folder;
  const std::string evil = folder.file(
      "evil.toml", "title = \"red \\u001b[31m and \\u202e turned\"\n[unknowns]\nx = 1\n[equations]\ne = \"x = 2\"\n");
  const auto o = tool("show " + evil);
  CHECK(o.text.find('\x1b') == std::string::npos);
  CHECK(o.says("\\u{001b}[31m"));
  CHECK(o.says("\\u{202e}"));
  CHECK(tool("derive $'x\\xff'").text.find('\xff') == std::string::npos);
}
