// SPDX-License-Identifier: MIT
// Suggestions for misspelt names.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "boreon/export.hpp"

namespace boreon BOREON_API {

/// The candidate nearest to a misspelt name, its synonym first, or empty if none is near.
[[nodiscard]] std::string nearest_name(std::string_view name, std::span<const std::string> candidates);
/// What a name of another notation is called here: "ln" is "log", "arctan" is "atan". Empty if there is none.
[[nodiscard]] std::string synonym(std::string_view name);
/// The present name of a function that has been renamed: "dirac" is "dirac_delta". Empty if there is none.
[[nodiscard]] std::string former_name(std::string_view name);
/// "; did you mean 'alpha'?" or an empty text.
[[nodiscard]] std::string suggestion(std::string_view name, std::span<const std::string> candidates);

}  // namespace boreon
