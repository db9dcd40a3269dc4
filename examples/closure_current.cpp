// SPDX-License-Identifier: MIT
// The closure current of an arc through an inductive ionosphere, on the Laplace side: L*i' + R*i = U, switched on at
// t = T. And the light of a pulsating arc, with sharp onset and exponential decay, as a Fourier series.
#include <algorithm>
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  const Symbol t("t"), s("s");
  const Assumptions positive{Assumption::positive};
  const Symbol L("L", positive), R("R", positive), U("U", positive), T("T", positive);
  const UnknownFunction current("i"), image("I");

  // Transform the equation, solve for the image, go back.
  const Expr circuit = L * derivative(current(t), t) + R * current(t) - U * heaviside(t - T);
  const TransformResult side = laplace_transform(circuit, t, s);
  std::printf("0 = %s\n", to_text(side.value).c_str());
  const SolutionSet solved = solve({substitute(side.value, {{current(Expr(0)), 0}})}, {image(s)});
  const Expr I = *solved.solutions.at(0).values.find(image(s));
  std::printf("I(s) = %s\n", to_text(I).c_str());
  const TransformResult back = inverse_laplace_transform(I, s, t);
  std::printf("i(t) = %s\n  %s\n", to_text(back.value).c_str(), back.check.to_string().c_str());

  // The same without the detour.
  const OdeSolutionSet direct = solve_ode({circuit}, {current(t)}, {.given = {current(Expr(0))}});
  const Expr other = *direct.solutions.at(0).values.find(current(t));
  double worst = 0;
  for (const double at : {5.0, 25.0, 60.0}) {
    const Bindings here{{t, at}, {L, 12}, {R, 0.5}, {U, 40}, {T, 20}};
    worst = std::max(worst, std::abs(evaluate(back.value, here) - evaluate(other, here)));
  }
  std::printf("both ways: largest difference %.1e A\n", worst);

  // The pulsation: onset at the beginning of each period of 8 s, decay with 1.5 s.
  const Expr light = exp(-2 * t / 3);
  const Expr period = 8;
  const FourierCoefficients c = fourier_coefficients(light, t, period);
  std::printf("mean %s\nan = %s\nbn = %s\n  %s\n", to_text(c.mean).c_str(), to_text(c.a).c_str(), to_text(c.b).c_str(),
              c.check.to_string().c_str());
  Figure figure;
  figure.title = "A pulsating arc and the sum of its first harmonics";
  figure.x_label = "t [s]";
  figure.y_label = "light";
  figure.curves = {{"signal", {}, {}}, {"5 harmonics", {}, {}}, {"40 harmonics", {}, {}}};
  const Expr few = c.partial_sum(t, 5), many = c.partial_sum(t, 40);
  double error = 0;
  for (int k = 0; k <= 800; ++k) {
    const double at = 16.0 * k / 800;
    const double inside = std::fmod(at, 8.0);
    const Expr time = Expr(Number::exact(at));
    const double values[] = {std::exp(-2 * inside / 3), evaluate(few, {{t, time}}), evaluate(many, {{t, time}})};
    for (std::size_t i = 0; i < 3; ++i) {
      figure.curves[i].x.push_back(at);
      figure.curves[i].y.push_back(values[i]);
    }
    if (inside > 1 && inside < 7) error = std::max(error, std::abs(values[2] - values[0]));
  }
  std::printf("40 harmonics, more than a second from the onset: largest difference %.1e\n", error);
  write_figure(figure, "pulsating_arc_harmonics.png");
  const bool good = side.status == TransformStatus::exact && back.check.verdict == Verdict::agrees &&
                    c.check.verdict == Verdict::agrees;
  return good && worst < 1e-9 && error < 0.05 ? 0 : 1;
}
