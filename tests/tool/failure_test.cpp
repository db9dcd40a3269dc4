// SPDX-License-Identifier: MIT
// Every way in which a search can fail has a model that provokes it here, and a message that teaches.
#include <doctest/doctest.h>

#include <string>
#include <vector>

#include "boreon/boreon.hpp"
#include "boreon/continuation.hpp"
#include "tool/tool.hpp"

namespace failure_cases {

struct Case {
  const char* command;  ///< what stands before and after the model
  const char* options;
  const char* model;
  int code;
  std::vector<std::string> says;
};

void require_messages(const std::vector<Case>& cases) {
  const test::Folder folder;
  for (const Case& c : cases) {
    const std::string text = c.model;
    CAPTURE(text);
    const std::string file = folder.file("m.toml", text);
    const test::Output o = test::tool(std::string(c.command) + " " + file + " " + c.options);
    CHECK_MESSAGE(o.code == c.code, o.text);
    for (const std::string& s : c.says) {
      CAPTURE(s);
      CHECK_MESSAGE(o.says(s), o.text);
    }
  }
}

}  // namespace failure_cases

using failure_cases::require_messages;

TEST_CASE("failure messages: steady states") {
  require_messages({
      // the bound in the way, and where the equations lead
      {"solve",
       "",
       "[unknowns]\nn = { start = 1, upper = 5 }\n[equations]\nloss = \"n = 7\"\n",
       1,
       {"upper bound of n, 5", "lead it to 7", "widen the bound"}},
      {"solve",
       "",
       "[unknowns]\nn = { start = 3, lower = 1 }\n[equations]\ne = \"n^2 = 0.25\"\n",
       1,
       {"lower bound of n, 1", "lead it to"}},
      // a start outside its bounds is moved, and said
      {"solve",
       "",
       "[unknowns]\nn = { start = 9, lower = 0, upper = 5 }\n[equations]\ne = \"n = 3\"\n",
       0,
       {"start 9 of n lies outside", "moved to 5", "n = 3"}},
      {"solve",
       "",
       "[unknowns]\nn = { start = 1, lower = 5, upper = 2 }\n[equations]\ne = \"n = 3\"\n",
       2,
       {"bounds of n", "lower 5 is above upper 2", ":2:1"}},
      // a function that leaves its domain: which, at which values, at the start and on the way
      {"solve",
       "",
       "[unknowns]\nT = -2\n[equations]\ne = \"log(T) = 1\"\n",
       1,
       {"no finite value at the start", "log(T)", "T = -2"}},
      {"solve", "", "[unknowns]\nT = 3\n[equations]\ne = \"sqrt(T) + log(T + 1) + 1 = 0\"\n", 1, {"T", "domain"}},
      // equations that depend on each other, and what they leave open
      {"solve",
       "",
       "[unknowns]\na = 1\nb = 2\n[equations]\none = \"a + b = 3\"\ntwo = \"2*a + 2*b = 7\"\n",
       1,
       {"one, two depend on each other", "do not determine a, b"}},
      // no solution: which equation is worst, which unknown stalls
      {"solve",
       "",
       "[unknowns]\nx = 1\ny = 1\n[equations]\nfine = \"y = 2\"\nworst = \"x^2 + y = 0\"\n",
       1,
       {"'worst'", "does not change with x", "no real solution"}},
      // a multiple root
      {"solve", "", "[unknowns]\nx = 1\n[equations]\ne = \"x^2 = 0\"\n", 1, {"multiple solution at x = 0", "singular"}},
      // found by way of another parameter value, and the branch that turns back before it
      {"solve",
       "",
       "[parameters]\nload = 3\n[unknowns]\nx = { start = 0.1 }\n[equations]\ne = \"load = 2 - (x - 1)^2\"\n",
       1,
       {"load = 1.5", "turns back at load = 2", "trace --along load"}},
      {"solve",
       "--set k=2",
       "[parameters]\ng = 1\n[unknowns]\nx = 1\n[equations]\ne = \"g*x = 3\"\n",
       2,
       {"no parameter 'k'", "g"}},
  });
}

TEST_CASE("a steady state that is not found from its start is followed there from an easier parameter value") {
  for (const char* text :
       {"[parameters]\nk = 40\n[unknowns]\nx = 0.01\ny = 1\n[equations]\ne = \"exp(k*x) - 1 + sin(40*x) = 1 + y\"\n"
        "f = \"tanh(k*(y - 3)) + exp(-k*y) = x\"\n",
        "[parameters]\nb = 1\n[unknowns]\nx = 0.1\n[equations]\ne = \"1/(1 + exp(-30*b*(x - 1))) = 0.3 + "
        "0.01*sin(50*b*x)\"\n"}) {
    const boreon::System s = boreon::steady_system(boreon::parse_model(text));
    boreon::SteadyOptions o;
    o.restarts = 0;
    const boreon::SteadyResult failed = boreon::solve_steady(s, o);
    REQUIRE_FALSE(failed.converged);
    const boreon::SteadyResult found = boreon::follow_to_steady_state(s, failed, o);
    REQUIRE_MESSAGE(found.converged, found.message);
    CHECK(found.message.find("by following the steady state from " + s.parameter_names[0]) != std::string::npos);
    CHECK(found.correction < 1e-10);
  }
  // what other parameter values cannot help is given back as it is
  const boreon::System none = boreon::steady_system(boreon::parse_model(
      "[parameters]\nq = 2\n[unknowns]\nx = { start = 1, upper = 5 }\n[equations]\ne = \"x = 3*q\"\n"));
  const boreon::SteadyResult failed = boreon::solve_steady(none);
  CHECK(boreon::follow_to_steady_state(none, failed).message == failed.message);
}

TEST_CASE("failure messages: sensitivities") {
  const char* const model =
      "[parameters]\nq = { value = 4, uncertainty = 0.1 }\na = 1\nidle = 2\n[unknowns]\nn = 1\n[equations]\n"
      "e = \"q = a*n^2\"\n[outputs]\nlight = \"3*n\"\nfixed = \"2*idle\"\n";
  require_messages({
      {"sensitivity", "--of dark --wrt q", model, 2, {"no output or unknown 'dark'"}},
      {"sensitivity", "--of light --wrt p", model, 2, {"no parameter 'p'"}},
      {"sensitivity", "--of light --wrt n", model, 2, {"n is an unknown", "n(0)"}},
      {"sensitivity", "--of light --wrt \"n(0)\"", model, 2, {"does not depend on it"}},
      {"sensitivity", "--of fixed --wrt q", model, 0, {"does not depend"}},
      {"sensitivity",
       "--of light --wrt a",
       "[parameters]\na = 0\n[unknowns]\nn = 1\n[equations]\ne = \"n^2 = a\"\n",
       2,
       {"no output or unknown 'light'"}},
  });
}

TEST_CASE("failure messages: fits") {
  const auto with = [](const std::string& rest) { return "[unknowns]\na = 1\nb = 1\n[data]\n" + rest; };
  const std::string same =
      with("columns = { x = [1, 2, 3, 4], y = [2, 4, 6, 8.1] }\n[fit]\ny = { model = \"(a + b)*x\" }\n");
  const std::string idle =
      with("columns = { x = [1, 2, 3, 4], y = [2, 4, 6, 8.1] }\n[fit]\ny = { model = \"a*x + 0*b\" }\n");
  const std::string text =
      with("columns = { x = [1, 2, 3, 4], y = [2, \"four\", 6, 8.1] }\n[fit]\ny = { model = \"a*x + b\" }\n");
  const std::string negative =
      with("columns = { x = [1, 2, 3], y = [2, 4, 6] }\n[fit]\ny = { model = \"a*x + b\", sigma = \"x - 2\" }\n");
  const std::string infinite =
      with("columns = { x = [1, 2, inf], y = [2, 4, 6] }\n[fit]\ny = { model = \"a*x + b\" }\n");
  require_messages({
      {"fit", "", same.c_str(), 0, {"a", "b", "only matter together", "+1 %"}},
      {"fit", "", idle.c_str(), 2, {"the unknown b occurs in no model of [fit]"}},
      {"fit", "", text.c_str(), 2, {"row 2 of the column y", "number"}},
      {"fit", "", negative.c_str(), 1, {"sigma of y is", "row 1", "positive"}},
      {"fit", "", infinite.c_str(), 1, {"row 3 of the column x", "finite number"}},
      {"fit", "", "[unknowns]\na = 1\n[equations]\ne = \"a = 1\"\n", 2, {"nothing to fit"}},
  });
}
