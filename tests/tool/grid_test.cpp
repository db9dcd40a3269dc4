// SPDX-License-Identifier: MIT
// Models with derivatives on grids: against the same models in differences by hand, the order that is observed, and
// what is refused.
#include <doctest/doctest.h>
#include <fmt/format.h>

#include <cmath>
#include <string>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace grid_models {

std::string rod(const std::string& grid, const std::string& heat, const std::string& end) {
  return fmt::format(
      "title = \"A rod\"\n[indices]\ni = {{ from = 0, to = \"n - 1\" }}\n{}[parameters]\nn = 11\nL = 2\nD = 0.3\nv = "
      "0.4\n"
      "\"k[i]\" = {{ value = \"1 + i/10\" }}\n[unknowns]\n\"T[i]\" = {{ start = \"1 + (i/10)^2\" }}\n[equations]\n"
      "heat = \"T'[i] = {}\"\ncold = \"T[0] = 1\"\nend = \"{}\"\n[outputs]\nmean = \"sum(T[i], i)/n\"\n",
      grid, heat, end);
}

TEST_CASE("operators on a grid are the differences that one would write by hand") {
  const std::string grid = "[grid]\nx = { index = \"i\", from = 0, to = \"L\" }\n";
  const std::string slope = "T[n-1] = (4*T[n-2] - T[n-3])/3";
  struct Row {
    const char* typed;
    const char* by_hand;
  };
  const Row rows[] = {
      {"D*derivative(T[i], x, 2)", "D*(T[i-1] - 2*T[i] + T[i+1])/(L/10)^2"},
      {"D*laplacian(T[i]) - T[i]^2/9", "D*(T[i-1] - 2*T[i] + T[i+1])/(L/10)^2 - T[i]^2/9"},
      {"diffusion(k[i], T[i])", "((k[i] + k[i+1])/2*(T[i+1] - T[i]) - (k[i-1] + k[i])/2*(T[i] - T[i-1]))/(L/10)^2"},
      {"D*derivative(T[i], x, 2) - upwind(v, T[i], x)",
       "D*(T[i-1] - 2*T[i] + T[i+1])/(L/10)^2 - v*(T[i] - T[i-1])/(L/10)"},
      {"D*derivative(T[i], x, 2) - v*derivative(T[i]^2, x) + x",
       "D*(T[i-1] - 2*T[i] + T[i+1])/(L/10)^2 - v*(T[i+1]^2 - T[i-1]^2)/(2*(L/10)) + i*L/10"}};
  for (const Row& r : rows) {
    CAPTURE(std::string(r.typed));
    const Model a = parse_model(rod(grid, r.typed, "derivative(T[n-1], x) = 0"));
    const Model b = parse_model(rod("", r.by_hand, slope));
    const System s = time_system(a);
    const System t = time_system(b);
    REQUIRE(s.states.size() == t.states.size());
    TimeOptions o;
    o.until = 0.5;
    o.samples = 3;
    const TimeResult x = step_in_time(s, o);
    const TimeResult y = step_in_time(t, o);
    for (std::size_t k = 0; k < x.outputs.back().size(); ++k)
      CHECK(x.outputs.back()[k] == doctest::Approx(y.outputs.back()[k]).epsilon(1e-6));
    CHECK(sparse_jacobian(s.residuals, s.states).pattern.columns ==
          sparse_jacobian(t.residuals, t.states).pattern.columns);
  }
}

TEST_CASE("the order of differences is that stated, for 2, 4 and 6, alone and at each kind of place") {
  for (const int order : {2, 4, 6}) {
    CAPTURE(order);
    const Model m =
        parse_model(rod(fmt::format("[grid]\nx = {{ index = \"i\", spacing = \"L/10\", order = {} }}\n", order),
                        "D*derivative(T[i], x, 2) - v*derivative(T[i], x) + diffusion(k[i], T[i]) - upwind(v, T[i], x)",
                        "derivative(T[n-1], x) = 0"));
    const std::vector<GridOrder> all = observed_orders(m);
    CHECK(all.size() > 4 * static_cast<std::size_t>(order));
    for (const GridOrder& o : all) {
      CAPTURE(to_text(o.derivative));
      CAPTURE(o.place);
      CHECK(o.agrees());
      const bool flux = to_text(o.derivative).starts_with("diffusion");
      const bool upwind = to_text(o.derivative).starts_with("upwind");
      CHECK(o.stated == (upwind ? 1 : flux ? 2 : order));
      CHECK(std::abs(o.observed - std::round(o.observed)) < 0.1);
    }
  }
}

TEST_CASE("check --order, show, and a model that ships") {
  const test::Output r = test::tool("check " BOREON_MODELS "/spreading_arc.toml --order --json");
  CHECK(r.code == 0);
  const auto json = r.json();
  CHECK(json["check"]["verdict"] == "agrees");
  CHECK(json["result"].size() >= 15);
  const test::Output shown = test::tool("show " BOREON_MODELS "/spreading_arc.toml");
  CHECK(shown.out.find("derivative(along[j]*derivative(n[i, j], z), z)") != std::string::npos);
  CHECK(shown.out.find("z = 95 on by j in steps of 5, differences of order 4") != std::string::npos);
  CHECK(test::tool("check " BOREON_MODELS "/drifting_patch.toml --order").code == 2);
  CHECK(test::tool("check " BOREON_MODELS "/spreading_arc.toml --order --certify").code == 2);
}

TEST_CASE("grids that are wrong are refused, with what is missing") {
  struct Row {
    const char* grid;
    const char* message;
  };
  const Row rows[] = {{"x = { index = \"m\", from = 0, to = 1 }", "'m' is no index"},
                      {"x = { from = 0, to = 1 }", "needs the index that counts it"},
                      {"x = { index = \"i\" }", "has either a spacing or an end"},
                      {"x = { index = \"i\", to = 1, spacing = 2 }", "has either a spacing or an end"},
                      {"x = { index = \"i\", to = 1, order = 3 }", "an even number from 2 to 12"},
                      {"x = { index = \"i\", to = 1, ordre = 4 }", "ordre"},
                      {"x = { index = \"i\", to = 1 }\ny = { index = \"i\", to = 2 }", "the index i counts x already"},
                      {"x = { index = \"i\", to = 1, order = 12 }", "i runs over 11 places"}};
  for (const Row& r : rows) {
    CAPTURE(std::string(r.grid));
    CHECK_THROWS_WITH_AS(
        (void)parse_model(rod(std::string("[grid]\n") + r.grid + "\n", "D*derivative(T[i], x, 2)", "T[n-1] = 0")),
        doctest::Contains(r.message), Error);
  }
}

}  // namespace grid_models
