// SPDX-License-Identifier: MIT
// What a minimum says about its unknowns: covariance, what the data leave open, how far chi-square is a parabola.
#pragma once

#include "solvers/fit_search.hpp"

namespace boreon {

/// Fills covariance, errors, correlation, bounds, degrees of freedom and the warnings that go with them.
void add_statistics(FitResiduals& residuals, const FitLocal& at, const std::vector<double>& x, FitResult& result);
/// Chi-square one standard error away in each direction of the covariance against the parabola:
/// FitResult::nonlinearity.
void add_nonlinearity(FitResiduals& residuals, const FitBox& box, const FitLocal& at, FitResult& result);
/// By how much the best of the places a third of a standard error away is better, against what a parabola rises to at one:
/// without derivatives, which may be what is wrong. Not above 0 at a minimum.
[[nodiscard]] double fall_beside(FitResiduals& residuals, const FitBox& box, const FitLocal& at,
                                 const FitResult& result, std::size_t& where);
/// FitResult::profile, by searches with one unknown held at a time.
void add_profile(FitResiduals& residuals, const FitBox& box, const FitLocal& at, int max_iterations, FitResult& result);
/// FitResult::curves.
void add_curves(FitResiduals& residuals, const FitLocal& at, FitResult& result);

}  // namespace boreon
