// SPDX-License-Identifier: MIT
// System: equations in plain symbols with start values, bounds and parameters, the common input of the solvers.
#pragma once

#include <algorithm>
#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

/// Equations for states, ready for solvers. Made from a model by steady_system() or time_system(), or by hand; for
/// second order in time the rates are states as well.
struct System {
  std::vector<std::string> state_names;  ///< "s", "s'"
  std::vector<Expr> states;              ///< symbols
  std::vector<double> start;
  std::vector<double> lower;
  std::vector<double> upper;
  std::vector<Expr> parameters;  ///< symbols
  std::vector<std::string> parameter_names;
  std::vector<double> parameter_values;
  Expr time;  ///< symbol
  std::vector<std::string> equation_names;
  std::vector<Expr> residuals;    ///< steady state: 0 = residual(states, parameters)
  std::vector<Expr> right_sides;  ///< in time: d(state)/dt; empty if there is no time
  /// In time: 1 for a state without a rate, whose right side is an equation, 0 = right_sides[i]. Empty: there are none.
  std::vector<char> algebraic = {};
  /// In time: so many of the states, the last ones, are integrals over time that equations or outputs contain.
  std::size_t integrals = 0;
  std::vector<std::string> output_names;
  std::vector<Expr> outputs;  ///< in states, parameters and time

  /// States that are no integrals.
  [[nodiscard]] std::size_t own_states() const noexcept { return states.size() - integrals; }
  [[nodiscard]] bool differential_algebraic() const {
    return std::find(algebraic.begin(), algebraic.end(), char{1}) != algebraic.end();
  }
};

/// The same without its integrals over time, which have no steady state: outputs that contain one are undefined. Throws
/// Error(unsupported) where a rate depends on one.
[[nodiscard]] System without_integrals(System system);

}  // namespace BOREON_API
