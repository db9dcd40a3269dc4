// SPDX-License-Identifier: MIT
// Solutions of differential equations put back into them.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "boreon/expr.hpp"
#include "odes/jet.hpp"

namespace boreon::odes {

/// What was found at random values of the variable, the constants and the parameters.
struct Verified {
  bool holds = false;
  std::size_t points = 0;
  double digits = 0;
  std::vector<Expr> conditions;  ///< under which it holds, beyond those given: t > 0, C1 - t > 0
};

/// Functions of t in all equations, in ball arithmetic; on half of the line, or where an amount has one sign, if they
/// are no solution everywhere.
[[nodiscard]] Verified verified(const Jet& jet, std::span<const Expr> functions, std::span<const Expr> conditions,
                                std::size_t points, std::uint64_t seed);

/// A relation R(t, y) = 0 with a constant C: its derivative along y' of the one equation of first order, with C from
/// the relation.
[[nodiscard]] Verified verified_relation(const Jet& jet, const Expr& relation, const std::optional<Expr>& constant,
                                         std::span<const Expr> conditions, std::size_t points, std::uint64_t seed);

/// How many of the constants are independent: the rank, at random values, of the derivatives by them of the unknowns
/// and their derivatives below the highest.
[[nodiscard]] std::size_t independent_constants(const Jet& jet, std::span<const Expr> functions,
                                                std::span<const Expr> constants, std::span<const Expr> conditions,
                                                std::uint64_t seed);

}  // namespace boreon::odes
