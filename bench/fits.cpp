// SPDX-License-Identifier: MIT
// Fits and sensitivities: the Jacobian of a million rows against a loop by hand, adjoint gradients against the solve.
#include <cmath>

#include "boreon/boreon.hpp"
#include "fit_by_hand.hpp"
#include "pairs.hpp"

using namespace boreon;

namespace {

void fit_jacobian_of_a_million_rows(benchmark::State& state) {
  const std::size_t rows = 1'000'000;
  const Symbol a1("a1"), tau1("tau1"), a2("a2"), tau2("tau2"), c("c"), t("t"), y("y");
  const std::vector<Expr> unknowns{a1, tau1, a2, tau2, c};
  const Expr residual = a1 * exp(-t / tau1) + a2 * exp(-t / tau2) + c - y;
  const Kernel kernel =
      compile({OutputGroup("r", std::vector<Expr>{residual}), OutputGroup("J", gradient(residual, unknowns))},
              {{"x", unknowns}, {"c", {t, y}}}, NativeOptions{.expected_calls = 1e6});
  const double x[] = {50, 0.7, 20, 3.5, 3};
  std::vector<double> columns(2 * rows);
  for (std::size_t i = 0; i < rows; ++i) {
    columns[i] = 10 * static_cast<double>(i) / static_cast<double>(rows);
    columns[rows + i] = std::cos(static_cast<double>(i));
  }
  std::vector<double> r(rows), j(5 * rows), r2(rows), j2(5 * rows);
  const auto n = static_cast<std::ptrdiff_t>(rows);
  const PointsIn in[] = {{x, 1, 0}, {columns.data(), n, 1}};
  const PointsOut out[] = {{r.data(), 1, 1}, {j.data(), 1, 5}};
  const auto ours = [&] { kernel.many(rows, in, out); };
  const auto by_hand = [&] {
    bench::two_lifetimes(rows, x, columns.data(), columns.data() + rows, r2.data(), j2.data());
  };
  ours();
  by_hand();
  bench::require_equal(r, r2, "r");
  bench::require_equal(j, j2, "J");
  bench::compare(state, ours, by_hand, static_cast<double>(rows));
}

// A chain of 200 states with 5 parameters each.
System chain() {
  System s;
  s.time = Symbol("t");
  const std::size_t n = 200;
  std::vector<Expr> x;
  for (std::size_t i = 0; i < n; ++i) x.emplace_back(Symbol("x" + std::to_string(i)));
  for (std::size_t i = 0; i < n; ++i) {
    std::vector<Expr> p;
    for (std::size_t k = 0; k < 5; ++k) {
      p.emplace_back(Symbol("p" + std::to_string(5 * i + k)));
      s.parameters.push_back(p.back());
      s.parameter_names.push_back("p" + std::to_string(5 * i + k));
      s.parameter_values.push_back(k == 2 ? 3.0 : 0.5 + 0.01 * static_cast<double>((7 * i + k) % 13));
    }
    s.right_sides.push_back(p[0] * x[(i + n - 1) % n] + p[1] - p[2] * x[i] - p[3] * pow(x[i], 3) +
                            p[4] * x[(i + 1) % n]);
  }
  s.states = x;
  s.start.assign(n, 0.3);
  s.residuals = s.right_sides;
  s.output_names = {"g"};
  Expr g = 0;
  for (std::size_t i = 0; i < n; i += 7) g = g + x[i] * x[i];
  s.outputs = {g};
  return s;
}

SensitivityOptions adjoint_only(OutputsAt at) {
  SensitivityOptions o;
  o.at = at;
  o.until = 5;
  o.relative_tolerance = 1e-8;
  o.forward = false;
  o.differences = false;
  return o;
}

void adjoint_of_1000_parameters_steady(benchmark::State& state) {
  const System s = chain();
  bench::compare(
      state,
      [&] {
        benchmark::DoNotOptimize(sensitivities(s, {"g"}, s.parameter_names, adjoint_only(OutputsAt::steady_state)));
      },
      [&] { benchmark::DoNotOptimize(solve_steady(s)); });
}

void adjoint_of_1000_parameters_run(benchmark::State& state) {
  const System s = chain();
  TimeOptions run;
  run.until = 5;
  run.samples = 2;
  run.relative_tolerance = 1e-8;
  bench::compare(
      state,
      [&] {
        benchmark::DoNotOptimize(sensitivities(s, {"g"}, s.parameter_names, adjoint_only(OutputsAt::end_of_run)));
      },
      [&] { benchmark::DoNotOptimize(step_in_time(s, run)); });
}

// Ten systems of sensitivities beside the run: the ratio to eleven runs.
void forward_of_10_parameters(benchmark::State& state) {
  const System s = chain();
  const std::vector<std::string> by(s.parameter_names.begin(), s.parameter_names.begin() + 10);
  SensitivityOptions o = adjoint_only(OutputsAt::end_of_run);
  o.forward = true;
  o.adjoint = false;
  TimeOptions run;
  run.until = 5;
  run.samples = 2;
  run.relative_tolerance = 1e-8;
  bench::compare(
      state, [&] { benchmark::DoNotOptimize(sensitivities(s, {"g"}, by, o)); },
      [&] {
        for (int k = 0; k < 11; ++k) benchmark::DoNotOptimize(step_in_time(s, run));
      });
}

}  // namespace

BENCHMARK(fit_jacobian_of_a_million_rows)->UseManualTime()->Iterations(9)->Unit(benchmark::kMillisecond);
BENCHMARK(adjoint_of_1000_parameters_steady)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);
BENCHMARK(adjoint_of_1000_parameters_run)->UseManualTime()->Iterations(5)->Unit(benchmark::kMillisecond);
BENCHMARK(forward_of_10_parameters)->UseManualTime()->Iterations(3)->Unit(benchmark::kMillisecond);
