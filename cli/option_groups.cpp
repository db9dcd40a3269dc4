// SPDX-License-Identifier: MIT
#include "option_groups.hpp"

namespace boreon::cli {

void SolverChoice::declare_solver(Declaration& d) {
  d.add("--tolerance", tolerance, "relative tolerance").within(1e-15, 0.5);
  d.add("--linear-solver", linear_solver, "automatic, dense or sparse (KLU)").one_of({"automatic", "dense", "sparse"});
}

LinearSolver SolverChoice::chosen_solver() const {
  if (linear_solver.get() == "dense") return LinearSolver::dense;
  if (linear_solver.get() == "sparse") return LinearSolver::sparse;
  return LinearSolver::automatic;
}

void FigureOptions::declare_axes(Declaration& d, const char* x, const char* y) {
  d.add("--log-x", log_x, x);
  d.add("--log-y", log_y, y);
}

void RangeOptions::declare_range(Declaration& d, const char* range) {
  d.add("--over", over, range).formulas();
  d.add("--against", against, "a table .csv whose columns are drawn as points over its first one").files();
}

void MonteCarloOption::declare_draws(Declaration& d) {
  d.add("--monte-carlo", monte_carlo, "draws of the uncertain parameters, beside first order").within(2, 100000000);
}

void LoopOptions::declare_loops(Declaration& d) {
  d.add("--loops", loops, "keep arrays as loops over indices: for grids too large to write out");
  d.add("--threads", threads, "with --loops: threads that share the places").within(1, 256);
  d.add("--save", save, "with --loops: fields at the end, T=end.npy or all of one shape in end.vti");
}

}  // namespace boreon::cli
