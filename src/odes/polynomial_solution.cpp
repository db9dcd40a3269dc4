// SPDX-License-Identifier: MIT
#include "odes/polynomial_solution.hpp"

#include <algorithm>
#include <string>
#include <vector>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/equations.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon::odes {

std::optional<Expr> polynomial_solution(std::span<const Expr> coefficients, const Symbol& t, int degree) {
  std::vector<Expr> unknowns;
  Expr u = power(t, degree);
  for (int k = 0; k < degree; ++k) {
    unknowns.push_back(Symbol("_c" + std::to_string(k)));
    u += unknowns.back() * power(t, k);
  }
  Expr residual = 0;
  for (std::size_t k = 0; k < coefficients.size(); ++k)
    residual += coefficients[k] * (k == 0 ? u : derivative(u, t, static_cast<int>(k)));
  const auto conditions = polynomial_in(quotient(residual).numerator, t, 60);
  if (!conditions) return std::nullopt;
  std::vector<Expr> open;
  for (const Expr& e : *conditions) {
    if (!e.is_integer(0)) open.push_back(e);
  }
  if (open.empty()) return u;
  // the leading coefficient decides whether this degree can be at all
  if (std::none_of(unknowns.begin(), unknowns.end(), [&](const Expr& x) { return depends_on(open.back(), x); }))
    return std::nullopt;
  std::vector<Expr> present;
  for (const Expr& x : unknowns) {
    if (std::any_of(open.begin(), open.end(), [&](const Expr& e) { return depends_on(e, x); })) present.push_back(x);
  }
  const SolutionSet s = solve(open, present);
  if (s.solutions.empty() || s.status != SolveStatus::exact) return std::nullopt;
  Expr found = substitute(u, s.solutions[0].values, Unused::allowed);
  for (const Expr& x : unknowns) found = substitute(found, {{x, 0}}, Unused::allowed);
  return found;
}

}  // namespace boreon::odes
