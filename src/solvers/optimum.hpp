// SPDX-License-Identifier: MIT
// A place that may be an optimum: what holds there, the conditions of Karush, Kuhn and Tucker as equations, their root,
// and the curvature in the directions that are left.
#pragma once

#include <vector>

#include "boreon/solvers.hpp"
#include "solvers/interior_point.hpp"
#include "solvers/smooth_problem.hpp"

namespace boreon {

struct Optimum {
  std::vector<double> x;
  double objective = 0;  ///< of SmoothProblem::objective(), to be least
  std::vector<double> constraints;
  std::vector<int> active;          ///< of constraints: -1 lower limit, 1 upper limit or equation, 0 none
  std::vector<int> at_bounds;       ///< of unknowns
  std::vector<char> implied;        ///< constraints that hold because others do: without a multiplier of their own
  std::vector<char> shared;         ///< of which others do so follow: only together do their multipliers mean something
  std::vector<double> multipliers;  ///< of constraints; 0 where none holds
  std::vector<double> slopes;       ///< of the Lagrangian by the unknowns: those of unknowns at bounds, 0 for others
  System conditions;                ///< for unknowns and multipliers, started at their root
  bool settled = false;             ///< all multipliers have their sign, and all constraints hold
  bool regular = false;             ///< the conditions have this root alone, nearby
  double correction = 0;            ///< of an unknown by one more Newton step, relative, the largest
  std::string least_sure;           ///< that unknown
  double imbalance = 0;  ///< of the slopes, and of what is said to hold, relative to their terms, the largest
};

/// From the end of a search: limits are released or taken until all multipliers have their sign and all constraints
/// hold, then everything is solved for to rounding.
[[nodiscard]] Optimum optimum_near(const SmoothProblem& problem, const InteriorPoint& end,
                                   const SmoothProblem::Sizes& sizes);

struct Curvature {
  bool known = false;
  std::size_t free_directions = 0;
  double least = 0;               ///< relative to the largest of the Hessian
  std::vector<double> direction;  ///< of it, in the units of the unknowns
  std::vector<double> step;       ///< Newton's, from here to where the slopes vanish: small, or there is no optimum here
};
/// Of the Lagrangian in the directions that keep what holds. By eigenvalues, for at most 400 unknowns.
[[nodiscard]] Curvature curvature_at(const SmoothProblem& problem, const Optimum& at,
                                     const SmoothProblem::Sizes& sizes);

/// The nearest point, in units of sizes, that keeps all constraints; empty if Newton's method finds none.
[[nodiscard]] std::vector<double> made_feasible(const SmoothProblem& problem, std::vector<double> x,
                                                const SmoothProblem::Sizes& sizes);

/// What feasible points say: those around the optimum, and those anywhere within the bounds.
struct Surroundings {
  std::size_t points = 0;      ///< feasible ones around it
  bool better_around = false;  ///< one of them is better by more than rounding and the slack of constraints explain
  std::size_t far_points = 0;
  std::vector<double> better_far;  ///< the best of the far ones, if it is better
  std::vector<double> better;      ///< the best of those around, if it is better
};
/// `allowance` is how much better a point may be: at a flat optimum the place is known to few digits only.
[[nodiscard]] Surroundings look_around(const SmoothProblem& problem, const Optimum& at,
                                       const SmoothProblem::Sizes& sizes, double allowance);

}  // namespace boreon
