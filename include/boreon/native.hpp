// SPDX-License-Identifier: MIT
// Numeric functions as machine code of this computer (target boreon::native).
#pragma once

#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/program.hpp"

namespace boreon BOREON_API {

enum class Machine : std::uint8_t {
  automatic,  ///< the best this processor has
  sse2,
  avx2,   ///< with FMA
  avx512  ///< F, DQ, VL
};

struct NativeOptions {
  /// Bit for bit what the interpreter computes: no fused multiply and add, functions one at a time as the C library
  /// has them. Otherwise results differ in their last bits; vector functions are good to 4 units in the last place.
  bool strict = false;
  /// How often the function will be called: few calls of a large function are faster interpreted.
  double expected_calls = 1000;
  Machine machine = Machine::automatic;
  /// The function is called in between other work, such as the steps of a solver. Registers of 512 bits make it faster
  /// and what runs beside it slower (their clock is lower; 6 % of a sparse solver were measured): the automatic choice
  /// then does without them.
  bool amid_other_work = false;
  /// Writes names and addresses of the code to /tmp/perf-PID.map, where profilers look for them.
  bool profiler = false;
  /// Tells debuggers the names and addresses of the code.
  bool debugger = false;
  std::string name = "boreon";  ///< of the code, for profilers and debuggers
};

/// The program as machine code, ready for calls: about 0.3 ms for 1000 instructions, linear. Where machine code is not
/// possible (another kind of processor) or would not pay, the Kernel is interpreted; Kernel::method() tells. The memory
/// of the code is never writable and executable at once. Code for many points is made at the first call of many().
[[nodiscard]] Kernel native_kernel(Program program, const NativeOptions& options = {});

/// What runs a program, for those that call it loop by loop (see boreon/fields.hpp).
[[nodiscard]] std::shared_ptr<const Executor> native_executor(std::shared_ptr<const Program> program,
                                                              const NativeOptions& options = {});

/// make_program and native_kernel in one.
[[nodiscard]] Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs,
                             const NativeOptions& options);

/// A function in two stages: what depends on the fixed groups alone (parameters) is computed by prepare(), the rest by
/// every call. Copies are independent; a call may run in many threads at once, but not beside prepare().
class StagedKernel {
 public:
  StagedKernel(const Program& program, std::span<const std::string> fixed_groups, const NativeOptions& options = {});
  /// To be called before the first call and whenever a fixed group changes. `inputs` are those of the call; only the
  /// fixed groups are read.
  void prepare(std::span<const double* const> inputs);
  void operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const;
  [[nodiscard]] const Kernel& main() const noexcept { return main_; }
  [[nodiscard]] std::size_t prepared_values() const noexcept { return prepared_.size(); }

 private:
  std::optional<Kernel> prepare_;
  Kernel main_;
  std::vector<std::size_t> fixed_;
  std::vector<double> prepared_;
};

/// A function whose outputs are wanted in two calls at the same point: residuals first, and only if they are good
/// enough their Jacobian, which then costs what it needs beyond them. Copies are independent; calls of one object write
/// its memory and must not run at once (for that take split() and memory of your own).
class SplitKernel {
 public:
  SplitKernel(const Program& program, std::span<const std::string> first_groups, const NativeOptions& options = {});
  /// The first groups, in their order.
  void first(std::span<const double* const> inputs, std::span<double* const> outputs);
  /// The other groups, in their order, at the inputs of the last call of first().
  void second(std::span<const double* const> inputs, std::span<double* const> outputs) const;
  [[nodiscard]] std::size_t kept_values() const noexcept { return kept_.size(); }

 private:
  Kernel first_;
  Kernel second_;
  std::vector<double> kept_;
};

/// The instruction sets that this processor has, best first: without Machine::automatic; empty if it is another kind.
[[nodiscard]] std::vector<Machine> machines();
[[nodiscard]] std::string to_string(Machine machine);

}  // namespace boreon
