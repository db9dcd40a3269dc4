// SPDX-License-Identifier: MIT
// Where a comparison is worst, as evidence tells it.
#pragma once

#include <span>
#include <string>

#include "boreon/evidence.hpp"
#include "boreon/expr.hpp"

namespace boreon {

/// Puts the entry with both of its values and the point at which they were compared into the evidence; the digits are
/// the caller's, who decides what is worse.
void keep_worst(Evidence& evidence, std::string entry, double derived, double reference, std::span<const Expr> leaves,
                std::span<const double> point);

}  // namespace boreon
