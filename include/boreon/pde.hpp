// SPDX-License-Identifier: MIT
// Partial differential equations of two variables in closed form: of first order by characteristics, those of heat,
// waves and potentials on a segment by eigenfunctions.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "boreon/equations.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"

namespace boreon BOREON_API {

/// A solution u(x, y).
struct PdeSolution {
  Expr value;                     ///< may hold F, and an infinite sum over n
  std::optional<Expr> arbitrary;  ///< the call F(...) of a function that stays free
  /// Of a sum over eigenfunctions: the general term, with n a positive whole number, and what stands beside the sum.
  std::optional<Expr> term;
  std::optional<Expr> beside;
  Expr index;
  std::int64_t from = 1;  ///< the first n of the sum; terms before it that differ stand in `beside`
  std::vector<Expr> conditions;
  SolveStatus status = SolveStatus::unevaluated;
  std::string reason;
  std::vector<std::string> steps;
  Evidence check;

  /// Of a sum: what stands beside it and the first terms.
  [[nodiscard]] Expr partial_sum(std::int64_t terms) const;
};

struct PdeOptions {
  std::vector<Expr> conditions = {};  ///< relations of the symbols that hold
  /// Values on lines: expressions that are to be zero, in calls such as u(x, 0), u(0, t) and their derivatives.
  std::vector<Expr> given = {};
  std::uint64_t seed = 20260101;
};

/// Solves an equation, an expression that is to be zero, for u(x, y).
///
/// - First order, linear: a*u_x + b*u_y = c*u + d with functions of x and y. What stays constant along the
///   characteristics is found from an ordinary differential equation; a value on a line x = constant or y = constant
///   fixes the free function.
/// - Heat, waves, telegraph lines without damping, potentials: constant coefficients on a segment, with values or
/// slopes
///   given at both ends (numbers; zero but for the heat equation), and what is given at the start. The coefficients of
///   the eigenfunctions are Fourier coefficients, in n, with exceptional n apart.
///
/// Each is put into the equation and into what is given: a free function as two test functions, a sum term by term,
/// its coefficients beside quadrature. Throws Error(usage) for other unknowns.
///
///     const Symbol x("x"), t("t");
///     const UnknownFunction u("u");
///     solve_pde(derivative(u(x, t), t) + 3 * derivative(u(x, t), x), u(x, t)).value;   // F(x - 3*t)
[[nodiscard]] PdeSolution solve_pde(const Expr& equation, const Expr& unknown, const PdeOptions& options = {});

}  // namespace BOREON_API
