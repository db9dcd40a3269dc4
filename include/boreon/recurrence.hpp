// SPDX-License-Identifier: MIT
// Difference equations and z-transforms in closed form, every answer stepped beside.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "boreon/equations.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/transform.hpp"

namespace boreon BOREON_API {

struct RecurrenceOptions {
  std::vector<Expr> conditions = {};  ///< relations of parameters that hold, beside the assumptions of the symbols
  /// Expressions that are to be zero, in calls such as y(0), y(1).
  std::vector<Expr> given = {};
  std::uint64_t seed = 20260101;
};

struct RecurrenceSolution {
  Expr value;                              ///< y(n), for whole n from `from` on
  std::int64_t from = 0;                   ///< the first n at which it holds
  std::vector<Expr> constants;             ///< C1, C2, ... that stay free; as many as the order unless values fix them
  std::vector<Expr> conditions;            ///< of the parameters
  std::vector<SolveException> exceptions;  ///< what it is where those do not hold
  SolveStatus status = SolveStatus::unevaluated;
  std::string reason;
  std::vector<std::string> steps;
  Evidence check;
};

/// One linear difference equation, an expression that is to be zero in calls y(n), y(n + 1), y(n - 2), ... of one
/// symbol: constant coefficients of any order by the roots of the characteristic polynomial, forced by sums of
/// polynomials times powers a^n times waves (resonance included), anything else as a sum from 0; of first order also
/// with coefficients that are rational in n or exponentials, by products. The answer is put into the equation at whole
/// n from `from` on, its parameters drawn at random; independent solutions are those whose Casoratian is not zero.
/// Throws Error(usage) unless the unknown is a call of one symbol and all its places are that symbol and a whole
/// number, Error(domain) where the values given cannot be met.
///
///     const Symbol n("n");
///     const UnknownFunction y("y");
///     solve_recurrence(y(n + 2) - y(n + 1) - y(n), y(n), {.given = {y(Expr(0)), y(Expr(1)) - 1}}).value;
[[nodiscard]] RecurrenceSolution solve_recurrence(const Expr& equation, const Expr& unknown,
                                                  const RecurrenceOptions& options = {});

/// The sum of f(n)*z^(-n) over n = 0, 1, ..., where it converges: polynomials times powers times waves, and what sums
/// have a closed form for. Compared with adding up at random z. Throws Error(usage) unless n and z are different
/// symbols and z does not occur in f.
///
///     z_transform(n*pow(a, n), n, z).value;   // a*z/(z - a)^2
[[nodiscard]] TransformResult z_transform(const Expr& f, const Expr& n, const Expr& z,
                                          const TransformOptions& options = {});

/// The f(n), n = 0, 1, ..., whose transform is a rational F(z), no larger than a constant far out: pieces at first
/// where F has poles at 0. Compared with the expansion of F in powers of 1/z.
[[nodiscard]] TransformResult inverse_z_transform(const Expr& F, const Expr& z, const Expr& n,
                                                  const TransformOptions& options = {});

}  // namespace BOREON_API
