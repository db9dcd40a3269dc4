// SPDX-License-Identifier: MIT
// The conditions and exceptions of an integral as they are told.
#pragma once

#include <span>
#include <vector>

#include "boreon/integral.hpp"
#include "calculus/integral/exceptional.hpp"

namespace boreon {

/// Leaves out conditions that follow from the others or from `given`, and exceptions that a later, wider one covers.
void tidy(IntegralResult& result, std::span<const Expr> given);

/// The conditions without their exclusion of single values of parameters, at which what they are for holds as well: k <
/// 1 becomes k <= 1, k != 0 goes.
void extend(std::vector<Expr>& conditions, std::span<const Exceptional> places, std::span<const Expr> given);

}  // namespace boreon
