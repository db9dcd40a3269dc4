// SPDX-License-Identifier: MIT
// Sums in closed form.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

struct SumResult {
  Expr value;  ///< an unevaluated sum node where no closed form was found
  bool closed = false;
  std::vector<Expr> conditions;  ///< of convergence
  std::string method;
  std::size_t points = 0;  ///< at which the closed form was compared with adding up
};

/// The sum of the term over the whole numbers k = from ... to (`to` may be infinite): polynomials, geometric and
/// hypergeometric terms by Gosper's algorithm (R. W. Gosper, Proc. Natl. Acad. Sci. 75, 1978), rational terms through
/// polygamma functions, and the classical power series. Every closed form has been compared with adding up terms.
[[nodiscard]] SumResult sum_with_report(const Expr& term, const Expr& k, const Expr& from, const Expr& to,
                                        std::span<const Expr> conditions = {});
[[nodiscard]] Expr sum(const Expr& term, const Expr& k, const Expr& from, const Expr& to,
                       std::span<const Expr> conditions = {});

/// Carries out every unevaluated derivative, integral, sum and limit that has a closed form, innermost first; the rest
/// stays.
[[nodiscard]] Expr evaluate_operators(const Expr& expression, std::span<const Expr> conditions = {});

}  // namespace boreon
