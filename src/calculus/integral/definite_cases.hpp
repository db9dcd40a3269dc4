// SPDX-License-Identifier: MIT
// A definite integral in all cases of the signs that are not known.
#pragma once

#include <vector>

#include "boreon/integral.hpp"
#include "calculus/integral/attempt.hpp"

namespace boreon {

/// What was found where the signs are as decided; a value has been compared with numbers.
struct DefiniteCase {
  Attempt attempt;
  std::vector<Decision> decisions;
  Evidence check;

  /// Fewer conditions are better.
  [[nodiscard]] std::size_t conditions() const { return decisions.size(); }
};

/// The positive signs first. At most eight cases.
[[nodiscard]] std::vector<DefiniteCase> definite_cases(const DefiniteProblem& p, const IntegralOptions& options);

/// The decisions as conditions, without those that follow from the others.
[[nodiscard]] std::vector<Expr> needed_conditions(const std::vector<Decision>& decisions);
/// The same as one condition.
[[nodiscard]] Expr joined_conditions(const std::vector<Decision>& decisions);

}  // namespace boreon
