// SPDX-License-Identifier: MIT
// The interpreter: one point, or blocks of points and rows, in which each instruction works on all lanes.
#include <algorithm>
#include <array>
#include <cmath>
#include <deque>

#include "boreon/catalogue.hpp"
#include "program/builder.hpp"
#include "program/executor.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

constexpr std::size_t block =
    32;  // lanes of a block: long enough to hide the dispatch, short enough for the first cache

// An operand is the number of a base pointer (constants, registers, input groups) and an offset.
struct Address {
  std::uint32_t base;
  std::uint32_t offset;
};

struct Command {
  OpCode op;
  std::uint8_t arity;
  bool store;            // copy a to an output instead of computing
  std::uint32_t target;  // register, or offset in the output group
  std::uint32_t second;  // register of the cosine, or output group
  double (*function)(std::span<const double>);
  std::uint16_t row;
  Address a, b, c;
};

// One straight-line program as steps.
struct Code {
  std::vector<Command> steps;
  std::vector<double> constants;
  std::uint32_t registers = 0;
  std::vector<std::size_t> input_start;   // of the groups in a tile
  std::vector<std::size_t> output_start;  // scratch comes last

  explicit Code(const Program& p)
      : constants(p.constants), input_start(group_starts(p.inputs)), output_start(group_starts(p.outputs)) {
    const Registers assigned = assign_registers(p);
    registers = assigned.count;
    const auto address = [&](Operand o) -> Address {
      if (o.space == 1) return {1, assigned.of_result[o.index]};
      return {o.space, o.index};
    };
    const auto stores = stores_by_instruction(p);
    const auto store = [&](const Store& s) {
      steps.push_back({OpCode::add, 1, true, s.index, s.group, nullptr, 0, address(stored(p, s)), {}, {}});
    };
    for (std::size_t k = 0; k < p.instructions.size(); ++k) {
      const Instruction& i = p.instructions[k];
      if (i.operands > 0) {
        Command s{i.op,    i.operands, false,        assigned.of_result[k], 0,
                  nullptr, i.function, address(i.a), address(i.b),          address(i.c)};
        if (i.op == OpCode::call && i.operands <= 2) s.function = row_of(i.function).real;
        if (i.op == OpCode::sine_cosine) s.second = assigned.of_result[k + 1];
        steps.push_back(s);
      }
      for (const Store& s : stores[k]) store(s);
    }
    for (const Store& s : stores.back()) store(s);
  }

  // The n-th output group; scratch comes last.
  [[nodiscard]] std::size_t group(std::uint32_t g) const { return std::min<std::size_t>(g, output_start.size() - 1); }

  void point(const double* const* in, double* const* out, double* scratch, double* reg) const {
    const auto read = [&](Address x) -> double {
      if (x.base == 1) return reg[x.offset];
      return x.base == 0 ? constants[x.offset] : in[x.base - 2][x.offset];
    };
    for (const Command& s : steps) {
      const double a = read(s.a);
      if (s.store) {
        (s.second == Program::scratch_group ? scratch : out[s.second])[s.target] = a;
        continue;
      }
      switch (s.op) {
        case OpCode::add: reg[s.target] = a + read(s.b); break;
        case OpCode::subtract: reg[s.target] = a - read(s.b); break;
        case OpCode::multiply: reg[s.target] = a * read(s.b); break;
        case OpCode::divide: reg[s.target] = a / read(s.b); break;
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
            const double args[] = {a, s.arity > 1 ? read(s.b) : 0.0};
            reg[s.target] = s.function({args, s.arity});
            break;
          }
          [[fallthrough]];
        default:
          reg[s.target] =
              execute(s.op, s.row, s.arity, a, s.arity > 1 ? read(s.b) : 0.0, s.arity > 2 ? read(s.c) : 0.0);
      }
    }
  }

  // One block; `work` holds the registers and three blocks for constants.
  void lanes(const double* in, double* out, double* work) const {
    double* const reg = work + 3 * block;
    const auto read = [&](Address x, std::size_t place) -> const double* {
      if (x.base == 1) return reg + x.offset * block;
      if (x.base != 0) return in + (input_start[x.base - 2] + x.offset) * block;
      double* const filled = work + place * block;
      std::fill(filled, filled + block, constants[x.offset]);
      return filled;
    };
    for (const Command& s : steps) {
      const double* const a = read(s.a, 0);
      if (s.store) {
        std::copy(a, a + block, out + (output_start[group(s.second)] + s.target) * block);
        continue;
      }
      double* const r = reg + s.target * block;
      const double* const b = s.arity > 1 ? read(s.b, 1) : a;
      const auto each = [&](auto f) {
        std::array<double, block> t;  // operands and result may share a register
        for (std::size_t l = 0; l < block; ++l) t[l] = f(a[l], b[l]);
        std::copy(t.begin(), t.end(), r);
      };
      switch (s.op) {
        case OpCode::add: each([](double x, double y) { return x + y; }); break;
        case OpCode::subtract: each([](double x, double y) { return x - y; }); break;
        case OpCode::multiply: each([](double x, double y) { return x * y; }); break;
        case OpCode::divide: each([](double x, double y) { return x / y; }); break;
        case OpCode::negate: each([](double x, double) { return -x; }); break;
        case OpCode::square_root: each([](double x, double) { return std::sqrt(x); }); break;
        case OpCode::sine_cosine: {
          double* const c = reg + s.second * block;
          for (std::size_t l = 0; l < block; ++l) {
            const double x = a[l];
            r[l] = std::sin(x);
            c[l] = std::cos(x);
          }
          break;
        }
        default: {
          const double* const c = s.arity > 2 ? read(s.c, 2) : a;
          for (std::size_t l = 0; l < block; ++l) r[l] = execute(s.op, s.row, s.arity, a[l], b[l], c[l]);
        }
      }
    }
  }
};

class Interpreter final : public Executor {
 public:
  explicit Interpreter(std::shared_ptr<const Program> program) : program_(std::move(program)), code_(*program_) {
    workspace_ = code_.registers + (program_->loops.empty() ? (code_.registers + 3) * block : 0);
    for (const RowLoop& l : program_->loops) {
      const Code& body = bodies_.emplace_back(l.body);
      workspace_ = std::max(workspace_, (body.registers + 3 + l.slots.size() + l.targets.size()) * block);
    }
  }
  [[nodiscard]] std::size_t workspace() const noexcept override { return workspace_; }
  [[nodiscard]] std::size_t lanes() const noexcept override { return block; }
  [[nodiscard]] std::string method() const override { return "interpreter"; }

  void instructions(const double* const* in, double* const* out, double* scratch, double* work) const override {
    code_.point(in, out, scratch, work);
  }
  void tile(const double* in, double* out, double* work) const override { code_.lanes(in, out, work); }

  void rows(std::size_t loop, std::size_t begin, std::size_t end, const double* const* in, double* const* out,
            double* scratch, double* work) const override {
    const RowLoop& l = program_->loops[loop];
    double* const slots = work;
    double* const values = slots + l.slots.size() * block;
    double* const rest = values + l.targets.size() * block;
    for (std::size_t row = begin; row < end; row += block) {
      const std::size_t count = std::min(block, end - row);
      for (std::size_t s = 0; s < l.slots.size(); ++s) {
        const RowLoop::Place& p = l.slots[s];
        const double* const from = (p.group == Program::scratch_group ? scratch : in[p.group]) + p.offset;
        for (std::size_t k = 0; k < block; ++k)
          slots[s * block + k] = from[l.tables[p.table].at(row + std::min(k, count - 1))];
      }
      bodies_[loop].lanes(slots, values, rest);
      for (std::size_t t = 0; t < l.targets.size(); ++t) {
        const RowLoop::Place& p = l.targets[t];
        double* const to = (p.group == Program::scratch_group ? scratch : out[p.group]) + p.offset;
        for (std::size_t k = 0; k < count; ++k) to[l.tables[p.table].at(row + k)] = values[t * block + k];
      }
    }
  }

 private:
  std::shared_ptr<const Program> program_;
  Code code_;
  std::deque<Code> bodies_;
  std::size_t workspace_ = 0;
};

}  // namespace

std::shared_ptr<const Executor> make_interpreter(std::shared_ptr<const Program> program) {
  return std::make_shared<Interpreter>(std::move(program));
}

}  // namespace boreon
