// SPDX-License-Identifier: MIT
// What the tool tells about numeric functions: operations, programs, machine code, digits.
#include <doctest/doctest.h>

#include <cmath>
#include <regex>
#include <sstream>

#include "tool.hpp"

using test::tool;
using test::model;

TEST_CASE("generate --show counts operations and lists programs and machine code") {
  const auto counts = tool("generate " + model("ion_chemistry.toml") + " --show operations");
  REQUIRE(counts.code == 0);
  // The counts of each kind add up to the sum that is stated, which is no more than without the optimiser.
  std::istringstream lines(counts.out);
  int stated = -1;
  int before = -1;
  int sum = 0;
  int functions = 0;
  const std::regex total("  ([0-9]+) operations, ([0-9]+) before optimisation");
  const std::regex kind(" +[a-z_]+ ([0-9]+)");
  const auto finish = [&] {
    if (stated < 0) return;
    CHECK(sum == stated);
    CHECK(stated <= before);
    ++functions;
  };
  for (std::string line; std::getline(lines, line);) {
    std::smatch m;
    if (std::regex_match(line, m, total)) {
      finish();
      stated = std::stoi(m[1]);
      before = std::stoi(m[2]);
      sum = 0;
    } else if (std::regex_match(line, m, kind)) {
      sum += std::stoi(m[1]);
    }
  }
  finish();
  CHECK(functions == 3);

  const auto program = tool("generate " + model("ion_chemistry.toml") + " --show program");
  REQUIRE(program.code == 0);
  CHECK(program.says("v0 = "));
  CHECK(program.says("jacobian[0] = "));
  const auto assembly = tool("generate " + model("ion_chemistry.toml") + " --show assembly");
  REQUIRE(assembly.code == 0);
#if defined(__x86_64__)
  CHECK(assembly.says("; one point, native"));
  CHECK(assembly.says("ret"));
#endif
  const auto wrong = tool("generate " + model("ion_chemistry.toml") + " --show bytes");
  CHECK(wrong.code == 2);
  CHECK(wrong.says("assembly"));
}

TEST_CASE("check --certify measures digits at the start values of a model") {
  const auto text = tool("check " + model("ion_chemistry.toml") + " --certify");
  REQUIRE(text.code == 0);
  CHECK(text.says("d(equation oxygen)/d(N2p)"));
  CHECK(text.says("verdict: 15."));
  const auto json = tool("check " + model("ion_chemistry.toml") + " --certify --json").json();
  double last = 1e9;
  for (const auto& entry : json["result"]) {
    CHECK(entry["digits_lost"].get<double>() <= last);  // the worst first
    last = entry["digits_lost"].get<double>();
    const double exact = std::stod(entry["exact"].get<std::string>());
    CHECK(std::abs(entry["value"].get<double>() - exact) <=
          1e-15 * std::pow(10.0, entry["digits_lost"].get<double>()) * std::abs(exact));
  }
  CHECK(json["check"]["digits"].get<double>() > 15);
}

TEST_CASE("check --certify measures digits of expressions at a place") {
  const auto loss = tool("check \"(1 - cos(x))/x^2\" --certify --at x=1e-6 --json").json();
  double value_loss = -1;
  for (const auto& entry : loss["result"]) {
    if (entry["entry"] != "(1 - cos(x))/x^2") continue;
    value_loss = entry["digits_lost"].get<double>();
    CHECK(std::stod(entry["exact"].get<std::string>()) == doctest::Approx(0.5).epsilon(1e-12));
  }
  CHECK(value_loss > 8);  // 1 - cos(x) is 5e-13, known to 1e-16
  CHECK(loss["cancellations"].size() >= 1);
  const auto well = tool("check \"2*sin(x/2)^2/x^2\" --certify --at x=1e-6 --json").json();
  for (const auto& entry : well["result"]) {
    if (entry["entry"].get<std::string>().rfind("d(", 0) != 0) CHECK(entry["digits_lost"].get<double>() < 1);
  }
  // what is not taken may be undefined
  CHECK(tool("check \"piecewise(log(x) if x > 0, x otherwise)\" --certify --at x=-1").code == 0);
  struct Mistake {
    const char* arguments;
    const char* says;
  };
  for (const Mistake& m :
       {Mistake{"\"x*y\" --certify", "--at \"x=..., y=...\""}, Mistake{"\"x*y\" --certify --at x=1", "--at \"y=...\""},
        Mistake{"\"x*y\" --certify --at \"x=1, y=2, z=3\"", "'z' does not occur"},
        Mistake{"\"x*y\" --at x=1", "--at goes with --certify"},
        Mistake{"\"x*log(x - 2)\" --certify --at x=1", "log(x - 2) is undefined where x - 2 = -1"}}) {
    CAPTURE(m.arguments);
    const auto o = tool(std::string("check ") + m.arguments);
    CHECK(o.code != 0);
    CHECK(o.says(m.says));
  }
  CHECK(tool("check " + model("ion_chemistry.toml") + " --certify --at x=1").says("--set"));
}
