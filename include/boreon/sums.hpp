// SPDX-License-Identifier: MIT
// Sums in closed form.
#pragma once

#include <complex>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

struct SumResult {
  Expr value;  ///< an unevaluated sum node where no closed form was found
  bool closed = false;
  bool divergent = false;        ///< a sum without end whose terms, all with values, fall too slowly; `method` says how
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

struct NumericSum {
  std::complex<double> value;
  double error = 0;  ///< estimate of the absolute error
  std::size_t terms = 0;
  bool converged = false;
  bool diverges = false;
  std::string reason;  ///< why it did not converge
};

/// A sum without end as a number: added up where the terms fall as a geometric series does, alternating ones by Levin's
/// transformation (1973), slow ones of one sign with the tail as an integral and Gregory's corrections, each with an
/// estimate of the error. Divergence is told from how fast the terms fall at last. Throws Error(binding) for parameters
/// without a value.
///
///     numeric_sum(1/(pow(k, 3) + k + 1), k, 1).value;   // 0.58...
[[nodiscard]] NumericSum numeric_sum(const Expr& term, const Expr& k, std::int64_t from, const Bindings& bindings = {});

/// Carries out every unevaluated derivative, integral, sum and limit that has a closed form, innermost first; the rest
/// stays.
[[nodiscard]] Expr evaluate_operators(const Expr& expression, std::span<const Expr> conditions = {});

}  // namespace BOREON_API
