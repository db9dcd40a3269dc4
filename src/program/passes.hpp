// Passes over a program, each with one purpose.
#pragma once

#include <vector>

#include "boreon/program.hpp"

namespace boreon {

/// Integrals as sums over quadrature nodes (Gauss and Legendre, order 16 to 128, the least whose doubling changes
/// nothing at random points), sums over a finite range written out. Throws Error(unsupported) where no order is enough.
[[nodiscard]] Expr operators_as_sums(const Expr& expression);

/// Drops instructions that no output needs.
void remove_unused(Program& program);

/// Puts sin(a) and cos(a) side by side as one instruction with two results.
void join_sine_cosine(Program& program);

/// Registers for the results, reused as soon as a value has had its last use.
struct Registers {
  std::vector<std::uint32_t> of_result;
  std::uint32_t count = 0;
};
[[nodiscard]] Registers assign_registers(const Program& program);

/// For each instruction the outputs (group, index) that can be stored once it has run; the last entry holds those that
/// are constants or inputs.
struct Store {
  std::uint32_t group;
  std::uint32_t index;
};
[[nodiscard]] std::vector<std::vector<Store>> stores_by_instruction(const Program& program);

}  // namespace boreon
