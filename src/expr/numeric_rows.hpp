// SPDX-License-Identifier: MIT
// Rows of NumericFunctions: numbered behind those of the catalogue, they come and go while the program runs.
#pragma once

#include <cstdint>

#include "boreon/catalogue.hpp"
#include "boreon/numeric_function.hpp"

namespace boreon {

/// Calls of a numeric function have row numbers from here on, one for each combination of derivative orders in use.
constexpr std::uint16_t first_numeric_row = 0x4000;

/// What the intern table does for a node that calls such a row. The caller holds a reference already.
void retain_numeric(std::uint16_t number) noexcept;
void release_numeric(std::uint16_t number) noexcept;
/// By the name and the orders: the same on every run.
[[nodiscard]] std::uint64_t numeric_hash(std::uint16_t number) noexcept;

/// The value of such a row.
[[nodiscard]] double numeric_value(const FunctionRow& row, std::span<const double> args) noexcept;
/// The call of its derivative in argument i.
[[nodiscard]] Expr numeric_partial(const FunctionRow& row, std::span<const Expr> args, std::size_t i);

/// Without a look at the derivatives.
[[nodiscard]] NumericFunction unchecked_numeric_function(std::string_view name, std::vector<ArgumentRange> ranges,
                                                         int highest_order, NumericRule rule);

/// The same call as that of an unknown function, as which it is printed.
[[nodiscard]] Expr as_unknown_call(const Expr& call);
/// The expression with all calls of numeric functions in that form. O(1) while there are no numeric functions.
[[nodiscard]] Expr with_unknown_calls(const Expr& expression);

}  // namespace boreon
