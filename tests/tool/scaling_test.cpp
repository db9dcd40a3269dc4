// SPDX-License-Identifier: MIT
// Steady states do not depend on the units in which unknowns and equations are written.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "boreon/boreon.hpp"
#include "tool/tool.hpp"

using namespace boreon;

namespace {

// Unknown i in units of 10^-a_i, equation j multiplied by 10^b_j.
System scaled(const System& s, const std::vector<int>& a, const std::vector<int>& b) {
  System out = s;
  Bindings in_units;
  for (std::size_t i = 0; i < s.states.size(); ++i) {
    in_units.set(s.states[i], s.states[i] / power(Expr(10), a[i]));
    for (auto* list : {&out.start, &out.lower, &out.upper}) (*list)[i] *= std::pow(10.0, a[i]);
  }
  for (std::size_t j = 0; j < s.residuals.size(); ++j)
    out.residuals[j] = power(Expr(10), b[j]) * substitute(s.residuals[j], in_units, Unused::allowed);
  out.outputs.clear();
  out.output_names.clear();
  return out;
}

}  // namespace

TEST_CASE("units of unknowns and equations change neither verdict nor digits of a steady state") {
  const char* models[] = {
      "[unknowns]\nx = 1\ny = 1\n[equations]\na = \"x^2 - 4\"\nb = \"y - 3*x\"\n",
      "[unknowns]\nx = -1.2\ny = 1\n[equations]\na = \"10*(y - x^2)\"\nb = \"1 - x\"\n",
      "[unknowns]\nx = { start = 0.5, lower = 0 }\n[equations]\ne = \"x*exp(x) = 1\"\n",
      ("[unknowns]\nx = { start = 1, lower = 0 }\ny = { start = 2, lower = 0 }\nz = { start = 1, lower = 0 }\n"
       "[equations]\na = \"3 - x*y - x\"\nb = \"x*y - 2*y*z\"\nc = \"x + y + z - 4\"\n"),
      "[unknowns]\nx = 0\ny = 0\n[equations]\na = \"2*x + y = 4\"\nb = \"x - y = 1/2\"\n",
      "[unknowns]\nx = 1\n[equations]\na = \"x^2 + 1\"\n",
      "[unknowns]\nx = { start = 0.3, lower = 0 }\n[equations]\na = \"x + 1\"\n",
      "[unknowns]\nA = 1\nB = 3\nC = 4\n[equations]\na = \"2*A = B\"\nb = \"B - 2*A = 0\"\nc = \"C = 5\"\n",
  };
  std::mt19937_64 random(77);
  const auto exponent = [&] { return static_cast<int>(random() % 41) - 20; };
  for (const char* text : models) {
    const System plain = steady_system(parse_model(text));
    const SteadyResult expected = solve_steady(plain);
    for (int k = 0; k < 12; ++k) {
      std::vector<int> a;
      std::vector<int> b;
      for (std::size_t i = 0; i < plain.states.size(); ++i) {
        a.push_back(exponent());
        b.push_back(exponent());
      }
      CAPTURE(std::string(text));
      CAPTURE(k);
      const SteadyResult r = solve_steady(scaled(plain, a, b));
      CHECK(r.converged == expected.converged);
      // without a root the iteration wanders: whether it stalls or runs out of steps first is no verdict
      const auto kind = [](SteadyOutcome o) {
        return o == SteadyOutcome::too_many_iterations ? SteadyOutcome::stalled : o;
      };
      CHECK(kind(r.outcome) == kind(expected.outcome));
      if (!r.converged || !expected.converged) continue;
      for (std::size_t i = 0; i < a.size(); ++i) {
        CHECK(r.values[i] / std::pow(10.0, a[i]) == doctest::Approx(expected.values[i]).epsilon(1e-11));
        CHECK(r.corrections[i] <= 1e-11);
        CHECK(r.term_residuals[i] <= 1e-12);
      }
    }
  }
}

TEST_CASE("unknowns of different sizes do not hide each other") {
  for (const char* big : {"1e17", "1e20", "1e-19"}) {
    const std::string text = std::string("[unknowns]\nx = 1\ny = ") + big +
                             "\n[equations]\na = \"x^2 - 4 = 0\"\nb = \"y - " + big + "*x = 0\"\n";
    const SteadyResult r = solve_steady(steady_system(parse_model(text)));
    REQUIRE(r.converged);
    CHECK(r.values[0] == doctest::Approx(2).epsilon(1e-13));
    CHECK(r.values[1] == doctest::Approx(2 * std::stod(big)).epsilon(1e-13));
  }
  // a point that satisfies the large equation only is no root, whatever the others weigh
  const System s = steady_system(
      parse_model("[unknowns]\nx = 2.5\ny = 2.5e20\n[equations]\na = \"x^2 - 4 = 0\"\nb = \"y - 1e20*x = 0\"\n"));
  const SteadyResult r = solve_steady(s);
  REQUIRE(r.converged);
  CHECK(r.values[0] == doctest::Approx(2).epsilon(1e-13));
}

TEST_CASE("a failing steady state says which bound, which function, which equations") {
  const auto message = [](const char* text) { return solve_steady(steady_system(parse_model(text))).message; };
  CHECK(message("[unknowns]\nx = { start = 0.3, lower = 0 }\n[equations]\na = \"x + 1\"\n")
            .find("lower bound of x, 0: the equations lead it to -1") != std::string::npos);
  CHECK(message("[unknowns]\nx = { start = 0.3, upper = 2 }\n[equations]\na = \"x - 5\"\n")
            .find("upper bound of x, 2: the equations lead it to 5") != std::string::npos);
  CHECK(message("[unknowns]\nx = -1\n[equations]\na = \"log(x) - 1\"\n").find("log(x) is") != std::string::npos);
  CHECK(message("[unknowns]\nx = 1\n[equations]\na = \"x^2 + 1\"\n").find("no real solution") != std::string::npos);
  CHECK(message("[unknowns]\nA = 1\nB = 3\n[equations]\none = \"2*A = B\"\ntwo = \"B - 2*A = 0\"\n")
            .find("one, two depend on each other") != std::string::npos);
}

TEST_CASE("systems made by hand: defaults, and errors that name the list") {
  const Symbol x("x"), y("y"), k("k");
  System s;
  s.states = {x, y};
  s.residuals = {x * y - 6, x + y - 5};
  s.start = {1, 4};
  const SteadyResult r = solve_steady(s);
  REQUIRE(r.converged);
  CHECK(r.values[0] * r.values[1] == doctest::Approx(6));
  const auto message = [](System bad, bool steady = true) {
    try {
      if (steady) (void)solve_steady(bad);
      if (!steady) (void)step_in_time(bad, {});
    } catch (const Error& e) {
      return std::string(e.what());
    }
    return std::string("no error");
  };
  System bad = s;
  bad.start = {1};
  CHECK(message(bad) == "the system has 1 start values for 2 states; give one for each, or none");
  bad = s;
  bad.lower = {0, 0, 0};
  CHECK(message(bad).find("3 lower bounds for 2 states") != std::string::npos);
  bad = s;
  bad.residuals[0] += k;
  CHECK(message(bad).find("k, which is neither a state nor a parameter") != std::string::npos);
  bad.parameters = {k};
  CHECK(message(bad).find("0 parameter values for 1 parameters") != std::string::npos);
  CHECK(message(s, false).find("0 right-hand sides for 2 states") != std::string::npos);
  bad = s;
  bad.lower = {2, 0};
  CHECK(message(bad).find("outside its bounds") != std::string::npos);
  System run;
  run.states = {x};
  run.right_sides = {-x};
  run.start = {1};
  CHECK(step_in_time(run, {}).states.back()[0] == doctest::Approx(std::exp(-1.0)).epsilon(1e-6));
}

TEST_CASE("runs in time: bounds, blow-up, interrupts") {
  const System falls =
      time_system(parse_model("[unknowns]\nx = { start = 1, lower = 0 }\n[equations]\na = \"x' = -2\"\n"));
  TimeOptions o;
  o.until = 2;
  TimeResult r = step_in_time(falls, o);
  CHECK(!r.completed);
  REQUIRE(r.crossings.size() == 1);
  CHECK(r.crossings[0].time == doctest::Approx(0.5).epsilon(1e-5));
  CHECK(r.message.find("x crosses its lower bound 0") != std::string::npos);
  o.at_bound = TimeOptions::AtBound::warn;
  r = step_in_time(falls, o);
  CHECK(r.completed);
  CHECK(r.crossings.size() == 1);
  CHECK(r.states.back()[0] == doctest::Approx(-3));
  // a state that rests at its bound does not cross it
  o.at_bound = TimeOptions::AtBound::stop;
  o.until = 60;
  CHECK(step_in_time(
            time_system(parse_model("[unknowns]\nx = { start = 1, lower = 0 }\n[equations]\na = \"x' = -x\"\n")), o)
            .completed);
  o.until = 2;
  r = step_in_time(time_system(parse_model("[unknowns]\nx = 1\n[equations]\na = \"x' = x^2\"\n")), o);
  CHECK(!r.completed);
  CHECK(r.message.find("grows without bound near t = 1 ") != std::string::npos);
  request_interrupt();
  CHECK_THROWS_AS((void)step_in_time(falls, o), Stopped);
  clear_interrupt();
}
