// SPDX-License-Identifier: MIT
// Options that several commands share; the request of a command derives from those it has.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/solvers.hpp"
#include "declaration.hpp"

namespace boreon::cli {

struct SolverChoice {
  Option<double> tolerance{0};
  Option<std::string> linear_solver{"automatic"};

  void declare_solver(Declaration& d);
  [[nodiscard]] LinearSolver chosen_solver() const;
};

struct FigureOptions {
  Option<std::string> plot;
  Option<std::vector<std::string>> show;
  Option<bool> log_x{false};
  Option<bool> log_y{false};

  void declare_axes(Declaration& d, const char* x, const char* y = "logarithmic value axis");
};

/// Curves over a range of their variable.
struct RangeOptions {
  Option<std::string> over;
  Option<std::string> against;

  void declare_range(Declaration& d, const char* range = "range of the figure: \"t from 0 to 10\"");
};

/// Models whose arrays stay loops over indices.
struct LoopOptions {
  Option<bool> loops{false};
  Option<std::size_t> threads{1};
  Option<std::vector<std::string>> save;

  void declare_loops(Declaration& d);
};

struct MonteCarloOption {
  Option<std::size_t> monte_carlo{0};

  void declare_draws(Declaration& d);
};

}  // namespace boreon::cli
