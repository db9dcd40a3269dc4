// SPDX-License-Identifier: MIT
// The conductivity tensor of the E layer, turned into the frame of an inclined magnetic field, and the heat that an
// electric field leaves there: whole arrays, elements written out on demand, a gradient with an open index.
#include <cmath>
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  const Array S("S", {3, 3});  // conductivity in the frame of the field: Pedersen, Hall, along
  const Array R("R", {3, 3});  // the turn by the dip of the field
  const Array E("E", {3});
  const Array G = R * S * transpose(R);
  const Array J = G * E;
  const Expr heat = dot(E, J);
  std::printf("J[i] = %s\n", to_text(J(Symbol("i", {Assumption::integer}))).c_str());

  // By the field, one formula for all three components.
  const Expr slope = derivative(heat, parse("E[j]"));
  const Evidence check = cross_check_derivative(heat, {parse("E[j]")}, slope);
  std::printf("d(heat)/dE[j]: %s\n", check.to_string().c_str());

  // Numbers: the dip of 77 degrees, and what a radar might have seen.
  const double dip = 77 * 3.14159265358979 / 180;
  const double s[3][3] = {{8e-4, -1.3e-3, 0}, {1.3e-3, 8e-4, 0}, {0, 0, 40}};
  const double r[3][3] = {{std::cos(dip), 0, std::sin(dip)}, {0, 1, 0}, {-std::sin(dip), 0, std::cos(dip)}};
  const double e[3] = {0.02, 0.01, 1e-6};
  Bindings b;
  for (int i = 0; i < 3; ++i) {
    b.set(to_string(ElementName{"E", {i}}), e[i]);
    for (int j = 0; j < 3; ++j) {
      b.set(to_string(ElementName{"S", {i, j}}), s[i][j]);
      b.set(to_string(ElementName{"R", {i, j}}), r[i][j]);
    }
  }
  const double value = evaluate(written_out(heat), b);
  double by_hand = 0;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j)
      for (int k = 0; k < 3; ++k)
        for (int l = 0; l < 3; ++l) by_hand += e[i] * r[i][k] * s[k][l] * r[j][l] * e[j];
  std::printf("heat = %.6g W/m^3, by loops %.6g\n", value, by_hand);
  const bool good = check.verdict == Verdict::agrees && std::abs(value - by_hand) < 1e-12 * std::abs(by_hand);
  std::printf("%s\n", good ? "agrees" : "DISAGREES");
  return good ? 0 : 1;
}
