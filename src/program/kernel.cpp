// The interpreter.
#include <fmt/format.h>

#include <cmath>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/program.hpp"
#include "program/builder.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

// An operand is the number of a base pointer (constants, registers, input groups) and an offset.
struct Address {
  std::uint32_t base;
  std::uint32_t offset;
};

struct Step {
  OpCode op;
  std::uint8_t arity;
  bool store;            // copy a to an output instead of computing
  std::uint32_t target;  // register, or offset in the output group
  std::uint32_t second;  // register of the cosine, or output group
  double (*function)(std::span<const double>);
  std::uint16_t row;
  Address a, b, c;
};

}  // namespace

struct Kernel::Code {
  Program program;
  std::vector<Step> steps;
  std::uint32_t registers = 0;
};

Kernel::Kernel(Program program) {
  auto code = std::make_shared<Code>();
  code->program = std::move(program);
  const Program& p = code->program;
  const Registers registers = assign_registers(p);
  code->registers = registers.count;
  const auto address = [&](Operand o) -> Address {
    if (o.space == 1) return {1, registers.of_result[o.index]};
    return {o.space, o.index};
  };
  const auto stores = stores_by_instruction(p);
  const auto store = [&](const Store& s) { code->steps.push_back({OpCode::add, 1, true, s.index, s.group, nullptr, 0, address(p.results[s.group][s.index]), {}, {}}); };
  for (std::size_t k = 0; k < p.instructions.size(); ++k) {
    const Instruction& i = p.instructions[k];
    if (i.operands > 0) {
      Step s{i.op, i.operands, false, registers.of_result[k], 0, nullptr, i.function, address(i.a), address(i.b), address(i.c)};
      if (i.op == OpCode::call) s.function = catalogue()[i.function].real;
      if (i.op == OpCode::sine_cosine) s.second = registers.of_result[k + 1];
      code->steps.push_back(s);
    }
    for (const Store& s : stores[k]) store(s);
  }
  for (const Store& s : stores.back()) store(s);
  code_ = std::move(code);
}

const Program& Kernel::program() const noexcept { return code_->program; }
std::size_t Kernel::workspace_size() const noexcept { return code_->registers; }

void Kernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const {
  thread_local std::vector<double> workspace;
  if (workspace.size() < code_->registers) workspace.resize(code_->registers);
  (*this)(inputs, outputs, workspace);
}

void Kernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs, std::span<double> workspace) const {
  const Code& code = *code_;
  constexpr std::size_t few = 14;
  const double* fixed[2 + few];
  std::vector<const double*> many;  // only for functions with very many groups
  const double** base = fixed;
  if (inputs.size() > few) {
    many.resize(2 + inputs.size());
    base = many.data();
  }
  base[0] = code.program.constants.data();
  double* const reg = workspace.data();
  base[1] = reg;
  std::copy(inputs.begin(), inputs.end(), base + 2);
  for (const Step& s : code.steps) {
    const double a = base[s.a.base][s.a.offset];
    if (s.store) {
      outputs[s.second][s.target] = a;
      continue;
    }
    switch (s.op) {
      case OpCode::add: reg[s.target] = a + base[s.b.base][s.b.offset]; break;
      case OpCode::subtract: reg[s.target] = a - base[s.b.base][s.b.offset]; break;
      case OpCode::multiply: reg[s.target] = a * base[s.b.base][s.b.offset]; break;
      case OpCode::divide: reg[s.target] = a / base[s.b.base][s.b.offset]; break;
      case OpCode::negate: reg[s.target] = -a; break;
      case OpCode::square_root: reg[s.target] = std::sqrt(a); break;
      case OpCode::sine_cosine: {
        const double sine = std::sin(a);
        const double cosine = std::cos(a);
        reg[s.target] = sine;
        reg[s.second] = cosine;
        break;
      }
      case OpCode::call:
        if (s.function != nullptr) {
          const double args[] = {a, s.arity > 1 ? base[s.b.base][s.b.offset] : 0.0};
          reg[s.target] = s.function({args, s.arity});
          break;
        }
        [[fallthrough]];
      default: {
        const double b = s.arity > 1 ? base[s.b.base][s.b.offset] : 0.0;
        const double c = s.arity > 2 ? base[s.c.base][s.c.offset] : 0.0;
        reg[s.target] = execute(s.op, s.row, s.arity, a, b, c);
      }
    }
  }
}

std::vector<std::vector<double>> Kernel::evaluate(const std::vector<std::vector<double>>& inputs) const {
  const Program& p = program();
  if (inputs.size() != p.inputs.size()) {
    throw Error(ErrorKind::shape, fmt::format("the function takes {} input groups, got {}", p.inputs.size(), inputs.size()));
  }
  std::vector<const double*> in;
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    if (inputs[g].size() != p.inputs[g].size) {
      throw Error(ErrorKind::shape, fmt::format("the input group '{}' has {} entries, got {}", p.inputs[g].name, p.inputs[g].size, inputs[g].size()));
    }
    in.push_back(inputs[g].data());
  }
  std::vector<std::vector<double>> results;
  std::vector<double*> out;
  for (const auto& g : p.outputs) results.emplace_back(g.size);
  for (auto& r : results) out.push_back(r.data());
  (*this)(in, out);
  return results;
}

Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs) { return Kernel(make_program(outputs, inputs)); }

}  // namespace boreon
