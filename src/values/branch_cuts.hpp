// SPDX-License-Identifier: MIT
// Where the functions of the catalogue are not analytic.
#pragma once

#include <complex>
#include <span>
#include <string_view>

#include "boreon/expr.hpp"
#include "expr/ball.hpp"

namespace boreon {

/// Whether a known function may fail to be analytic somewhere on these balls, poles aside (its values are not finite
/// there). True for a function of which this table knows nothing.
[[nodiscard]] bool may_meet_cut(const Expr& call, std::span<const Ball> arguments);

/// A square around a place, for the above.
[[nodiscard]] Ball ball_around(std::complex<double> place, double half_width);

/// The cut of powers.
[[nodiscard]] bool may_meet_negative_axis(const Ball& z);

/// Whether the table knows the function at all.
[[nodiscard]] bool has_known_cuts(std::string_view function);

}  // namespace boreon
