// SPDX-License-Identifier: MIT
#include "program/walk.hpp"

#include <fmt/format.h>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

// Written from the top; what would become too long is left out.
class Writer {
 public:
  Writer(const Step& step, const Program& whole, std::size_t length) : step_(step), whole_(whole), length_(length) {}

  std::string instruction(std::size_t k, int outer, int depth) {
    const Program& p = *step_.program;
    const Instruction& i = p.instructions[k];
    written_ += 2;
    if (written_ > length_ || depth > 40) return "...";
    const auto sub = [&](Operand o, int level) { return operand(o, level, depth + 1); };
    const auto wrapped = [&](int level, const std::string& text) { return level < outer ? "(" + text + ")" : text; };
    switch (i.op) {
      case OpCode::add: return wrapped(4, sub(i.a, 4) + " + " + sub(i.b, 4));
      case OpCode::subtract: return wrapped(4, sub(i.a, 4) + " - " + sub(i.b, 5));
      case OpCode::multiply: return wrapped(5, sub(i.a, 5) + "*" + sub(i.b, 5));
      case OpCode::divide: return wrapped(5, sub(i.a, 5) + "/" + sub(i.b, 6));
      case OpCode::negate: return wrapped(5, "-" + sub(i.a, 5));
      case OpCode::square_root: return "sqrt(" + sub(i.a, 0) + ")";
      case OpCode::power: return wrapped(6, sub(i.a, 7) + "^" + sub(i.b, 7));
      case OpCode::call:
        return std::string(row_of(i.function).name) + "(" + sub(i.a, 0) + (i.operands > 1 ? ", " + sub(i.b, 0) : "") +
               (i.operands > 2 ? ", " + sub(i.c, 0) : "") + ")";
      case OpCode::sine_cosine:
        return i.operands == 1 ? "sin(" + sub(i.a, 0) + ")" : "cos(" + sub(p.instructions[k - 1].a, 0) + ")";
      case OpCode::less: return wrapped(3, sub(i.a, 4) + " < " + sub(i.b, 4));
      case OpCode::less_equal: return wrapped(3, sub(i.a, 4) + " <= " + sub(i.b, 4));
      case OpCode::equal: return wrapped(3, sub(i.a, 4) + " = " + sub(i.b, 4));
      case OpCode::not_equal: return wrapped(3, sub(i.a, 4) + " != " + sub(i.b, 4));
      case OpCode::conjunction: return wrapped(2, sub(i.a, 2) + " and " + sub(i.b, 2));
      case OpCode::disjunction: return wrapped(1, sub(i.a, 1) + " or " + sub(i.b, 1));
      case OpCode::negation: return wrapped(3, "not " + sub(i.a, 4));
      case OpCode::select:
        return "piecewise(" + sub(i.b, 0) + " if " + sub(i.a, 0) + ", " + sub(i.c, 0) + " otherwise)";
    }
    return {};
  }

 private:
  std::string operand(Operand o, int outer, int depth) {
    if (o.space == 1) return instruction(o.index, outer, depth);
    std::string text = entry_name(step_, whole_, o);
    written_ += text.size();
    return text.front() == '-' && outer > 4 ? "(" + text + ")" : text;
  }

  const Step& step_;
  const Program& whole_;
  std::size_t length_;
  std::size_t written_ = 0;
};

}  // namespace

std::string entry_name(const Step& step, const Program& whole, Operand o) {
  if (o.space == 0) return fmt::format("{:.6g}", step.program->constants[o.index]);
  const auto named = [&](std::size_t group, std::size_t index) {
    const auto& g = whole.inputs[group];
    return index < g.names.size() ? g.names[index] : fmt::format("{}[{}]", g.name, index);
  };
  if (step.loop == nullptr) return named(o.space - 2, o.index);
  const RowLoop::Place& p = step.loop->slots[o.index];
  const std::size_t at = step.loop->entry(p, step.row);
  if (p.group != Program::scratch_group) return named(p.group, at);
  if (at >= whole.scratch.size()) return fmt::format("contribution {}", at - whole.scratch.size());
  const Operand computed = whole.scratch[at];
  if (computed.space != 1)
    return computed.space == 0 ? fmt::format("{:.6g}", whole.constants[computed.index])
                               : named(computed.space - 2, computed.index);
  return "(" + subexpression_text({&whole, computed.index, nullptr, 0}, whole, 40) + ")";
}

std::string subexpression_text(const Step& step, const Program& whole, std::size_t length) {
  return Writer(step, whole, length).instruction(step.instruction, 0, 0);
}

std::vector<std::string> dependent_outputs(const Step& step, const Program& whole, std::size_t limit) {
  const Program& p = *step.program;
  std::vector<char> depends(p.instructions.size(), 0);
  depends[step.instruction] = 1;
  for (std::size_t k = step.instruction + 1; k < p.instructions.size(); ++k) {
    for_operands(p.instructions[k], [&](Operand o) {
      if (o.space == 1 && depends[o.index] != 0) depends[k] = 1;
    });
    if (p.instructions[k].operands == 0) depends[k] = depends[k - 1];
  }
  std::vector<std::string> list;
  for (std::size_t g = 0; g < p.results.size(); ++g) {
    for (std::size_t i = 0; i < p.results[g].size() && list.size() < limit; ++i) {
      const Operand o = p.results[g][i];
      if (o.space != 1 || depends[o.index] == 0) continue;
      if (step.loop == nullptr) {
        list.push_back(fmt::format("{}[{}]", whole.outputs[g].name, i));
      } else {
        const RowLoop::Place& t = step.loop->targets[i];
        if (t.group == Program::scratch_group) continue;
        list.push_back(fmt::format("{}[{}]", whole.outputs[t.group].name, step.loop->entry(t, step.row)));
      }
    }
  }
  return list;
}

void check_inputs(const Program& program, const std::vector<std::vector<double>>& inputs) {
  if (inputs.size() != program.inputs.size())
    throw Error(ErrorKind::shape,
                fmt::format("the function takes {} input groups, got {}", program.inputs.size(), inputs.size()));
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    const auto& group = program.inputs[g];
    if (inputs[g].size() != group.size) {
      throw Error(ErrorKind::shape,
                  fmt::format("the input group '{}' has {} entries, got {}", group.name, group.size, inputs[g].size()));
    }
  }
}

}  // namespace boreon
