// SPDX-License-Identifier: MIT
// Passes over a program, each with one purpose.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "boreon/program.hpp"
#include "boreon/traverse.hpp"

namespace boreon {

struct RowSources;

/// Integrals as sums over quadrature nodes (Gauss and Legendre, order 16 to 128, the least whose doubling changes
/// nothing at random points), sums over a finite range and roots written out. Throws Error(unsupported) where no order is enough.
[[nodiscard]] Expr operators_as_sums(const Expr& expression);
/// A root as safeguarded Newton steps written out; undefined where the ends have one sign.
[[nodiscard]] Expr root_as_steps(const Expr& root);

/// Drops instructions that no output needs.
void remove_unused(Program& program);

/// Equal instructions become one.
void merge_equal(Program& program);

/// Puts sin(a) and cos(a) side by side as one instruction with two results.
void join_sine_cosine(Program& program);

/// merge_equal, join_sine_cosine and order_for_registers: for programs made by others than make_program.
void tidy(Program& program);

/// For each instruction whether it is computed from values alone that `accepted` takes, which is asked about constants
/// and inputs. A cosine goes with its sine.
[[nodiscard]] std::vector<char> made_of(const Program& program, const std::function<bool(Operand)>& accepted);

/// The number of the group of that name. Throws Error(name), which calls it a `kind` group.
[[nodiscard]] std::size_t group_named(const std::vector<Program::Group>& groups, const std::string& name,
                                      const char* kind);

/// Another order of the instructions if fewer values are alive at once in it than in the present one.
void order_for_registers(Program& program);

/// The same on complex numbers: entry i of a group becomes the entries 2*i and 2*i + 1, real and imaginary part, as
/// std::complex has them. Nothing if it has functions without a rule for that.
[[nodiscard]] std::optional<Program> complex_program(const Program& program);

/// Registers for the results, reused as soon as a value has had its last use.
struct Registers {
  std::vector<std::uint32_t> of_result;
  std::uint32_t count = 0;
};
[[nodiscard]] Registers assign_registers(const Program& program);

/// An entry of an output group, or of Program::scratch_group.
struct Store {
  std::uint32_t group;
  std::uint32_t index;
};
[[nodiscard]] inline Operand stored(const Program& program, const Store& s) {
  return s.group == Program::scratch_group ? program.scratch[s.index] : program.results[s.group][s.index];
}

/// For each instruction what can be stored once it has run; the last entry holds what is a constant or an input.
[[nodiscard]] std::vector<std::vector<Store>> stores_by_instruction(const Program& program);

/// Where each group begins when all entries stand one group after another; the last number is that of all entries.
[[nodiscard]] std::vector<std::size_t> group_starts(const std::vector<Program::Group>& groups);
[[nodiscard]] inline std::size_t entry_count(const std::vector<Program::Group>& groups) {
  std::size_t n = 0;
  for (const auto& g : groups) n += g.size;
  return n;
}

template <class F>
void for_operands(const Instruction& i, F f) {
  if (i.operands > 0) f(i.a);
  if (i.operands > 1) f(i.b);
  if (i.operands > 2) f(i.c);
}

/// Keeps the instructions listed in `order` (old numbers, operands first) and renames all uses.
void reorder(Program& program, const std::vector<std::uint32_t>& order);

/// Appends instructions for the roots to the program. Returns the names of symbols that are no inputs; if there are
/// any, nothing was done. What depends on `fixed` inputs alone is kept together.
[[nodiscard]] std::vector<std::string> lower(std::span<const Expr> roots, const NodeMap<Operand>& inputs,
                                             bool optimised, Program& program, std::vector<Operand>& values,
                                             const std::function<bool(Operand)>& fixed = {});

/// Numbers as first + step*k where that is what they are.
[[nodiscard]] IndexTable index_table(std::vector<std::uint32_t> entries);

/// Finds outputs of one shape and adds loops for them. Returns the outputs that are left.
[[nodiscard]] std::vector<Store> find_rows(std::span<const OutputGroup> outputs, RowSources& sources,
                                           const ProgramOptions& options, Program& program);

/// What a loop computes from entries that are the same in all rows is computed once, by the program, and kept as
/// scratch.
void hoist_uniform(Program& program, RowLoop& loop);

}  // namespace boreon
