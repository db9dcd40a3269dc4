// SPDX-License-Identifier: MIT
// The Jacobian in compressed rows, by formula: in which order the entries of a row stand, and which number they have.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "boreon/fields.hpp"
#include "fields/layout.hpp"

namespace boreon {

/// The terms of each row in the order of their columns. False where that is not the same in all rows of the box.
[[nodiscard]] bool order_terms(FieldBox& box);
/// Numbers the entries, row by row in the order of the state. Boxes of an unknown are products of intervals, so that
/// the first entry of a row goes linearly with its place; rows of targets with a box that is not `ordered` are listed
/// one by one. Returns how many there are. Throws Error(limit) beyond 2^63.
std::int64_t number_entries(std::vector<FieldBox>& boxes, std::span<const char> ordered, const FieldLayout& layout);

}  // namespace boreon
