// SPDX-License-Identifier: MIT
// Values of the states without a rate that fulfil their equations where a run begins.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "solvers/newton_run.hpp"

namespace boreon {

class ConsistentStart {
 public:
  /// `system` comes from checked() and is differential-algebraic.
  explicit ConsistentStart(const System& system);
  ConsistentStart(const ConsistentStart&) = delete;
  ConsistentStart& operator=(const ConsistentStart&) = delete;

  /// Puts values into the algebraic places of y, searched from those that stand there; the others stay. Why there are
  /// none, or an empty text.
  [[nodiscard]] std::string find(const std::vector<double>& parameters, double t, double* y);
  /// Whether the equations determine their states at y: index 1.
  [[nodiscard]] bool determined(const double* y);

 private:
  void take(const double* y);

  System algebra_;  // the algebraic equations; all other states and the time are parameters
  std::vector<std::size_t> places_;
  std::vector<std::size_t> given_;
  std::size_t own_parameters_;
  std::unique_ptr<NewtonRun> newton_;
};

}  // namespace boreon
