// SPDX-License-Identifier: MIT
// What figures are made of: points of curves, labels. How they look is for eyes (docs/screenshots).
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/figure.hpp"
#include "boreon/functions.hpp"
#include "boreon/ode.hpp"
#include "boreon/plot.hpp"
#include "boreon/transform.hpp"

using namespace boreon;

namespace {

// The largest distance, in dots of a figure of 1200 by 700, between a function and the line through its points.
double beside(const SampledCurve& c, const std::function<double(double)>& f, double low, double high) {
  const double width = c.x.back() - c.x.front();
  double worst = 0;
  for (std::size_t i = 0; i + 1 < c.x.size(); ++i) {
    if (!std::isfinite(c.y[i]) || !std::isfinite(c.y[i + 1])) continue;
    for (const double part : {0.25, 0.5, 0.75}) {
      const double x = c.x[i] + part * (c.x[i + 1] - c.x[i]);
      const double line = c.y[i] + part * (c.y[i + 1] - c.y[i]);
      const double y = f(x);
      if (y < low || y > high || line < low || line > high) continue;
      const double slope = (c.y[i + 1] - c.y[i]) / (high - low) * 700 / ((c.x[i + 1] - c.x[i]) / width * 1200);
      worst = std::max(worst, 700 * std::fabs(y - line) / (high - low) / std::hypot(1, slope));
    }
  }
  return worst;
}

}  // namespace

TEST_CASE("curves are followed to a dot, however fast they turn") {
  struct Row {
    std::function<double(double)> f;
    double from, to;
    std::size_t most;
  };
  const Row rows[] = {{[](double x) { return x; }, -3, 5, 401},
                      {[](double x) { return std::sin(50 * x) * std::exp(-x / 3); }, 0, 10, 9000},
                      {[](double x) { return std::exp(-1e4 * (x - 0.3) * (x - 0.3)); }, 0, 1, 2000},
                      {[](double x) { return std::sqrt(std::fabs(x)); }, -1, 1, 2000},
                      {[](double x) { return std::fabs(x - 0.1234); }, 0, 1, 900},
                      {[](double x) { return 1e30 * std::cos(x); }, 0, 20, 2000}};
  for (const Row& r : rows) {
    const SampledCurve c = sample_curve(r.f, r.from, r.to, false, false);
    CHECK(c.resolved);
    CHECK(c.x.front() == r.from);
    CHECK(c.x.back() == r.to);
    CHECK(std::is_sorted(c.x.begin(), c.x.end()));
    CHECK(c.x.size() <= r.most);
    CHECK(beside(c, r.f, c.low, c.high) < 1.5);
    CHECK(!c.clipped);
  }
  // one that nothing can follow says so
  CHECK(!sample_curve([](double x) { return std::sin(1e7 * x); }, 0, 10, false, false).resolved);
}

TEST_CASE("poles leave the figure and jumps stay narrow") {
  const SampledCurve tangent = sample_curve([](double x) { return std::tan(x); }, -5, 5, false, false);
  CHECK(tangent.clipped);
  CHECK(tangent.high < 100);
  CHECK(tangent.low > -100);
  for (std::size_t i = 0; i + 1 < tangent.x.size(); ++i) {
    // no line crosses the figure at a pole
    const double a = tangent.y[i], b = tangent.y[i + 1];
    if (a > tangent.low && a < tangent.high && b > tangent.low && b < tangent.high)
      CHECK(std::fabs(a - b) < 0.5 * (tangent.high - tangent.low));
  }
  const SampledCurve steps = sample_curve([](double x) { return std::floor(x); }, 0.5, 5.5, false, false);
  CHECK(!steps.clipped);
  for (std::size_t i = 0; i + 1 < steps.x.size(); ++i) {
    if (std::isfinite(steps.y[i]) && std::isfinite(steps.y[i + 1]) && steps.y[i] != steps.y[i + 1])
      CHECK(steps.x[i + 1] - steps.x[i] < 5e-3);
  }
  const SampledCurve half = sample_curve(
      [](double x) { return x < 1 ? std::numeric_limits<double>::quiet_NaN() : std::log(x); }, 0, 4, true, false);
  CHECK(std::any_of(half.y.begin(), half.y.end(), [](double y) { return std::isnan(y); }));
  const SampledCurve decades = sample_curve([](double x) { return std::exp(-x); }, 0, 40, false, true);
  CHECK(decades.low == doctest::Approx(std::exp(-40.0)));
  CHECK(decades.x.size() == 401);  // straight on a logarithmic axis
}

TEST_CASE("labels are typeset") {
  const std::pair<const char*, const char*> rows[] = {{"1/m^3", "1/m³"},
                                                      {"alpha_1*x", "α₁·x"},
                                                      {"kg*m^-2*s^-1", "kg·m⁻²·s⁻¹"},
                                                      {"x2 + n_e", "x₂ + n_e"},
                                                      {"x^(1/2)", "x^(1/2)"},
                                                      {"1.5e-9*exp(-x)", "1.5e-9·exp(-x)"},
                                                      {"x^2.5", "x^2.5"},
                                                      {"atan2(y, x)", "atan2(y, x)"},
                                                      {"Delta", "Δ"},
                                                      {"", ""},
                                                      {"µ^2", "µ²"}};
  for (const auto& [text, label] : rows) CHECK(typeset_label(text) == label);
}

TEST_CASE("solutions and Fourier sums are drawn as they are") {
  const Symbol t("t"), k("k"), c("C1");
  const UnknownFunction y("y");
  const OdeSolutionSet s = solve_ode({derivative(y(t), t) + k * y(t)}, {y(t)});
  REQUIRE(s.constants.size() == 1);
  CHECK_THROWS_WITH_AS((void)plot(graphs_of(s), t, 0, 2), doctest::Contains("has no value"), Error);
  PlotOptions values;
  values.values = {{k, 3}, {s.constants[0], 2}};
  const Plot p = plot(graphs_of(s), t, 0, 2, values);
  REQUIRE(p.figure.curves.size() == 1);
  CHECK(p.figure.title == "y(t)");
  const Curve& one = p.figure.curves[0];
  for (std::size_t i = 0; i < one.x.size(); i += 7)
    CHECK(one.y[i] == doctest::Approx(2 * std::exp(-3 * one.x[i])).epsilon(1e-12));
  values.points = 11;
  CHECK(plot(graphs_of(s), t, 0, 2, values).points == 11);
  // an implicit solution is no function
  const OdeSolutionSet implicit = solve_ode({(pow(y(t), 5) + y(t) + 1) * derivative(y(t), t) - t}, {y(t)});
  REQUIRE(!implicit.solutions.empty());
  CHECK_THROWS_AS((void)graphs_of(implicit), Error);
  CHECK_THROWS_AS((void)plot({}, t, 0, 1), Error);
  CHECK_THROWS_AS((void)plot({{"t", t}}, t, 1, 1), Error);
  PlotOptions logarithmic;
  logarithmic.logarithmic_x = true;
  CHECK_THROWS_AS((void)plot({{"t", t}}, t, 0, 1, logarithmic), Error);

  const FourierCoefficients f = fourier_coefficients(t, t, 1);
  const Plot sums = plot(graphs_of(f, t, {1, 30}), t, 0, 1);
  REQUIRE(sums.figure.curves.size() == 2);
  CHECK(sums.figure.curves[0].label == "1 harmonic");
  for (std::size_t i = 0; i < sums.figure.curves[0].x.size(); i += 9) {
    const double x = sums.figure.curves[0].x[i];
    CHECK(sums.figure.curves[0].y[i] ==
          doctest::Approx(0.5 - std::sin(2 * 3.14159265358979324 * x) / 3.14159265358979324));
  }
}
