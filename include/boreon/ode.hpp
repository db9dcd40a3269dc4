// SPDX-License-Identifier: MIT
// Ordinary differential equations in closed form, every solution put back into the equations.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/equations.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"

namespace boreon BOREON_API {

/// A solution: functions of the independent variable, or a relation between it and the unknown.
struct OdeSolution {
  Bindings values;               ///< y(t) to an expression; empty if it is implicit
  std::optional<Expr> relation;  ///< an equation in t and y(t) that holds along solutions
  std::vector<Expr> conditions;  ///< of t and of the parameters, under which it is one
  bool singular = false;         ///< not a member of the general family
  /// The slope as parameter of a curve: then `values` hold t and y(t) as functions of it.
  std::optional<Expr> parameter = {};
};

struct OdeSolutionSet {
  std::vector<OdeSolution> solutions;
  std::vector<Expr> constants;   ///< C1, C2, ... that stay free; as many as the order unless conditions fix them
  std::vector<Expr> conditions;  ///< of the parameters, for the answer as a whole
  std::vector<SolveException> exceptions;
  SolveStatus status = SolveStatus::unevaluated;
  std::string reason;
  std::vector<std::string> steps;
  Evidence check;  ///< the solutions put into equations and conditions, in ball arithmetic
};

struct OdeOptions {
  std::vector<Expr> conditions = {};  ///< relations of parameters that hold, beside the assumptions of the symbols
  /// Values and derivatives at places: expressions that are to be zero, in calls such as y(0), y'(0); a place may be
  /// infinity.
  std::vector<Expr> given = {};
  std::size_t points = 4;
  std::uint64_t seed = 20260101;
};

/// Solves equations, each an expression that is to be zero, for unknown functions given as calls such as y(t), all of
/// one symbol.
///
/// - One equation of first order: linear, separable, homogeneous, Bernoulli, Riccati, exact (with integrating factors
/// of
///   one variable), functions of a*t + b*y, Clairaut; an implicit relation where y cannot be written
///   out, a curve with the slope as parameter for y = t*f(y') + g(y').
/// - Linear ones of any order with constant coefficients and any forcing (resonance, steps, impulses), Euler's
/// equation,
///   reduction of order; of second order also Airy's, Bessel's and Legendre's equations and what is brought to them.
/// - y'' = f(y), equations without y or without t; linear systems with constant
///   coefficients, or those times one function of t (Euler's systems), triangular systems.
/// - Where none of that fits, with t and y counted from places at which parts of the equation vanish.
///
/// What does not satisfy the equations is dropped. Throws Error(usage) for unknowns that are no calls of one symbol,
/// Error(domain) where conditions cannot be met, with the one that fails.
///
///     const Symbol t("t"), k("k", {Assumption::positive});
///     const UnknownFunction y("y");
///     solve_ode({derivative(y(t), t) + k*y(t)}, {y(t)}, {.given = {y(Expr(0)) - 1}});   // y(t) = exp(-k*t)
[[nodiscard]] OdeSolutionSet solve_ode(const ExprList& equations, const ExprList& unknowns,
                                       const OdeOptions& options = {});

}  // namespace BOREON_API
