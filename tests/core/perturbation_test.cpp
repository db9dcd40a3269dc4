// SPDX-License-Identifier: MIT
// Powers of a small parameter: beside exact solutions, and what is left of the equation by difference quotients.
#include <doctest/doctest.h>

#include <cmath>
#include <string>
#include <vector>

#include "boreon/boreon.hpp"

using namespace boreon;

namespace perturbation_cases {

const Symbol t("t"), eps("eps"), a("a");
const UnknownFunction y("y");

static Expr read(const std::string& text, bool at_places = false) {
  ParseContext c;
  c.independent = t;
  c.names = {{"eps", eps}, {"a", a}, {"t", t}};
  if (!at_places) c.names.emplace("y", y(t));
  c.functions.emplace("y", 1);
  return parse_equation(text, c).residual();
}

static Perturbation expanded(const std::string& equation, int order, const std::vector<std::string>& given = {}) {
  PerturbationOptions o;
  o.order = order;
  for (const std::string& g : given) o.given.push_back(read(g, true));
  return perturbation_expansion(read(equation), y(t), eps, o);
}

TEST_CASE("small parameters: the exact solution differs by the power that is left out") {
  const struct {
    std::string equation;
    std::vector<std::string> given;
    std::string exact;
  } cases[] = {{"y' = -y + eps*y^2", {"y(0) = 1"}, "1/(exp(t) + eps*(1 - exp(t)))"},
               {"y' = -(1 + eps)*y", {"y(0) = 2"}, "2*exp(-(1 + eps)*t)"},
               {"y'' + 2*eps*y' + y = 0",
                {"y(0) = 1", "y'(0) = 0"},
                "exp(-eps*t)*(cos(sqrt(1 - eps^2)*t) + eps*sin(sqrt(1 - eps^2)*t)/sqrt(1 - eps^2))"},
               {"y' = eps*y^2 + 1", {"y(0) = 0"}, "tan(sqrt(eps)*t)/sqrt(eps)"},
               {"y' = -y", {"y(0) = 1 + eps"}, "(1 + eps)*exp(-t)"}};
  for (const auto& c : cases) {
    for (int order = 1; order <= 3; ++order) {
      CAPTURE(c.equation);
      CAPTURE(order);
      const Perturbation s = expanded(c.equation, order, c.given);
      REQUIRE(s.found);
      CHECK(s.terms.size() == static_cast<std::size_t>(order) + 1);
      CHECK(s.constants.empty());
      const Expr exact =
          parse(c.exact, ParseContext{.names = {{"t", t}, {"eps", eps}}, .functions = {}, .described = {}});
      const auto missed = [&](double small) {
        const Bindings at{{t, Expr(Number::exact(0.75))}, {eps, Expr(Number::exact(small))}};
        return std::abs(evaluate(s.solution, at, Unused::allowed) - evaluate(exact, at, Unused::allowed));
      };
      const double far = missed(0.0625);
      const double near = missed(0.03125);
      if (far < 1e-13) continue;  // exact already
      CHECK(std::log2(far / near) > order + 0.7);
    }
  }
}

TEST_CASE("small parameters: nonlinear oscillator, constants, growth") {
  const Perturbation s = expanded("y'' + y + eps*y^3 = 0", 2, {"y(0) = 1", "y'(0) = 0"});
  REQUIRE(s.found);
  CHECK(s.secular);
  CHECK(s.terms[0] == cos(t));
  // the frequency 1 + 3*eps/8 of the first correction: its growing term is -3*t*sin(t)/8
  const double far = 200 * 3.14159265358979312;
  CHECK(evaluate(s.terms[1], {{t, far + 1.5707963267948966}}) / far == doctest::Approx(-0.375).epsilon(0.01));
  const Perturbation general = expanded("y' = -y + eps*y^2", 2);
  REQUIRE(general.found);
  CHECK(general.constants.size() == 1);
  CHECK_FALSE(general.secular);
}

TEST_CASE("small parameters: what has no such expansion says why") {
  CHECK(expanded("eps*y'' + y' + y = 0", 2, {"y(0) = 0", "y(1) = 1"}).reason.find("boundary layer") !=
        std::string::npos);
  CHECK_FALSE(expanded("y'' = y^2 + t + eps", 1).found);  // Painleve's first equation has no closed form
  CHECK_THROWS_AS((void)expanded("y' = -y", 1), Error);
  CHECK_THROWS_AS((void)expanded("y' = -eps*y", 0), Error);
  CHECK_THROWS_AS((void)perturbation_expansion(read("y' = -eps*y"), y(t), t), Error);
  CHECK_THROWS_AS((void)perturbation_expansion(read("y' = -eps*y"), t, eps), Error);
}

}  // namespace perturbation_cases
