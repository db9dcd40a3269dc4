// SPDX-License-Identifier: MIT
// An integrand as what oscillates far out and what does not: each has a rule of its own.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

struct WaveTerms {
  Expr steady;
  std::vector<Expr> waving;  ///< sums of the terms with a sine or cosine of one angle that grows with x, by angles
};
/// steady + all of waving = f for all x; squares of sines and cosines are means and waves of twice the angle, products
/// of two waves of the sum and the difference of angles. Nothing if f is of one kind only. Terms are as they stand in
/// sums and in products with sums.
[[nodiscard]] std::optional<WaveTerms> wave_terms(const Expr& f, const Expr& x);

}  // namespace boreon
