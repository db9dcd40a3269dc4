// SPDX-License-Identifier: MIT
// A model file from C++: load, derive, solve for the steady state, follow it as the ionisation grows.
#include <cstdio>

#include "boreon/boreon.hpp"

using namespace boreon;

int main() {
  Model model = load_model(BOREON_MODELS "/ion_chemistry.toml");
  std::printf("%s\n", model.title.c_str());
  const System system = steady_system(model);

  // Residual and Jacobian in one function: what they share is computed once.
  const SparseMatrix jacobian = sparse_jacobian(system.residuals, system.states);
  const Kernel apart_f =
      compile({OutputGroup("f", system.residuals)}, {{"y", system.states}, {"p", system.parameters}});
  const Kernel apart_j = compile({OutputGroup("jacobian", jacobian)}, {{"y", system.states}, {"p", system.parameters}});
  const Kernel both = compile({OutputGroup("f", system.residuals), OutputGroup("jacobian", jacobian)},
                              {{"y", system.states}, {"p", system.parameters}});
  std::printf("operations: residual %zu, Jacobian %zu, both together %zu\n", apart_f.program().operation_count(),
              apart_j.program().operation_count(), both.program().operation_count());

  const Evidence evidence =
      cross_check(system.residuals, system.states, jacobian, check_options(model, system), system.equation_names);
  std::printf("check: %s\n\n", evidence.to_string().c_str());

  // The electron density follows the square root of the ionisation when recombination rules.
  std::printf("ionisation of N2    electrons    per square root\n");
  bool good = evidence.verdict == Verdict::agrees;
  for (double q = 1e7; q < 2e10; q *= 10) {
    model.set_parameter("q_N2", Number::shortest_decimal(q));
    model.set_parameter("q_O2", Number::shortest_decimal(0.3 * q));
    const SteadyResult result = solve_steady(steady_system(model));
    if (!result.converged) {
      std::printf("%s\n", result.message.c_str());
      good = false;
      continue;
    }
    std::printf("  %14.1e  %11.4e  %17.1f\n", q, result.outputs[0], result.outputs[0] / std::sqrt(1.3 * q));
  }
  return good ? 0 : 1;
}
