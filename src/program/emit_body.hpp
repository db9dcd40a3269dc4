// SPDX-License-Identifier: MIT
// The statements of a program as C or C++ text.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "boreon/program.hpp"

namespace boreon {

struct BodyStyle {
  std::string scalar = "double";  ///< type of all values
  std::string indent = "  ";
  std::string temporary = "v";  ///< prefix of the names of intermediate values
  /// Texts of an input and of an output to be assigned to; groups may be Program::scratch_group.
  std::function<std::string(std::uint32_t group, std::uint32_t index)> input;
  std::function<std::string(std::uint32_t group, std::uint32_t index)> output;
};

/// A number as a literal that reads back exactly.
[[nodiscard]] std::string number_literal(double value);

/// Statements for the instructions and stores of a program (not its loops). Throws Error(unsupported) for functions
/// that C does not have.
[[nodiscard]] std::string body_text(const Program& program, const BodyStyle& style);

}  // namespace boreon
