// SPDX-License-Identifier: MIT
// A stiff run in time and a figure of it, with the derived Jacobian in the time stepper.
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main(int argc, char** argv) {
  const Model model = load_model(BOREON_MODELS "/arc_switching.toml");
  const System system = time_system(model);
  std::printf("%s\nd(NOp)/dt = %s\n\n", model.title.c_str(), to_text(system.right_sides[2], {200}).c_str());

  TimeOptions options;
  options.until = *model.run.until;
  options.samples = model.run.samples;
  const TimeResult stiff = step_in_time(system, options);
  options.method = SteppingMethod::adams;
  const TimeResult other = step_in_time(system, options);
  if (!stiff.completed || !other.completed) {
    std::printf("%s%s\n", stiff.message.c_str(), other.message.c_str());
    return 1;
  }
  std::printf("BDF:   %6ld steps, electrons at the end %.9g per m^3\n", stiff.steps, stiff.outputs.back()[0]);
  std::printf("Adams: %6ld steps, electrons at the end %.9g per m^3\n", other.steps, other.outputs.back()[0]);

  Figure figure{
      .title = model.title, .x_label = "t (s)", .y_label = "density (1/m^3)", .curves = {}, .logarithmic_y = true};
  for (std::size_t k = 0; k < system.states.size(); ++k) {
    Curve curve{.label = system.state_names[k], .x = stiff.times, .y = {}};
    for (const auto& y : stiff.states) curve.y.push_back(y[k]);
    figure.curves.push_back(curve);
  }
  const std::string file = argc > 1 ? argv[1] : "arc_in_time.png";
  write_figure(figure, file);
  std::printf("figure: %s\n", file.c_str());
  return std::abs(stiff.outputs.back()[0] / other.outputs.back()[0] - 1) < 1e-6 ? 0 : 1;
}
