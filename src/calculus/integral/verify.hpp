// SPDX-License-Identifier: MIT
// Evidence for integrals.
#pragma once

#include <span>

#include "boreon/evidence.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

/// Compares F' with f at random points at which f is real, under the conditions, in ball arithmetic.
[[nodiscard]] Evidence check_antiderivative(const Expr& f, const Expr& F, const Symbol& x,
                                            std::span<const Expr> conditions, std::size_t points, std::uint64_t seed);

}  // namespace boreon
