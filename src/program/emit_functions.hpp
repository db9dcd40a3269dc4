// SPDX-License-Identifier: MIT
// Numeric functions in emitted sources.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "boreon/program.hpp"

namespace boreon {

/// What a row of a numeric function is called in C: rate, rate_d1 for its derivative, mix_d1_0 for a partial one.
[[nodiscard]] std::string c_name(const FunctionRow& row);

/// The numeric functions that a program and its loops call.
struct EmittedFunctions {
  std::vector<std::string> names;
  std::string definitions;   ///< of those with C source, each with the linkage asked for
  std::string declarations;  ///< of those that the user of the source supplies
};
[[nodiscard]] EmittedFunctions numeric_functions(const Program& program, std::string_view linkage);

}  // namespace boreon
