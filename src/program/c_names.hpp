// SPDX-License-Identifier: MIT
// Which names an emitted source may give to its functions and arrays.
#pragma once

#include <string>
#include <string_view>

namespace boreon {

/// Why a name cannot be that of a function (or namespace): it must be an identifier that is neither a word of C or C++
/// nor taken by those parts of their libraries that emitted sources and their tests include. Empty if it can.
[[nodiscard]] std::string objection_to_function(std::string_view name);
/// The same for an array, an argument of emitted functions: it may hide a function of the library that they do not
/// call.
[[nodiscard]] std::string objection_to_array(std::string_view name);
/// The same as for a function, for what CMake builds: it keeps words for itself.
[[nodiscard]] std::string objection_to_package(std::string_view name);
/// Throws Error(name) with an objection that is not empty.
void require_none(const std::string& objection);
/// Whether a source calls a function of this name.
[[nodiscard]] bool calls(std::string_view source, std::string_view function);

}  // namespace boreon
