// SPDX-License-Identifier: MIT
#include "program/native/emitter.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "boreon/error.hpp"
#include "program/passes.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

// Registers 0 and 1 are scratch: masks, indices, arguments of calls.
constexpr std::uint32_t first_register = 2;

Emitter::Emitter(asmjit::CodeHolder& code, const Program& program, const EmitterOptions& options, const RowLoop* loop)
    : code_(code), a_(&code), program_(program), options_(options), loop_(loop) {
  const bool packed = options.layout == Layout::tile || options.layout == Layout::points ||
                      (options.layout == Layout::rows && options.packed);
  lanes_ = packed ? lanes_of(options.set) : 1;
  registers_ = options.set == InstructionSet::avx512 ? 32 : 16;
  MachineChoice choice;
  choice.fuse = !options.strict && options.set != InstructionSet::sse2;
  choice.rounding = options.set != InstructionSet::sse2;
  choice.extremes = !options.strict;
  choice.exponential = !options.strict && lanes_ > 1;
  choice.logarithm = choice.exponential && lanes_ == 8;
  choice.circular = choice.exponential;
  choice.pack = options.strict || lanes_ > 1 || options.set == InstructionSet::sse2 ? 1
                : options.set == InstructionSet::avx512                             ? 8
                                                                                    : 4;
  machine_ = schedule(program, choice);
  const bool circular = std::any_of(machine_.instructions.begin(), machine_.instructions.end(), [](const auto& i) {
    return i.op == MachineOp::sine || i.op == MachineOp::cosine || i.op == MachineOp::sine_cosine;
  });
  if (circular) aside_ = registers_ + 3;
  // A point without calls needs no register that would have to be saved.
  leaf_ = options.layout == Layout::point && machine_.batches.empty() && program.scratch.empty() &&
          program.inputs.size() + program.outputs.size() <= leaf_pointers;
  if (leaf_) {
    in_ = x86::rsi;
    out_ = x86::rdx;
    work_ = x86::rcx;
    pool_ = x86::r8;
  }
  input_start_ = group_starts(program.inputs);
  output_start_ = group_starts(program.outputs);
  stores_.head.assign(program.instructions.size() + 1, never);
  const auto all = stores_by_instruction(program);
  for (std::size_t k = 0; k < all.size(); ++k) {
    for (const Store& s : all[k]) {
      stores_.links.push_back({s.group, s.index, stores_.head[k]});
      stores_.head[k] = static_cast<std::uint32_t>(stores_.links.size() - 1);
    }
  }
  // Measured: where there is little to compute, writing waits for the cache; where many values are kept, what comes
  // early drives them out of it.
  const std::size_t outputs = output_start_.back();
  fetch_ahead_ = options.layout == Layout::points && 3 * outputs >= program.instructions.size() &&
                 (2 * outputs + program.instructions.size()) * lanes_ * 8 < 32768;
  if (loop != nullptr) table_read_.assign(loop->tables.size(), false);
  where_.resize(machine_.values());
  for (std::size_t v = 0; v < where_.size(); ++v) {
    where_[v].next = machine_.first_use[v];
    if (v >= machine_.results && !gathered(machine_.sources[v - machine_.results])) where_[v].home = Home::source;
  }
  plan_row_stores();
  holder_.assign(registers_, never);
  for (std::uint32_t r = registers_; r-- > first_register;) free_.push_back(r);
}

std::size_t Emitter::workspace() const {
  const std::size_t entries = static_cast<std::size_t>(first_slot()) + slots_;
  return entries == 0 ? 0 : entries * lanes_ + 8;
}

Emitter::Vec Emitter::wide(std::uint32_t r, unsigned lanes) const {
  if (lanes == 8) return x86::zmm(r);
  if (lanes == 4) return x86::ymm(r);
  return x86::xmm(r);
}
Emitter::Vec Emitter::vec(std::uint32_t r) const { return wide(r, lanes_); }

void Emitter::run() {
  constants_label_ = a_.newLabel();
  prologue();
  asmjit::Label again = a_.newLabel();
  asmjit::Label out = a_.newLabel();
  const bool looped = options_.layout == Layout::rows || options_.layout == Layout::points;
  if (looped) {
    // r14 is the row or point; the last block of rows starts early enough to be whole, and there are as many as it has
    a_.mov(x86::r14, x86::qword_ptr(frame_, offsetof(CallFrame, begin)));
    prepare_row_stores();
    hoist();
    a_.cmp(x86::r14, x86::qword_ptr(frame_, offsetof(CallFrame, end)));
    a_.jae(out);
    a_.align(asmjit::AlignMode::kCode, 32);
    a_.bind(again);
  }
  for (std::size_t t = 0; t < machine_.instructions.size(); ++t) {
    MachineInstruction& i = machine_.instructions[t];
    if (i.op == MachineOp::batch) {
      batch(machine_.batches[i.value[0]]);
    } else {
      instruction(i);
    }
    free_slots_.insert(free_slots_.end(), ending_slots_.begin(), ending_slots_.end());
    ending_slots_.clear();
  }
  store_inputs();
  store_rows();
  fetch_rows();
  if (looped) {
    advance();
    const Mem end = x86::qword_ptr(frame_, offsetof(CallFrame, end));
    if (options_.layout == Layout::rows && lanes_ > 1) {
      a_.lea(x86::rax, x86::ptr(x86::r14, static_cast<int>(lanes_)));
      a_.cmp(x86::rax, end);
      a_.jbe(again);
      a_.cmp(x86::r14, end);
      a_.jae(out);
      a_.mov(x86::r14, end);
      a_.sub(x86::r14, static_cast<int>(lanes_));
      a_.jmp(again);
    } else {
      a_.cmp(x86::r14, end);
      a_.jb(again);
    }
    a_.bind(out);
  }
  epilogue();
  large_arguments();
  pool();
}

void Emitter::prologue() {
  if (!leaf_) {
    for (const Gp& r : {x86::rbp, x86::rbx, x86::r12, x86::r13, x86::r14, x86::r15}) a_.push(r);
    a_.sub(x86::rsp, 8);
  }
  a_.mov(in_, x86::qword_ptr(x86::rdi, offsetof(CallFrame, in)));
  a_.mov(out_, x86::qword_ptr(x86::rdi, offsetof(CallFrame, out)));
  a_.mov(work_, x86::qword_ptr(x86::rdi, offsetof(CallFrame, work)));
  if (!leaf_) a_.mov(frame_, x86::rdi);
  if (options_.layout == Layout::tile) {
    a_.mov(in_, x86::qword_ptr(in_));
    a_.mov(out_, x86::qword_ptr(out_));
  }
  a_.lea(pool_, x86::ptr(constants_label_));
}

void Emitter::epilogue() {
  if (options_.set != InstructionSet::sse2 && (upper_dirty_ || lanes_ > 1)) a_.vzeroupper();
  if (!leaf_) {
    a_.add(x86::rsp, 8);
    for (const Gp& r : {x86::r15, x86::r14, x86::r13, x86::r12, x86::rbx, x86::rbp}) a_.pop(r);
  }
  a_.ret();
}

// A register for a new value.
std::uint32_t Emitter::take() {
  if (free_.empty()) {
    std::uint32_t victim = never;
    std::uint32_t farthest = 0;
    for (std::uint32_t r = first_register; r < registers_; ++r) {
      if (((kept_ >> r) & 1U) != 0 || std::find(pinned_.begin(), pinned_.end(), r) != pinned_.end()) continue;
      const Where& w = where_[holder_[r]];
      // of equals rather one that need not be written to memory
      if (victim == never || w.next > farthest || (w.next == farthest && w.home != Home::none)) {
        victim = r;
        farthest = w.next;
      }
    }
    evict(victim);
  }
  const std::uint32_t r = free_.back();
  free_.pop_back();
  return r;
}

void Emitter::evict(std::uint32_t reg) {
  Where& w = where_[holder_[reg]];
  if (w.home == Home::none && w.next != never) {
    if (free_slots_.empty()) free_slots_.push_back(slots_++);
    w.home = Home::spill;
    w.place = free_slots_.back();
    free_slots_.pop_back();
    store_numbers(work(first_slot() + w.place), vec(reg));
  }
  w.reg = never;
  holder_[reg] = never;
  free_.push_back(reg);
}

// The value is not needed any more.
void Emitter::release(std::uint32_t value) {
  Where& w = where_[value];
  if (w.reg != never) {
    holder_[w.reg] = never;
    free_.push_back(w.reg);
    w.reg = never;
  }
  if (w.home == Home::spill) {
    ending_slots_.push_back(w.place);
    w.home = Home::none;
  }
}

void Emitter::lose_all() {
  for (std::uint32_t r = first_register; r < registers_; ++r) {
    if (holder_[r] != never) evict(r);
  }
  indexed_table_ = never;
}

Emitter::Mem Emitter::home_of(std::uint32_t value) {
  const Where& w = where_[value];
  switch (w.home) {
    case Home::source: return source(machine_.sources[value - machine_.results]);
    case Home::spill: return work(first_slot() + w.place);
    case Home::result: return work(machine_.argument_entries + w.place);
    default: break;
  }
  if (options_.layout == Layout::tile)
    return x86::ptr(out_, static_cast<std::int32_t>((output_start_[w.group] + w.place) * lanes_ * 8));
  if (options_.layout == Layout::points)
    return x86::ptr(entry_pointer(true, output_start_[w.group] + w.place), x86::r14, 3);
  return x86::ptr(group_base(true, w.group), static_cast<std::int32_t>(w.place * 8));
}

void Emitter::load(std::uint32_t reg, std::uint32_t value) {
  Where& w = where_[value];
  if (w.home == Home::none) {
    gather(vec(reg), machine_.sources[value - machine_.results]);
  } else {
    load_numbers(vec(reg), home_of(value),
                 w.home == Home::source && uniform(machine_.sources[value - machine_.results]));
  }
  w.reg = reg;
  holder_[reg] = value;
}

std::uint32_t Emitter::in_register(std::uint32_t value) {
  if (where_[value].reg == never) load(take(), value);
  return where_[value].reg;
}

bool Emitter::foldable(std::uint32_t value, bool broadcast_allowed) const {
  const Where& w = where_[value];
  if (w.home == Home::none) return false;
  if (lanes_ > 1 && w.home == Home::source && uniform(machine_.sources[value - machine_.results])) {
    // a number for all lanes: AVX-512 spreads it while reading; constants for AVX2 are stored four times
    return options_.set == InstructionSet::avx512 ? broadcast_allowed
                                                  : machine_.sources[value - machine_.results].space == 0;
  }
  return options_.set != InstructionSet::sse2 || lanes_ == 1;
}

Emitter::Op Emitter::anywhere(std::uint32_t value, std::uint32_t next, bool broadcast_allowed) {
  if (where_[value].reg != never) return vec(where_[value].reg);
  if (foldable(value, broadcast_allowed)) {
    // Worth a register if it is needed again and one is free.
    if (next == never || free_.size() < 3) {
      Mem m = home_of(value);
      if (lanes_ == 8 && where_[value].home == Home::source && uniform(machine_.sources[value - machine_.results]))
        m = m._1to8();
      return m;
    }
  }
  return vec(in_register(value));
}

}  // namespace boreon::native
