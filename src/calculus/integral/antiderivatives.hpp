// SPDX-License-Identifier: MIT
// Antiderivatives of the functions of the catalogue by one of their arguments.
#pragma once

#include <optional>

#include "boreon/expr.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {

/// The antiderivative of the call with respect to its argument number `varying`, taken at that argument.
[[nodiscard]] std::optional<Expr> antiderivative_of_call(const Expr& call, std::size_t varying, Integrator& in);

}  // namespace boreon
