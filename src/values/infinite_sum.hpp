// SPDX-License-Identifier: MIT
// Sums without end as numbers.
#pragma once

#include <complex>
#include <cstddef>
#include <cstdint>
#include <string>

#include "boreon/expr.hpp"

namespace boreon {

struct InfiniteSum {
  std::complex<double> value;
  double error = 0;        ///< estimate of the absolute error
  std::size_t terms = 0;   ///< that were looked at
  bool converged = false;  ///< the estimate is small beside the terms
  bool diverges = false;
  std::string reason;  ///< why it did not converge
};

/// The sum of the term over k = from, from + 1, ..., with values for all its other symbols: added up where the terms
/// fall as a geometric series does; with signs that alternate by Levin's u-transformation (D. Levin, Int. J. Comput.
/// Math. B3, 1973); else, of one sign, with the tail as an integral and Gregory's corrections. Divergence is told from
/// how fast the terms fall at last. Throws nothing but Error(limit), Error(interrupted) and what evaluating the term
/// throws.
[[nodiscard]] InfiniteSum infinite_sum(const Expr& term, const Expr& k, std::int64_t from);

}  // namespace boreon
