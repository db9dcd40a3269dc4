// SPDX-License-Identifier: MIT
// What runs a program: the interpreter, machine code.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>

#include "boreon/program.hpp"

namespace boreon {

/// What machine code is called with.
struct CallFrame {
  const double* const* in;
  double* const* out;
  double* scratch;
  double* work;
  const std::uint32_t* const* tables;  ///< of a loop
  std::size_t begin;                   ///< rows of a loop: at least as many as lanes; points: a multiple of lanes
  std::size_t end;
};

/// Immutable; all memory that a call writes comes with the call. `work` has workspace() doubles, aligned to 64 bytes;
/// `scratch` has as many doubles as the program has scratch values.
class Executor {
 public:
  Executor() = default;
  virtual ~Executor() = default;
  Executor(const Executor&) = delete;
  Executor& operator=(const Executor&) = delete;

  [[nodiscard]] virtual std::size_t workspace() const noexcept = 0;
  /// Machine code that does all that instructions() does, with how much of `work` it uses. Null: there is none.
  struct DirectCode {
    void (*call)(const CallFrame*) = nullptr;
    std::size_t workspace = 0;
  };
  [[nodiscard]] virtual DirectCode code() const noexcept { return {}; }
  /// The instructions: all outputs but those of loops, and scratch.
  virtual void instructions(const double* const* in, double* const* out, double* scratch, double* work) const = 0;
  /// Rows begin <= row < end of a loop; may run on beyond `end` up to the next multiple of row_tile() as long as the
  /// loop has such rows, so ranges given to different threads should start at multiples of it.
  virtual void rows(std::size_t loop, std::size_t begin, std::size_t end, const double* const* in, double* const* out,
                    double* scratch, double* work) const = 0;
  [[nodiscard]] virtual std::size_t row_tile() const noexcept { return 32; }

  /// Points that tile() computes at once. Entry i of lane l stands at i*lanes() + l, entries of all groups one after
  /// another. Only for programs without loops.
  [[nodiscard]] virtual std::size_t lanes() const noexcept = 0;
  virtual void tile(const double* in, double* out, double* work) const = 0;

  /// Many points whose entries stand side by side: entry i of point p at in[i][p] (all groups one after another), or
  /// at in[i][0] for the groups of the bits `same`. What is the same for all points is computed by prepare(), once for
  /// all of them, in `memory` of workspace() doubles; it returns what points() takes as `in`. Outputs must not overlap
  /// inputs. Some points may be computed twice. Returns where it stopped. Only for programs without loops.
  virtual const double* const* prepare(const double* const* in, std::uint64_t, double*) const { return in; }
  virtual std::size_t points(const double* const*, double* const*, std::uint64_t, std::size_t begin, std::size_t,
                             double*) const {
    return begin;
  }

  /// A function of real and imaginary parts side by side, made at the first call. Null: there is none.
  [[nodiscard]] virtual const Kernel* complex() const { return nullptr; }

  [[nodiscard]] virtual std::string method() const = 0;
  [[nodiscard]] virtual std::string listing() const { return {}; }
};

[[nodiscard]] std::shared_ptr<const Executor> make_interpreter(std::shared_ptr<const Program> program);

}  // namespace boreon
