// SPDX-License-Identifier: MIT
// What a definite integral with the parameter p claims at a number for it.
#pragma once

#include <complex>
#include <optional>

#include "boreon/integral.hpp"
#include "boreon/number.hpp"

namespace test {

/// Whether a condition on p holds at a number.
bool true_at(const boreon::Expr& condition, const boreon::Number& p);

/// The value claimed at p: nothing if none is, NaN where the integral is said to diverge.
std::optional<std::complex<double>> claimed_at(const boreon::IntegralResult& r, const boreon::Number& p);

}  // namespace test
