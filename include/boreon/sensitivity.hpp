// SPDX-License-Identifier: MIT
// Sensitivities: derivatives of what a solver finds, by parameters and start values, forward and adjoint, beside
// difference quotients; and what they make of uncertain parameters.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/system.hpp"

namespace boreon BOREON_API {

/// Where outputs are taken.
enum class OutputsAt : std::uint8_t {
  start,         ///< at the start values of the states
  steady_state,  ///< of the residuals, found from the start values
  end_of_run     ///< of the right sides, from the start values
};

struct SensitivityOptions {
  OutputsAt at = OutputsAt::steady_state;
  double from = 0;   ///< of a run
  double until = 1;  ///< of a run
  double relative_tolerance = 1e-10;
  double absolute_tolerance = 0;  ///< 0: by the sizes of the states
  bool forward = true;            ///< without it `forward` of the entries is what the adjoint gives
  bool adjoint = true;
  bool differences = true;
};

/// A difference quotient for one step, and what it loses.
struct DifferenceStep {
  double step = 0;  ///< of the input
  double one_sided = 0;
  double central = 0;
  double single = 0;  ///< central, from outputs and inputs rounded to single precision
};

struct Sensitivity {
  double forward = 0;
  double adjoint = 0;     ///< NaN if not asked for
  double difference = 0;  ///< the central quotient at the step where it changes least; NaN if there is none
  double digits = 0;      ///< to which it agrees with `forward`
  double relative = 0;    ///< percent of the output for a percent of the input; NaN where the output is 0
  std::vector<DifferenceStep> steps;
};

struct SensitivityResult {
  bool found = false;   ///< whether there is a steady state, or the run reached its end
  std::string message;  ///< why not
  std::vector<std::string> outputs;
  std::vector<std::string> inputs;
  std::vector<double> output_values;
  std::vector<double> input_values;
  std::vector<double> states;
  std::vector<std::vector<Sensitivity>> entries;  ///< by output, then input
  long linear_solves = 0;                         ///< steady state
  long right_sides = 0;  ///< of the run, its sensitivities and the backward runs, each system counted once
  Evidence evidence;     ///< forward against adjoint, and against differences

  [[nodiscard]] const Sensitivity& of(std::size_t output, std::size_t input) const { return entries[output][input]; }
};

/// Derivatives of outputs (or states) by parameters and start values, all by name; "n(0)" is the start value of n in a
/// run. Steady states: the implicit function theorem, one linear solve for each input and, adjoint, one for each
/// output. Runs: CVODES with derived right-hand sides. Throws Error(name) for names that are none, Error(usage) for a
/// start value of a steady state, which does not depend on it.
///
///     const SensitivityResult s = sensitivities(steady_system(model), {"n_e"}, {"alpha", "q"});
///     s.of(0, 0).forward;
[[nodiscard]] SensitivityResult sensitivities(const System& system, const std::vector<std::string>& outputs,
                                              const std::vector<std::string>& inputs,
                                              const SensitivityOptions& options = {});

/// Second derivatives of one output of a steady state by parameters.
struct SecondSensitivity {
  bool found = false;
  std::string message;  ///< why not
  std::string output;
  std::vector<std::string> inputs;
  double value = 0;
  std::vector<double> first;                ///< derivative by each input
  std::vector<std::vector<double>> second;  ///< by two inputs
  Evidence evidence;  ///< forward against adjoint and differences, and that the order of derivation does not matter
};
/// Forward over adjoint: the adjoint equations of the output join those of the system, and the gradient that they give is
/// derived once more, so that k inputs cost k + 1 linear solves of twice the size instead of k^2. Throws as
/// sensitivities() does; Error(unsupported) for anything but steady states.
[[nodiscard]] SecondSensitivity second_sensitivities(const System& system, const std::string& output,
                                                     const std::vector<std::string>& inputs,
                                                     const SensitivityOptions& options = {});

/// One standard deviation of each output to first order, and who contributes how much.
struct Propagation {
  std::vector<double> deviations;                  ///< by output
  std::vector<std::vector<double>> contributions;  ///< by output, then input: derivative times deviation
};
/// `deviations` of the inputs of the sensitivities; `correlations` between them, or empty.
[[nodiscard]] Propagation propagate(const SensitivityResult& sensitivities, const std::vector<double>& deviations,
                                    const std::vector<std::vector<double>>& correlations = {});

/// What inputs drawn from normal distributions do to the outputs: whether first order suffices.
struct MonteCarlo {
  std::size_t draws = 0;
  std::size_t failed = 0;  ///< draws without a solution
  std::vector<double> means;
  std::vector<double> deviations;
  /// The deviation's own standard error, relative: what two such numbers may differ by.
  double resolution = 0;
};
/// The same numbers on every run.
[[nodiscard]] MonteCarlo monte_carlo(const System& system, const std::vector<std::string>& outputs,
                                     const std::vector<std::string>& inputs, const std::vector<double>& deviations,
                                     const std::vector<std::vector<double>>& correlations, std::size_t draws,
                                     const SensitivityOptions& options = {});

}  // namespace BOREON_API
