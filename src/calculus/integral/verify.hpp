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

/// The value in ball arithmetic rounded to double precision, at exact values of the symbols; nothing if it cannot be
/// enclosed well.
[[nodiscard]] std::optional<std::complex<double>> certified_value(const Expr& e, std::span<const Expr> symbols,
                                                                  std::span<const double> point);

}  // namespace boreon
