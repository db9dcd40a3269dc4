// SPDX-License-Identifier: MIT
#include <boreon/calculus.hpp>
#include <boreon/text.hpp>
#include <iostream>

int main() {
  const boreon::Symbol x("x");
  std::cout << boreon::derivative(boreon::parse("x^3"), x) << "\n";
  return boreon::to_text(boreon::derivative(boreon::parse("x^3"), x)) == "3*x^2" ? 0 : 1;
}
