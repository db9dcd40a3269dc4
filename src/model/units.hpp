// SPDX-License-Identifier: MIT
// The form of unit texts. Dimensions are not checked yet.
#pragma once

#include <string>
#include <string_view>

namespace boreon {

/// What is wrong with a unit such as "m^3/(mol*s)", or an empty text.
[[nodiscard]] std::string problem_of_unit(std::string_view text);

}  // namespace boreon
