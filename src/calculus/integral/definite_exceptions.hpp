// SPDX-License-Identifier: MIT
// Parameter values at which the value of a definite integral needs another form.
#pragma once

#include <functional>
#include <vector>

#include "boreon/integral.hpp"
#include "calculus/integral/definite_cases.hpp"

namespace boreon {

/// The integral at a special value of its parameters.
using SpecialIntegral = std::function<IntegralResult(const DefiniteProblem&, const IntegralOptions&)>;

/// Looks for such values in the value itself, in the antiderivatives it came from and in what was decided; adds them to
/// `result.exceptions`, or to its conditions where no value is known there.
void add_exceptions(IntegralResult& result, const DefiniteProblem& p, const DefiniteCase& found,
                    const IntegralOptions& options, const SpecialIntegral& special);

}  // namespace boreon
