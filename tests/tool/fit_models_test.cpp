// SPDX-License-Identifier: MIT
// Fits: what residuals say of a model, slopes that are wrong, steady states row by row.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "tool/fit_cases.hpp"

using namespace boreon;
using namespace fit_cases;

TEST_CASE("what residuals say of a model: R^2, runs of one sign, laws that are not normal") {
  std::mt19937_64 random(15);
  const std::vector<double> x = places(60, 0, 6);
  const auto says = [](const FitResult& r, const char* part) {
    return std::any_of(r.warnings.begin(), r.warnings.end(),
                       [&](const std::string& w) { return w.find(part) != std::string::npos; });
  };
  int false_alarms = 0;
  for (int k = 0; k < 60; ++k) {  // errors as they should be
    std::vector<double> y;
    for (const double v : x) y.push_back(1 + 2 * v + 0.3 * normal(random));
    FitProblem p = table({"a", "b"}, {1, 1}, "a + b*x", x, y);
    const FitResult r = fit(p);
    REQUIRE(r.converged);
    if (says(r, "runs of one sign") || says(r, "not normal")) ++false_alarms;
    // of a line R^2 is the square of the correlation
    double sx = 0, sy = 0, sxx = 0, syy = 0, sxy = 0;
    const auto n = static_cast<double>(x.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
      sx += x[i];
      sy += y[i];
      sxx += x[i] * x[i];
      syy += y[i] * y[i];
      sxy += x[i] * y[i];
    }
    const double correlation = (sxy - sx * sy / n) / std::sqrt((sxx - sx * sx / n) * (syy - sy * sy / n));
    CHECK(r.determination[0] == doctest::Approx(correlation * correlation).epsilon(1e-9));
  }
  CHECK(false_alarms <= 1);
  std::vector<double> bent;
  for (const double v : x) bent.push_back(1 + 2 * v + 0.2 * v * v + 0.1 * normal(random));
  CHECK(
      says(fit(table({"a", "b"}, {1, 1}, "a + b*x", x, bent)), "the residuals of y come in runs of one sign along x"));
  std::vector<double> rough;
  for (const double v : x) rough.push_back(1 + 2 * v + 0.1 * normal(random) + (uniform(random, 0, 1) < 0.06 ? 3 : 0));
  CHECK(says(fit(table({"a", "b"}, {1, 1}, "a + b*x", x, rough)), "not normal"));
  CHECK_FALSE(says(fit(table({"a", "b"}, {1, 1}, "a + b*x", x, rough)), "runs of one sign"));
}

TEST_CASE("a minimum of slopes that are wrong is refuted by the places beside it") {
  // a numeric function whose derivative is wrong by a part: the slopes vanish beside the minimum
  const NumericFunction wrong(
      "bend", {[](double v) { return std::exp(-v); }, [](double v) { return -std::exp(-v) * (v < 1 ? 1.0 : 0.4); }});
  const Symbol a("a"), b("b"), x("x"), y("y");
  FitProblem p;
  p.names = {"a", "b"};
  p.unknowns = {a, b};
  p.start = {2, 1};
  p.data.names = {"x", "y"};
  p.data.symbols = {x, y};
  std::vector<double> at = places(40, 0, 4);
  std::vector<double> measured;
  std::mt19937_64 random(3);
  for (const double v : at) measured.push_back(3 * std::exp(-0.8 * v) + 0.02 * normal(random));
  p.data.columns = {at, measured};
  p.targets = {{"y", y, a * wrong(b * x)}};
  const FitResult r = fit(p);
  CHECK_FALSE(r.converged);
  CHECK(r.evidence.verdict == Verdict::disagrees);
}

TEST_CASE("steady states are fitted row by row: against the same fit with the state written out") {
  // q = a*n^2 + b*n has one positive root; columns may stand in equations, in models and in sigmas
  std::mt19937_64 random(8);
  std::string q;
  std::string light;
  std::string w;
  for (int i = 0; i < 14; ++i) {
    const double rate = std::pow(10.0, uniform(random, -1, 3));
    const double n = (-0.3 + std::sqrt(0.09 + 4 * 0.02 * rate)) / (2 * 0.02);
    const double weight = uniform(random, 1, 2);
    const auto add = [&](std::string& list, double v) {
      char number[40];
      std::snprintf(number, sizeof number, "%s%.17g", list.empty() ? "" : ", ", v);
      list += number;
    };
    add(q, rate);
    add(w, weight);
    add(light, weight * n * n * (1 + 0.02 * normal(random)));
  }
  const std::string data = "[data]\ncolumns = { q = [" + q + "], w = [" + w + "], light = [" + light + "] }\n";
  const std::string head = "[parameters]\na = { value = 0.1, fit = true, lower = 0 }\nb = { value = 1, fit = true }\n";
  const FitProblem steady = fit_problem(parse_model(
      head +
      "[unknowns]\nn = { start = 3, lower = 0 }\n[equations]\nbalance = \"q = a*n^2 + b*n\"\n[outputs]\nl = "
      "\"n^2\"\n" +
      data + "[fit]\nlight = { model = \"w*l\", sigma = \"0.02*light\" }\n"));
  REQUIRE(steady.steady);
  const FitResult r = fit(steady);
  REQUIRE_MESSAGE(r.converged, r.message);
  const FitResult plain = fit(fit_problem(parse_model(
      "[unknowns]\na = { start = 0.1, lower = 0 }\nb = 1\n[definitions]\nn = \"(sqrt(b^2 + 4*a*q) - b)/(2*a)\"\n" +
      data + "[fit]\nlight = { model = \"w*n^2\", sigma = \"0.02*light\" }\n")));
  REQUIRE(plain.converged);
  for (std::size_t i = 0; i < 2; ++i) {
    CHECK(r.values[i] == doctest::Approx(plain.values[i]).epsilon(1e-9));
    CHECK(r.standard_errors[i] == doctest::Approx(plain.standard_errors[i]).epsilon(1e-6));
  }
  CHECK(r.chi_square == doctest::Approx(plain.chi_square).epsilon(1e-10));
  // a state of two branches stays on the one of its start, also where a trial step leaves it
  const std::string two =
      "[parameters]\nc = { value = 2, fit = true }\n[unknowns]\nx = { start = START }\n[equations]\n"
      "e = \"x^2 = c*u + 1\"\n[data]\ncolumns = { u = [0.5, 1, 2, 4, 8], y = [YS] }\n[fit]\ny = "
      "{ model = \"x\" }\n";
  for (const double side : {1.0, -1.0}) {
    std::string ys;
    for (const double u : {0.5, 1.0, 2.0, 4.0, 8.0}) {
      char number[40];
      std::snprintf(number, sizeof number, "%s%.17g", ys.empty() ? "" : ", ", side * std::sqrt(0.7 * u + 1));
      ys += number;
    }
    std::string text = two;
    text.replace(text.find("START"), 5, side > 0 ? "1" : "-1");
    text.replace(text.find("YS"), 2, ys);
    const FitResult branch = fit(fit_problem(parse_model(text)));
    REQUIRE_MESSAGE(branch.converged, branch.message);
    CHECK(branch.values[0] == doctest::Approx(0.7).epsilon(1e-8));
  }
  // a row without a steady state is named
  try {
    (void)fit(
        fit_problem(parse_model("[parameters]\nc = { value = 1, fit = true }\n[unknowns]\nx = 1\n[equations]\ne = "
                                "\"x^2 = c*u\"\n[data]\ncolumns = { u = [1, 4, -1], y = [1, 2, 3] }\n[fit]\ny = "
                                "{ model = \"x\" }\n")));
    FAIL("no error");
  } catch (const Error& e) {
    CHECK_MESSAGE(e.message().find("no steady state that was found in row 3") != std::string::npos, e.message());
  }
  // what is not found by a row is not found by others, and what stands in a column has no single value
  const Model m = parse_model(head + "[unknowns]\nn = 3\n[equations]\nbalance = \"q = a*n^2 + b*n\"\n" + data +
                              "[fit]\nlight = { model = \"w*n^2\" }\n");
  CHECK_THROWS_AS((void)steady_system(m), Error);
  const System s = system_of(m);  // with the column as a parameter, so that derivatives are checked
  CHECK(cross_check(s.residuals, s.states, sparse_jacobian(s.residuals, s.states), check_options(m, s)).verdict ==
        Verdict::agrees);
}
