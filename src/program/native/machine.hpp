// SPDX-License-Identifier: MIT
// A program on its way to machine code: fused instructions in the order in which they run, calls gathered in batches.
#pragma once

#include <cstdint>
#include <limits>
#include <vector>

#include "boreon/program.hpp"

namespace boreon::native {

constexpr std::uint32_t never = std::numeric_limits<std::uint32_t>::max();

enum class MachineOp : std::uint8_t {
  add,
  subtract,
  multiply,
  divide,
  negate,
  square_root,
  multiply_add,           ///< a*b + c
  multiply_subtract,      ///< a*b - c
  negative_multiply_add,  ///< c - a*b
  absolute,
  round_down,
  round_up,
  round_to_zero,
  exponential,
  logarithm,
  sine,
  cosine,
  sine_cosine,  ///< the cosine is the value after the target
  minimum,
  maximum,
  compare,  ///< `detail` is the predicate of the processor
  conjunction,
  disjunction,
  negation,
  select,
  batch  ///< `detail` is not used; `a` is the number of the batch
};

/// Values: results of the program by their numbers, then inputs and constants that it reads.
struct MachineInstruction {
  MachineOp op = MachineOp::add;
  std::uint8_t detail = 0;
  std::uint8_t operands = 0;
  std::uint32_t target = never;
  std::uint32_t value[3] = {never, never, never};
  std::uint32_t next[3] = {never, never, never};  ///< when each operand is needed again
};

/// Calls of one function whose arguments are known at the same time.
struct Batch {
  OpCode op = OpCode::call;
  std::uint16_t function = 0;
  std::uint8_t arity = 1;
  std::vector<std::uint32_t> arguments[2];  ///< values
  std::vector<std::uint32_t> next[2];       ///< when they are needed again
  std::vector<std::uint32_t> targets;       ///< of a sine_cosine the sines
  std::vector<std::uint32_t> cosines;
  std::uint32_t argument_place = 0;  ///< in the area of arguments, in entries
  std::uint32_t result_place = 0;
  std::uint32_t size = 0;  ///< entries of each argument and result, padding included
};

struct MachineProgram {
  std::vector<MachineInstruction> instructions;
  std::vector<Batch> batches;
  std::vector<Operand> sources;          ///< of the values that are no results
  std::vector<std::uint32_t> first_use;  ///< of each value
  std::vector<std::uint32_t>
      argument_head;  ///< of each result: places among the arguments it is stored to at once (a list)
  struct ArgumentStore {
    std::uint32_t place;
    std::uint32_t next;
  };
  std::vector<ArgumentStore> argument_stores;
  std::uint32_t results = 0;  ///< number of values that are results
  std::uint32_t argument_entries = 0;
  std::uint32_t result_entries = 0;
  [[nodiscard]] std::size_t values() const { return first_use.size(); }
};

struct MachineChoice {
  bool fuse = true;          ///< multiply and add at once
  bool rounding = true;      ///< the processor has instructions for floor, ceil and trunc
  bool extremes = true;      ///< min and max by instructions, which may choose the other one of two zeros
  bool exponential = false;  ///< these in place of calls
  bool logarithm = false;
  bool circular = false;  ///< sin and cos
  unsigned pack = 8;      ///< batches are padded to this many entries; 1: not at all
};

[[nodiscard]] MachineProgram schedule(const Program& program, const MachineChoice& choice);

/// Entries a batch of n calls takes in memory.
[[nodiscard]] std::uint32_t padded(std::size_t n, unsigned pack);

}  // namespace boreon::native
