// SPDX-License-Identifier: MIT
// Sums of many terms of one shape: a loop writes the terms, further ones add them up.
#pragma once

#include <span>
#include <vector>

#include "boreon/program.hpp"
#include "program/passes.hpp"
#include "program/row_families.hpp"

namespace boreon {

/// Makes loops for the sums below the roots that have at least options.least_terms terms, most of them of few shapes,
/// and adds them to the sources of later rows. False if there are none. The order of summation is fixed: terms by
/// shape and entries; of n terms in a row, partial sum r is that of terms r, r + n/32, r + 2*n/32, ..., by halves;
/// these are added up in the same way.
bool find_reductions(std::span<const Expr> roots, const ProgramOptions& options, RowSources& sources, Program& program);

/// Outputs that contain such sums become a loop of one row; returns the others.
[[nodiscard]] std::vector<Store> finish_reductions(std::span<const OutputGroup> outputs, std::vector<Store> open,
                                                   const ProgramOptions& options, RowSources& sources,
                                                   Program& program);

/// Moves places of `written_group` behind what instructions keep: when that is known.
void place_written(Program& program, std::size_t written);

}  // namespace boreon
