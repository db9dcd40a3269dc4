// SPDX-License-Identifier: MIT
// The Jacobian in compressed rows, by formula: in which order the entries of a row stand, and which number they have.
#pragma once

#include <cstdint>
#include <vector>

#include "boreon/fields.hpp"
#include "fields/layout.hpp"

namespace boreon {

/// The terms of each row in the order of their columns, which is the same in all rows of the box. Throws
/// Error(unsupported) where it is not.
void order_terms(FieldBox& box);
/// Numbers the entries, row by row in the order of the state. Boxes of an unknown are products of intervals, so that
/// the first entry of a row goes linearly with its place. Returns how many there are. Throws Error(limit) beyond 2^62.
std::int64_t number_entries(std::vector<FieldBox>& boxes, const FieldLayout& layout);

}  // namespace boreon
