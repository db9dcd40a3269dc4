// SPDX-License-Identifier: MIT
// Diffusion along a field line by eigenfunctions: plasma that an arc has left near the middle of a flux tube spreads
// and is lost at both ends. The series in closed form beside the same equation cell by cell in time, and a figure of
// both.
#include <algorithm>
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main(int argc, char** argv) {
  // n(z, t), z in Mm along a tube of 4 Mm, t in minutes
  const Symbol z("z"), t("t"), L("L", {Assumption::positive}), D("D", {Assumption::positive});
  const UnknownFunction n("n");
  PdeOptions given;
  given.given = {n(Expr(0), t), n(L, t), n(z, Expr(0)) - 40 * power(z / L, 2) * power(1 - z / L, 3)};
  const PdeSolution s = solve_pde(derivative(n(z, t), t) - D * derivative(n(z, t), z, 2), n(z, t), given);
  if (s.status != SolveStatus::exact) {
    std::printf("not solved: %s\n", s.reason.c_str());
    return 1;
  }
  std::printf("n(z, t) = %s\n", to_text(s.value, {400, {}}).c_str());

  const Bindings numbers{{L, 4}, {D, Number(3, 10)}};
  const Expr sum = substitute(s.partial_sum(80), numbers, Unused::allowed);
  const Kernel series = compile({OutputGroup("n", {sum})}, {{"at", {z, t}}});

  // the same on 200 cells, by the time stepper
  constexpr int cells = 200;
  const double width = 4.0 / cells;
  System system;
  system.time = t;
  for (int i = 0; i < cells; ++i) {
    const std::string name = "n" + std::to_string(i);
    const double place = (i + 0.5) / cells;
    system.state_names.push_back(name);
    system.states.push_back(Symbol(name));
    system.start.push_back(40 * place * place * std::pow(1 - place, 3));
    system.lower.push_back(-HUGE_VAL);
    system.upper.push_back(HUGE_VAL);
  }
  for (std::size_t i = 0; i < cells; ++i) {
    // outside the tube there is nothing: a cell beyond the end mirrors the last one with the other sign
    const Expr below = i == 0 ? -system.states[0] : system.states[i - 1];
    const Expr above = i + 1 == cells ? -system.states[i] : system.states[i + 1];
    system.right_sides.push_back(0.3 * (below - 2 * system.states[i] + above) / (width * width));
  }
  TimeOptions options;
  options.until = 6;
  options.samples = 4;
  const TimeResult run = step_in_time(system, options);
  if (!run.completed) {
    std::printf("%s\n", run.message.c_str());
    return 1;
  }

  Figure figure{.title = "Plasma along a field line: series and cells",
                .x_label = "z (Mm)",
                .y_label = "density (1e11/m^3)",
                .curves = {}};
  Curve stepped{.label = "cells in time", .x = {}, .y = {}, .points = true};
  double worst = 0;
  for (std::size_t k = 0; k < run.times.size(); ++k) {
    Curve exact{.label = "series, t = " + std::to_string(static_cast<int>(run.times[k])) + " min", .x = {}, .y = {}};
    for (std::size_t i = 0; i < cells; ++i) {
      const double place = (static_cast<double>(i) + 0.5) * width;
      const double value = series.evaluate({{place, run.times[k]}})[0][0];
      exact.x.push_back(place);
      exact.y.push_back(value);
      worst = std::max(worst, std::abs(value - run.states[k][i]));
      if (i % 10 != 5) continue;
      stepped.x.push_back(place);
      stepped.y.push_back(run.states[k][i]);
    }
    figure.curves.push_back(exact);
  }
  figure.curves.push_back(stepped);
  std::printf("80 terms beside %d cells: largest difference %.1e of 1.4\n", cells, worst);
  const std::string file = argc > 1 ? argv[1] : "field_line_modes.png";
  write_figure(figure, file);
  std::printf("figure: %s\n", file.c_str());
  return worst < 1e-3 ? 0 : 1;
}
