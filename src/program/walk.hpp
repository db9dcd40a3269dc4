// SPDX-License-Identifier: MIT
// A program in numbers of any kind: complex numbers, balls, doubles that are watched.
#pragma once

#include <cstddef>
#include <vector>

#include "boreon/program.hpp"

namespace boreon {

/// What a walk has computed; `loop` is null for the instructions of the program itself.
struct Step {
  const Program* program;
  std::size_t instruction;
  const RowLoop* loop = nullptr;
  std::size_t row = 0;
};

/// Runs a program. Domain::Value is the number; domain.constant(double), domain.apply(instruction, a, b, c) and
/// domain.sine_cosine(a, sine, cosine) compute; domain.done(step, values, operand) sees each result, where
/// values[instruction] are the results so far and operand(Operand) reads any value.
template <class Domain>
class Walk {
 public:
  using Value = typename Domain::Value;
  using Groups = std::vector<std::vector<Value>>;

  Walk(const Program& program, Domain& domain, const Groups& inputs)
      : program_(program), domain_(domain), inputs_(inputs) {}

  Groups run() {
    Groups out;
    for (const auto& g : program_.outputs) out.emplace_back(g.size);
    const auto read = [&](std::uint32_t group, std::uint32_t index) -> const Value& { return inputs_[group][index]; };
    const std::vector<Value> results = straight(program_, read, {&program_, 0, nullptr, 0});
    const auto value = [&](const Program& p, const std::vector<Value>& r, Operand o, const auto& input) {
      return o.space == 1   ? r[o.index]
             : o.space == 0 ? domain_.constant(p.constants[o.index])
                            : Value(input(o.space - 2, o.index));
    };
    for (std::size_t g = 0; g < program_.results.size(); ++g) {
      for (std::size_t i = 0; i < program_.results[g].size(); ++i) {
        const Operand o = program_.results[g][i];
        if (!(o == Program::by_loop)) out[g][i] = value(program_, results, o, read);
      }
    }
    std::vector<Value> scratch;
    for (const Operand o : program_.scratch) scratch.push_back(value(program_, results, o, read));
    scratch.resize(program_.scratch_size());
    for (const RowLoop& l : program_.loops) {
      for (std::size_t row = 0; row < l.rows; ++row) {
        const auto entry = [&](std::uint32_t, std::uint32_t slot) -> const Value& {
          const RowLoop::Place& p = l.slots[slot];
          const std::size_t at = l.entry(p, row);
          return p.group == Program::scratch_group ? scratch[at] : inputs_[p.group][at];
        };
        const std::vector<Value> r = straight(l.body, entry, {&l.body, 0, &l, row});
        for (std::size_t t = 0; t < l.targets.size(); ++t) {
          const RowLoop::Place& p = l.targets[t];
          auto& to = p.group == Program::scratch_group ? scratch : out[p.group];
          to[l.entry(p, row)] = value(l.body, r, l.body.results[0][t], entry);
        }
      }
    }
    return out;
  }

 private:
  template <class Input>
  std::vector<Value> straight(const Program& p, const Input& input, Step step) {
    std::vector<Value> results(p.instructions.size());
    const auto operand = [&](Operand o) -> Value {
      return o.space == 1   ? results[o.index]
             : o.space == 0 ? domain_.constant(p.constants[o.index])
                            : Value(input(o.space - 2, o.index));
    };
    for (std::size_t k = 0; k < p.instructions.size(); ++k) {
      const Instruction& i = p.instructions[k];
      if (i.operands == 0) continue;
      if (i.op == OpCode::sine_cosine) {
        domain_.sine_cosine(operand(i.a), results[k], results[k + 1]);
      } else {
        results[k] = domain_.apply(i, operand(i.a), i.operands > 1 ? operand(i.b) : Value{},
                                   i.operands > 2 ? operand(i.c) : Value{});
      }
      step.instruction = k;
      domain_.done(step, results[k], operand);
    }
    return results;
  }

  const Program& program_;
  Domain& domain_;
  const Groups& inputs_;
};

/// A result of a program as text in the names of its inputs, cut to about `length` characters.
[[nodiscard]] std::string subexpression_text(const Step& step, const Program& whole, std::size_t length = 100);
/// The operands of an instruction that are not computed from others, with their values: "x = 2, y = -1".
[[nodiscard]] std::string entry_name(const Step& step, const Program& whole, Operand o);
/// Entries of outputs that depend on a result: "f[3]", at most `limit`.
[[nodiscard]] std::vector<std::string> dependent_outputs(const Step& step, const Program& whole, std::size_t limit);

/// Throws Error(shape) where the sizes of the vectors are not those of the input groups.
void check_inputs(const Program& program, const std::vector<std::vector<double>>& inputs);

}  // namespace boreon
