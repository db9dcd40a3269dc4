// SPDX-License-Identifier: MIT
// A pulse that bounces between the two ionospheres of a field line: each round trip leaves a part of it, and the
// magnetosphere adds another push. The amplitude after n round trips as a difference equation in closed form, set
// beside its steps; the echoes of one pulse on the Laplace side, as numbers where there is no closed form, and a figure
// of them.
#include <cmath>
#include <cstdio>
#include <string>

#include "boreon/boreon.hpp"

using namespace boreon;

int main(int argc, char** argv) {
  // each round trip leaves r of the pulse; the pushes weaken by q
  const Symbol n("n"), r("r", {Assumption::positive}), q("q", {Assumption::positive}), A("A");
  const UnknownFunction a("a");
  const RecurrenceSolution s = solve_recurrence(a(n + 1) - r * a(n) - pow(q, n), a(n), {.given = {a(Expr(0)) - A}});
  if (s.status != SolveStatus::exact) {
    std::printf("not solved: %s\n", s.reason.c_str());
    return 1;
  }
  std::printf("a(n) = %s\n", to_text(s.value).c_str());
  for (const SolveException& e : s.exceptions) std::printf("where %s: %s\n", to_text(e.when).c_str(), e.what.c_str());

  const Bindings numbers{{r, Number(4, 5)}, {q, Number(1, 2)}, {A, 3}};
  double stepped = 3;
  for (int k = 0; k < 12; ++k) {
    Bindings at = numbers;
    at.set(n, k);
    const double closed = evaluate(s.value, at);
    if (std::abs(closed - stepped) > 1e-12) {
      std::printf("after %d round trips %.15g, stepped %.15g\n", k, closed, stepped);
      return 1;
    }
    stepped = 0.8 * stepped + std::pow(0.5, k);
  }
  std::printf("12 round trips agree with their steps\n");

  // a pulse spreads while it travels: exp(-sqrt(T*p)) on the Laplace side; the echoes are a geometric sum of it
  const Symbol p("p");
  const Expr image = parse("exp(-sqrt(p)/5)/(1 + 4/5*exp(-2*sqrt(p)/5 - 2*p))/(p + 3)");
  Figure f{.title = "Echoes of a pulse that spreads",
           .x_label = "t (bounce periods)",
           .y_label = "amplitude",
           .curves = {{.label = "by contour integrals", .x = {}, .y = {}}}};
  std::vector<double> times;
  for (int k = 1; k <= 240; ++k) times.push_back(k / 30.0);
  const NumericInversion echoes = inverse_laplace_values(image, p, times);
  if (echoes.check.verdict != Verdict::agrees) {
    std::printf("the numbers do not give the image back\n");
    return 1;
  }
  for (const InvertedValue& v : echoes.values) {
    f.curves[0].x.push_back(v.t);
    f.curves[0].y.push_back(v.value);
  }
  std::printf("%zu values of the echoes, transformed forward again: %.0f digits\n", times.size(),
              std::floor(echoes.check.digits));
  const std::string file = argc > 1 ? argv[1] : "bouncing_pulse.png";
  write_figure(f, file);
  std::printf("figure: %s\n", file.c_str());
  return 0;
}
