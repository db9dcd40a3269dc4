// SPDX-License-Identifier: MIT
// Where entries, constants and intermediate values stand in memory.
#include <bit>
#include <cstring>

#include "program/native/emitter.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

namespace {

constexpr std::int32_t mask_bytes = 64;
// The pool: sign bits, all but sign bits, ones, zeros; then the constants of the program.
constexpr std::uint64_t masks[] = {0x8000000000000000ULL, 0x7fffffffffffffffULL, 0x3ff0000000000000ULL, 0ULL};
constexpr std::int32_t pool_head = 4 * mask_bytes;

}  // namespace

// General registers that may hold pointers; those after the first few survive calls.
Emitter::Gp Emitter::general(std::size_t i) const {
  static const x86::Gp of_leaf[leaf_pointers] = {x86::r9, x86::r10, x86::r11, x86::rax, x86::rdi};
  if (leaf_) return of_leaf[i];
  static const x86::Gp list[] = {x86::rcx, x86::rdx, x86::rsi, x86::rdi, x86::r8,
                                 x86::r9,  x86::r10, x86::r11, x86::r14};
  return list[i];
}

Emitter::Mem Emitter::work(std::uint32_t entry) const {
  return x86::ptr(work_, static_cast<std::int32_t>(entry * lanes_ * 8));
}
Emitter::Mem Emitter::constant_mask(Mask which) const {
  return x86::ptr(pool_, static_cast<std::int32_t>(which) * mask_bytes);
}

std::size_t Emitter::pointer_count() const {
  return leaf_                                                                  ? leaf_pointers
         : options_.layout == Layout::rows || options_.layout == Layout::points ? lost_by_calls
                                                                                : pointer_registers;
}

void Emitter::forget_pointers(bool all) {
  for (std::size_t i = 0; i < (all ? pointer_registers : lost_by_calls); ++i) pointers_[i] = {};
}

// The general register that holds a pointer already.
bool Emitter::known_pointer(PointerKey key, Gp& r) {
  for (std::size_t i = 0; i < pointer_count(); ++i) {
    if (pointers_[i].key != key) continue;
    pointers_[i].age = ++clock_;
    r = general(i);
    return true;
  }
  return false;
}

// The general register that holds a pointer, or a fresh one for it.
Emitter::Gp Emitter::pointer(PointerKey key, bool& fresh) {
  Gp r;
  fresh = !known_pointer(key, r);
  if (!fresh) return r;
  const auto empty = [&](std::size_t i) { return pointers_[i].key.what == Target::nothing; };
  std::size_t oldest = 0;
  for (std::size_t i = 0; i < pointer_count(); ++i) {
    if (pointers_[i].kept) continue;
    if (pointers_[oldest].kept ||
        (empty(i) ? !empty(oldest) : !empty(oldest) && pointers_[i].age < pointers_[oldest].age))
      oldest = i;
  }
  pointers_[oldest] = {key, ++clock_, false, 0};
  return general(oldest);
}

// The first entry of a group.
Emitter::Gp Emitter::group_base(bool output, std::uint32_t group) {
  bool fresh = false;
  const Gp r = pointer({output ? Target::output_group : Target::input_group, group, 0}, fresh);
  if (!fresh) return r;
  if (group == Program::scratch_group) {
    a_.mov(r, x86::qword_ptr(frame_, offsetof(CallFrame, scratch)));
  } else {
    a_.mov(r, x86::qword_ptr(output ? out_ : in_, static_cast<std::int32_t>(group * 8)));
  }
  return r;
}

// The numbers of a table, in rax unless a register holds them throughout the loop.
Emitter::Gp Emitter::table_numbers(std::uint32_t table) {
  table_read_[table] = true;
  Gp numbers = x86::rax;
  if (!known_pointer({Target::table, table, 0}, numbers)) {
    a_.mov(numbers, x86::qword_ptr(frame_, offsetof(CallFrame, tables)));
    a_.mov(numbers, x86::qword_ptr(numbers, static_cast<std::int32_t>(table * 8)));
  }
  return numbers;
}

// The entry of a group that a table names for this row.
Emitter::Gp Emitter::row_pointer(bool output, std::uint32_t group, std::uint32_t table) {
  const IndexTable& t = loop_->tables[table];
  const PointerKey key{output ? Target::output_row : Target::input_row, group, table};
  Gp r;
  if (known_pointer(key, r)) return r;
  const Gp base = group_base(output, group);
  bool fresh = false;
  r = pointer(key, fresh);
  if (t.entries.empty() && t.step == 1) {
    a_.lea(r, x86::ptr(base, x86::r14, 3, static_cast<std::int32_t>(t.first * 8)));
  } else if (t.entries.empty()) {
    a_.imul(x86::rax, x86::r14, static_cast<int>(t.step * 8));
    a_.lea(r, x86::ptr(base, x86::rax, 0, static_cast<std::int32_t>(t.first * 8)));
  } else {
    a_.mov(x86::eax, x86::dword_ptr(table_numbers(table), x86::r14, 2));
    a_.lea(r, x86::ptr(base, x86::rax, 3));
  }
  return r;
}

// The numbers of an entry at all points.
Emitter::Gp Emitter::entry_pointer(bool output, std::size_t entry) {
  bool fresh = false;
  const Gp r =
      pointer({output ? Target::output_entry : Target::input_entry, static_cast<std::uint32_t>(entry), 0}, fresh);
  if (fresh) a_.mov(r, x86::qword_ptr(output ? out_ : in_, static_cast<std::int32_t>(entry * 8)));
  return r;
}

// One number for all lanes.
bool Emitter::uniform(Operand o) const {
  if (o.space == 0) return true;
  if (options_.layout == Layout::points) return o.space > 1 && ((options_.same >> (o.space - 2)) & 1U) != 0;
  if (options_.layout != Layout::rows) return false;
  const IndexTable& t = loop_->tables[loop_->slots[o.index].table];
  return t.entries.empty() && t.step == 0;
}

// Found by an index for each lane.
bool Emitter::gathered(Operand o) const {
  if (o.space < 2 || options_.layout != Layout::rows || lanes_ == 1) return false;
  const std::uint32_t table = loop_->slots[o.index].table;
  if (in_runs()) return !uniform(o) && options_.steps[table] != 1;
  const IndexTable& t = loop_->tables[table];
  return !t.entries.empty() || t.step > 1;
}

Emitter::Mem Emitter::source(Operand o) {
  if (o.space == 0) {
    return x86::ptr(pool_, pool_head + static_cast<std::int32_t>(o.index * copies() * 8));
  }
  if (options_.layout == Layout::tile)
    return x86::ptr(in_, static_cast<std::int32_t>((input_start_[o.space - 2] + o.index) * lanes_ * 8));
  if (options_.layout == Layout::points) {
    const Gp entry = entry_pointer(false, input_start_[o.space - 2] + o.index);
    return uniform(o) ? x86::ptr(entry) : x86::ptr(entry, x86::r14, 3);
  }
  if (options_.layout == Layout::point)
    return x86::ptr(group_base(false, o.space - 2), static_cast<std::int32_t>(o.index * 8));
  const RowLoop::Place& p = loop_->slots[o.index];
  const IndexTable& t = loop_->tables[p.table];
  if ((lanes_ == 1 && t.step != 0) || !t.entries.empty())
    return x86::ptr(row_pointer(false, p.group, p.table), p.offset * 8);
  const auto first = static_cast<std::int32_t>((static_cast<std::int64_t>(t.first) + p.offset) * 8);
  const Gp base = group_base(false, p.group);
  return t.step == 0 ? x86::ptr(base, first) : x86::ptr(base, x86::r14, 3, first);
}

void Emitter::load_numbers(Vec target, const Mem& from, bool one_for_all) {
  if (lanes_ == 1) {
    a_.emit(options_.set == InstructionSet::sse2 ? Inst::kIdMovsd : Inst::kIdVmovsd, target, from);
  } else if (one_for_all) {
    a_.emit(Inst::kIdVbroadcastsd, target, from);
  } else {
    a_.emit(Inst::kIdVmovupd, target, from);
  }
}

void Emitter::store_numbers(const Mem& to, Vec from) {
  if (lanes_ == 1) {
    a_.emit(options_.set == InstructionSet::sse2 ? Inst::kIdMovsd : Inst::kIdVmovsd, to, from);
  } else {
    a_.emit(Inst::kIdVmovupd, to, from);
  }
}

// The entries of a table for this block of rows, in scratch register 1.
void Emitter::index_vector(std::uint32_t table) {
  if (indexed_table_ == table) return;
  indexed_table_ = table;
  a_.emit(Inst::kIdVmovdqu, lanes_ == 8 ? Vec(x86::ymm(1)) : Vec(x86::xmm(1)),
          x86::ptr(table_numbers(table), x86::r14, 2, 0));
}

void Emitter::gather(Vec target, Operand o) {
  if (pick_apart(target, o)) return;
  const RowLoop::Place& p = loop_->slots[o.index];
  index_vector(p.table);
  const Gp base = group_base(false, p.group);
  const auto shift = static_cast<std::int32_t>(p.offset * 8);
  if (lanes_ == 8) {
    a_.kxnorw(x86::k1, x86::k1, x86::k1);
    a_.vxorpd(target.xmm(), target.xmm(), target.xmm());  // a gather merges: do not wait for the old value
    a_.k(x86::k1).vgatherdpd(target.zmm(), x86::ptr(base, x86::ymm1, 3, shift));
  } else {
    a_.vpcmpeqd(x86::ymm0, x86::ymm0, x86::ymm0);
    a_.vxorpd(target.xmm(), target.xmm(), target.xmm());
    a_.vgatherdpd(target.ymm(), x86::ptr(base, x86::xmm1, 3, shift), x86::ymm0);
  }
}

void Emitter::scatter(Vec from, std::uint32_t target) {
  const RowLoop::Place& p = loop_->targets[target];
  const IndexTable& t = loop_->tables[p.table];
  const auto shift = static_cast<std::int32_t>(p.offset * 8);
  if (lanes_ == 1) {
    store_numbers(x86::ptr(row_pointer(true, p.group, p.table), shift), from);
    return;
  }
  if (assembled_[target].yes) {
    store_numbers(assembly(assembled_[target].entry), from);
    return;
  }
  if (t.entries.empty() && t.step == 1) {
    a_.emit(Inst::kIdVmovupd,
            x86::ptr(group_base(true, p.group), x86::r14, 3,
                     static_cast<std::int32_t>((static_cast<std::int64_t>(t.first) + p.offset) * 8)),
            from);
    return;
  }
  if (in_runs() && options_.steps[p.table] == 1) {
    store_numbers(x86::ptr(row_pointer(true, p.group, p.table), shift), from);
    return;
  }
  if (in_runs() && lanes_ == 4) {
    const Gp row = row_pointer(true, p.group, p.table);
    const auto at = [&](int lane) {
      return x86::ptr(row, shift + lane * static_cast<int>(options_.steps[p.table]) * 8);
    };
    a_.vextractf128(x86::xmm0, from.ymm(), 1);
    a_.vmovlpd(at(0), from.xmm());
    a_.vmovhpd(at(1), from.xmm());
    a_.vmovlpd(at(2), x86::xmm0);
    a_.vmovhpd(at(3), x86::xmm0);
    return;
  }
  if (lanes_ == 8) {
    index_vector(p.table);
    const Gp base = group_base(true, p.group);
    a_.kxnorw(x86::k1, x86::k1, x86::k1);
    a_.k(x86::k1).vscatterdpd(x86::ptr(base, x86::ymm1, 3, shift), from.zmm());
    return;
  }
  const Gp base = group_base(true, p.group);
  a_.lea(x86::rax, x86::ptr(table_numbers(p.table), x86::r14, 2));
  a_.vextractf128(x86::xmm0, from.ymm(), 1);
  // the entry's number in r15, which is restored below: all other registers may hold pointers
  for (int lane = 0; lane < 4; ++lane) {
    a_.mov(x86::r15d, x86::dword_ptr(x86::rax, lane * 4));
    const Mem to = x86::ptr(base, pool_, 3, shift);
    const x86::Xmm half = lane < 2 ? from.xmm() : x86::xmm0;
    lane % 2 == 0 ? a_.vmovlpd(to, half) : a_.vmovhpd(to, half);
  }
  a_.lea(pool_, x86::ptr(constants_label_));
}

void Emitter::store(std::uint32_t group, std::uint32_t index, Vec from) {
  if (options_.layout == Layout::rows) {
    scatter(from, index);
  } else if (options_.layout == Layout::points) {
    const Gp entry = entry_pointer(true, output_start_[group] + index);
    store_numbers(x86::ptr(entry, x86::r14, 3), from);
    if (fetch_ahead_) a_.prefetchw(x86::ptr(entry, x86::r14, 3, 64));
  } else if (options_.layout == Layout::tile) {
    store_numbers(x86::ptr(out_, static_cast<std::int32_t>((output_start_[group] + index) * lanes_ * 8)), from);
  } else {
    store_numbers(x86::ptr(group_base(true, group), static_cast<std::int32_t>(index * 8)), from);
  }
}

// Without what outputs want side by side.
std::int32_t Emitter::pool_size() const {
  return pool_head + static_cast<std::int32_t>(program_.constants.size() * copies() * 8);
}

// Where the pool has a number that is no constant of the program.
std::int32_t Emitter::image(double number) {
  const auto [at, fresh] = image_of_.emplace(std::bit_cast<std::uint64_t>(number),
                                             pool_size() + static_cast<std::int32_t>(images_.size() * 8));
  if (fresh) images_.insert(images_.end(), copies(), number);
  return at->second;
}

void Emitter::pool() {
  code_.setLogger(nullptr);  // numbers are no instructions
  a_.align(asmjit::AlignMode::kData, 64);
  a_.bind(constants_label_);
  std::vector<std::uint64_t> data;
  for (const std::uint64_t m : masks) data.insert(data.end(), mask_bytes / 8, m);
  for (const double c : program_.constants) data.insert(data.end(), copies(), std::bit_cast<std::uint64_t>(c));
  for (const double c : images_) data.push_back(std::bit_cast<std::uint64_t>(c));
  data.resize(data.size() + 8);  // masks of 16 bytes may be read beyond the last number
  a_.embed(data.data(), data.size() * 8);
}

}  // namespace boreon::native
