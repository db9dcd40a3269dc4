// SPDX-License-Identifier: MIT
// Derivatives of straight-line programs, derived instruction by instruction: forward and reverse accumulation (Griewank
// and Walther, "Evaluating Derivatives", 2nd edition, chapters 3 and 4).
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/program.hpp"
#include "program/builder.hpp"

namespace boreon {

/// A copy of a program to which derivatives are added. Loops are not looked at: they are programs of their own.
class Differentiation {
 public:
  explicit Differentiation(const Program& program);

  /// The number of a new last input group.
  std::uint32_t add_input(const std::string& name, std::size_t size);
  /// What an operand of the original is in the copy.
  [[nodiscard]] Operand now(Operand o) const { return o.space == 1 ? copy_[o.index] : o; }
  [[nodiscard]] Operand constant(double value) { return build_.constant(value); }

  /// Derivatives of values of the original, given those of its inputs; nothing stands for 0.
  using Seed = std::function<std::optional<Operand>(Operand)>;
  [[nodiscard]] std::vector<std::optional<Operand>> forward(std::span<const Operand> values, const Seed& seed);
  /// Derivatives of the sum of weights[i]*values[i] by the inputs of one group. Nothing stands for 0.
  struct Weighted {
    Operand value;   ///< of the original
    Operand weight;  ///< of the copy
  };
  [[nodiscard]] std::vector<std::optional<Operand>> reverse(std::span<const Weighted> sum, std::size_t input);

  /// The copy so far; to be completed by finish().
  [[nodiscard]] Program& program() { return program_; }
  /// Takes out what stands twice or is not needed, and puts the rest in order.
  [[nodiscard]] Program finish();

 private:
  // A factor of a chain rule: nothing (0), a sign, or a value.
  struct Factor {
    enum { none, one, minus_one, value, minus_value } kind = none;
    Operand operand{};
  };
  // Signs are kept apart until a sum or an output takes them in.
  struct Signed {
    Operand value;
    bool negative = false;
  };

  Operand zero() { return build_.constant(0); }
  std::optional<Operand> plain(const std::optional<Signed>& s);
  void add_to(std::optional<Signed>& sum, const std::optional<Signed>& term);
  std::optional<Signed> times(const Factor& f, const Signed& d);
  [[nodiscard]] Operand argument(std::size_t k, std::size_t s) const;
  Operand copied(std::size_t k);
  Factor partial(std::size_t k, std::size_t s);
  Operand of_function(const Instruction& i, std::size_t k, std::size_t s);

  const Program& original_;
  Program program_;
  ProgramBuilder build_;
  std::vector<Operand> copy_;  // of the original's instructions
};

}  // namespace boreon
