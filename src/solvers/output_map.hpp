// SPDX-License-Identifier: MIT
// The map from parameters and start values to outputs: at the start, at the steady state, or at the end of a run.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "boreon/sensitivity.hpp"
#include "solvers/newton_search.hpp"
#include "solvers/run_derivatives.hpp"

namespace boreon {

/// Outputs and unknowns by name. Throws Error(name) with a suggestion.
[[nodiscard]] std::vector<Expr> outputs_named(const System& system, const std::vector<std::string>& names);

/// The place of a parameter by its name. Throws Error(name) with a suggestion.
[[nodiscard]] std::size_t parameter_named(const System& system, const std::string& name);

class OutputMap {
 public:
  /// `system` comes from checked() for what is asked. Outputs and inputs are names.
  OutputMap(const System& system, const std::vector<std::string>& outputs, const std::vector<std::string>& inputs,
            const SensitivityOptions& options);

  ~OutputMap();
  OutputMap(const OutputMap&) = delete;
  OutputMap& operator=(const OutputMap&) = delete;

  /// A parameter that is no input has this value from now on.
  void set_parameter(std::size_t index, double value) { system_.parameter_values[index] = value; }
  /// Where the next search for a steady state begins.
  void begin_at(std::vector<double> states) { states_ = std::move(states); }
  /// The outputs for values of the inputs; empty where there is no solution, message() says why.
  [[nodiscard]] std::vector<double> values(const std::vector<double>& inputs);
  /// Their Jacobian by outputs, then inputs, at the values of the last call; by one way or the other.
  [[nodiscard]] std::vector<std::vector<double>> forward();
  [[nodiscard]] std::vector<std::vector<double>> adjoint();

  [[nodiscard]] const std::vector<double>& input_values() const noexcept { return input_values_; }
  [[nodiscard]] const std::vector<double>& states() const noexcept { return states_; }
  [[nodiscard]] const std::string& message() const noexcept { return message_; }
  [[nodiscard]] const std::vector<RunInput>& inputs() const noexcept { return by_; }
  [[nodiscard]] long linear_solves() const noexcept { return linear_solves_; }
  [[nodiscard]] long right_sides() const;

 private:
  struct Linearised;
  /// At the present steady state. Throws Error(domain) where it is singular.
  [[nodiscard]] Linearised& linearised();
  [[nodiscard]] bool find_states();
  [[nodiscard]] bool find_steady_state();
  [[nodiscard]] double time() const { return options_.at == OutputsAt::end_of_run ? options_.until : options_.from; }
  [[nodiscard]] std::vector<double> evaluated(StagedKernel& kernel, std::size_t count);
  void take(const std::vector<double>& inputs);

  System system_;
  SensitivityOptions options_;
  std::vector<Expr> outputs_;
  std::vector<RunInput> by_;
  std::vector<double> input_values_;
  std::vector<InputGroup> groups_;
  SundialsContext context_;
  StagedKernel value_;
  StagedKernel by_states_;  // output by state
  StagedKernel by_inputs_;  // output by input, explicitly
  std::unique_ptr<RunDerivatives> run_;
  std::unique_ptr<Linearised> linearised_;
  std::unique_ptr<NewtonRun> newton_;  // for steady states beside one that is known
  std::vector<double> states_;
  std::string message_;
  long linear_solves_ = 0;
};

/// The quotient that changes least from the step before it and to the next one; NaN if there are not two.
[[nodiscard]] double settled_difference(const std::vector<DifferenceStep>& steps);

}  // namespace boreon
