// SPDX-License-Identifier: MIT
#include <boreon/model.hpp>
#include <boreon/solvers.hpp>

int main() {
  const auto model = boreon::parse_model("[unknowns]\nx = 1\n[equations]\ne = \"x^2 = 2\"\n");
  return boreon::solve_steady(boreon::steady_system(model)).converged ? 0 : 1;
}
