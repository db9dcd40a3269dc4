// SPDX-License-Identifier: MIT
// Examples of index notation: small whole numbers for its indices and sizes, everything written out.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "boreon/expr.hpp"

namespace boreon {

/// Whether elements with open indices occur.
[[nodiscard]] bool has_open_elements(std::span<const Expr> expressions);

/// The expressions with one choice of numbers for their free indices and sizes, the same in all, and no element left
/// open. Different seeds give different choices: what holds for all sizes holds in each, and what does not, fails in
/// some. Empty if no choice works (an index that is no whole number whatever is put in).
[[nodiscard]] std::vector<Expr> instance(std::span<const Expr> expressions, std::uint64_t seed);

/// Seeds to try.
inline constexpr std::uint64_t instances_to_try = 6;

}  // namespace boreon
