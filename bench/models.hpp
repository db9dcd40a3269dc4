// SPDX-License-Identifier: MIT
// Five models twice: as expressions, and written by hand in C++ as a careful programmer would.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "boreon/program.hpp"

namespace bench {

/// Outputs "f" (residuals or rates) and "j" (the nonzeros of the Jacobian by rows) in the states "y" and parameters
/// "p".
struct Model {
  std::string name;
  std::vector<boreon::OutputGroup> outputs;
  std::vector<boreon::InputGroup> inputs;
  std::vector<double> y;
  std::vector<double> p;
  void (*by_hand)(const double* y, const double* p, double* f, double* j) = nullptr;
  std::size_t operations_by_hand = 0;  ///< counted by running it with numbers that count: + - * / and calls
};

/// x0, x1, ...
[[nodiscard]] std::vector<boreon::Expr> symbols(const std::string& name, std::size_t n);

[[nodiscard]] Model chemistry();
[[nodiscard]] Model three_bodies();
[[nodiscard]] Model triple_pendulum();
[[nodiscard]] Model ionisation();
[[nodiscard]] Model grid(int n);

[[nodiscard]] inline std::vector<Model> small_models() {
  return {chemistry(), three_bodies(), triple_pendulum(), ionisation()};
}

// Reactions of the chemistry: a + b -> c + d with rate A T^beta exp(-E/T).
constexpr int species = 20;
constexpr int reactions = 40;
struct Reaction {
  int a, b, c, d;
  double factor, beta, energy, heat;
};
[[nodiscard]] const std::array<Reaction, reactions>& reaction_list();
}  // namespace bench
