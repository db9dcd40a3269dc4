// SPDX-License-Identifier: MIT
// Several equations for several unknowns.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/equations.hpp"
#include "boreon/expr.hpp"

namespace boreon::equations {

/// Candidates: values of unknowns, in the order of `unknowns`; an unknown without a value is free.
struct Candidates {
  std::vector<std::vector<std::optional<Expr>>> values;
  std::vector<std::vector<Expr>> conditions;  ///< of each candidate
  std::vector<Expr> nonzero;                  ///< divisors with parameters
  std::vector<std::string> steps;
  std::string contradiction;  ///< why there is none
  bool complete = true;
  std::string incomplete;  ///< why it is not
  bool distinct = false;   ///< known to differ from each other
  std::string unsolved;    ///< the way ends here, and no other leads on: what is known
  std::vector<unsigned> multiplicities;  ///< of each candidate, where they are known
};

/// Equations (each to be zero) that are linear in the unknowns; nothing if they are not.
[[nodiscard]] std::optional<Candidates> linear_system(std::span<const Expr> equations, std::span<const Expr> unknowns);

/// Polynomials in the unknowns, by a Groebner basis; nothing if one is none, or a root has no closed form. Where there
/// are finitely many solutions and no parameters, each has one: by radicals where these are short, else by the roots of
/// one polynomial.
[[nodiscard]] std::optional<Candidates> polynomial_system(std::span<const Expr> equations,
                                                          std::span<const Expr> unknowns,
                                                          const std::vector<Expr>& conditions);

/// One unknown after the other: an equation is solved for one of them and put into the others.
[[nodiscard]] std::optional<Candidates> by_elimination(std::span<const Expr> equations, std::span<const Expr> unknowns,
                                                       const std::vector<Expr>& conditions);

}  // namespace boreon::equations
