// SPDX-License-Identifier: MIT
// Rows whose tables advance by one step: entries at a fixed distance are read whole and picked apart, and targets that
// are neighbours (the entries of one row of a Jacobian) are put together row by row and written at once.
#include <algorithm>
#include <bit>
#include <tuple>

#include "program/native/emitter.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

namespace {

constexpr std::size_t widest = 4;  // columns that are turned at once
constexpr std::uint32_t most_loads = 4;
constexpr std::uint32_t blocks_ahead = 6;   // what is asked for early: measured, flat between 4 and 8
constexpr std::size_t first_cache = 24576;  // bytes of outputs that are there without being asked for
const x86::KReg three = x86::k7;

}  // namespace

// Which targets are put together: neighbours found by one table, in fours.
void Emitter::plan_row_stores() {
  if (loop_ == nullptr) return;
  assembled_.assign(loop_->targets.size(), {});
  if (!in_runs() || lanes_ != 8) return;
  std::vector<std::uint32_t> order(loop_->targets.size());
  for (std::uint32_t t = 0; t < order.size(); ++t) order[t] = t;
  const auto key = [&](std::uint32_t t) {
    return std::tuple(loop_->targets[t].group, loop_->targets[t].table, loop_->targets[t].offset);
  };
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) { return key(a) < key(b); });
  std::vector<PointerKey> fetched;
  for (std::size_t begin = 0; begin < order.size();) {
    const RowLoop::Place& first = loop_->targets[order[begin]];
    const std::uint32_t step = options_.steps[first.table];
    std::size_t end = begin + 1;
    while (end < order.size() && end - begin < std::min<std::size_t>(widest, step) &&
           key(order[end]) ==
               std::tuple(first.group, first.table, first.offset + static_cast<std::int32_t>(end - begin))) {
      ++end;
    }
    if (step > 1) {
      Neighbours n;
      n.place = first;
      n.step = step;
      const PointerKey rows{Target::output_row, first.group, first.table};
      const std::size_t targets =
          static_cast<std::size_t>(std::count_if(loop_->targets.begin(), loop_->targets.end(), [&](const auto& p) {
            return p.group == first.group && p.table == first.table;
          }));
      n.fetch = step <= 2 * targets && walked() * step * sizeof(double) > first_cache &&
                std::find(fetched.begin(), fetched.end(), rows) == fetched.end();
      if (n.fetch) fetched.push_back(rows);
      n.all_same = true;
      for (std::size_t i = begin; i < end; ++i) {
        const Operand o = program_.results[0][order[i]];
        Column c{o, o.space != 1 && uniform(o), 0};
        if (!c.same) c.entry = assembly_++;
        n.all_same = n.all_same && c.same;
        assembled_[order[i]] = {true, c.same, c.entry};
        n.columns.push_back(c);
      }
      n.pattern = assembly_++;
      neighbours_.push_back(std::move(n));
    }
    begin = end;
  }
  if (neighbours_.empty()) return;
  pairs_ = assembly_;
  assembly_ += 2;
}

Emitter::Mem Emitter::assembly(std::uint32_t entry, std::size_t number) const {
  Mem m = work(machine_.argument_entries + machine_.result_entries + aside_ + entry);
  m.addOffset(static_cast<std::int64_t>(8 * number));
  return m;
}

// Before the loop: what is the same in all rows stands where it belongs.
void Emitter::prepare_row_stores() {
  for (const Neighbours& n : neighbours_) {
    for (std::size_t c = 0; c < n.columns.size(); ++c) {
      if (!n.columns[c].same) continue;
      a_.vmovsd(x86::xmm0, source(n.columns[c].operand));
      a_.vmovsd(assembly(n.pattern, c), x86::xmm0);
    }
  }
  forget_pointers(true);
}

// The lines that later blocks of rows read and write side by side.
void Emitter::fetch_rows() {
  if (!in_runs() || lanes_ != 8 || walked() * sizeof(double) * 8 < first_cache) return;
  std::vector<std::pair<PointerKey, std::int32_t>> last;  // the highest offset at which a pointer is used
  const auto see = [&](const RowLoop::Place& p, Target what) {
    if (options_.steps[p.table] != 1) return;
    const PointerKey key{what, p.group, p.table};
    const auto at = std::find_if(last.begin(), last.end(), [&](const auto& l) { return l.first == key; });
    if (at == last.end()) {
      last.emplace_back(key, p.offset);
    } else {
      at->second = std::max(at->second, p.offset);
    }
  };
  for (const Operand o : machine_.sources) {
    if (o.space >= 2) see(loop_->slots[o.index], Target::input_row);
  }
  for (const RowLoop::Place& p : loop_->targets) see(p, Target::output_row);
  for (const auto& [key, offset] : last) {
    const bool output = key.what == Target::output_row;
    const std::int32_t ahead = (offset + static_cast<std::int32_t>(blocks_ahead * lanes_)) * 8;
    const IndexTable& t = loop_->tables[key.table];
    const Mem there =
        t.entries.empty() && t.step == 1
            ? x86::ptr(group_base(output, key.number), x86::r14, 3, static_cast<std::int32_t>(t.first * 8) + ahead)
            : x86::ptr(row_pointer(output, key.number, key.table), ahead);
    output ? a_.prefetchw(there) : a_.prefetcht0(there);
  }
}

// At the end of a block of rows.
void Emitter::store_rows() {
  if (neighbours_.empty()) return;
  indexed_table_ = never;
  if (std::any_of(neighbours_.begin(), neighbours_.end(), [](const auto& n) { return n.columns.size() == 3; })) {
    a_.mov(x86::eax, 7);
    a_.kmovb(three, x86::eax);
  }
  for (const Neighbours& n : neighbours_) {
    const Gp row = row_pointer(true, n.place.group, n.place.table);
    const auto to = [&](unsigned r) {
      return x86::ptr(row, (n.place.offset + static_cast<std::int32_t>(r * n.step)) * 8);
    };
    if (n.fetch) {
      for (std::uint32_t line = 0; line < n.step; ++line)
        a_.prefetchw(x86::ptr(row, (n.place.offset + static_cast<std::int32_t>(blocks_ahead * lanes_ * n.step)) * 8 +
                                       static_cast<std::int32_t>(64 * line)));
    }
    const std::size_t width = n.columns.size();
    if (n.all_same) {
      load_row(0, assembly(n.pattern), width);
      for (unsigned r = 0; r < lanes_; ++r) store_row_part(to(r), 0, width);
    } else if (width == 1) {
      for (unsigned r = 0; r < lanes_; ++r) {
        a_.vmovsd(x86::xmm(r % 2), assembly(n.columns[0].entry, r));
        a_.vmovsd(to(r), x86::xmm(r % 2));
      }
    } else if (width == 2) {
      two_columns(n, 0, x86::zmm0, x86::zmm1);
      a_.vmovapd(assembly(pairs_), x86::zmm0);  // rows 0, 2, 4, 6
      a_.vmovapd(assembly(pairs_ + 1), x86::zmm1);
      for (unsigned r = 0; r < lanes_; ++r) {
        load_row(r % 2, assembly(pairs_ + r % 2, r / 2 * 2), width);
        store_row_part(to(r), r % 2, width);
      }
    } else {
      four_columns(n, to);
    }
  }
}

void Emitter::load_row(std::uint32_t reg, const Mem& from, std::size_t width) {
  if (width == 1) a_.vmovsd(x86::xmm(reg), from);
  if (width == 2) a_.vmovupd(x86::xmm(reg), from);
  if (width > 2) a_.vmovupd(x86::ymm(reg), from);
}

void Emitter::store_row_part(const Mem& to, std::uint32_t reg, std::size_t width) {
  if (width == 1) a_.vmovsd(to, x86::xmm(reg));
  if (width == 2) a_.vmovupd(to, x86::xmm(reg));
  if (width == 3) a_.k(three).vmovupd(to, x86::ymm(reg));
  if (width == 4) a_.vmovupd(to, x86::ymm(reg));
}

// Columns k and k + 1 side by side: rows 0, 2, 4, 6 and rows 1, 3, 5, 7. One behind the last is the last one again.
void Emitter::two_columns(const Neighbours& n, std::size_t k, const asmjit::x86::Zmm& even,
                          const asmjit::x86::Zmm& odd) {
  const auto column = [&](std::size_t c) -> Mem {
    c = std::min(c, n.columns.size() - 1);
    return n.columns[c].same ? assembly(n.pattern, c)._1to8() : assembly(n.columns[c].entry);
  };
  if (n.columns[k].same) {
    a_.vbroadcastsd(odd, assembly(n.pattern, k));
  } else {
    a_.vmovapd(odd, column(k));
  }
  a_.vunpcklpd(even, odd, column(k + 1));
  a_.vunpckhpd(odd, odd, column(k + 1));
}

// Three or four columns are turned into rows within registers.
template <class RowPlace>
void Emitter::four_columns(const Neighbours& n, const RowPlace& to) {
  std::uint32_t r[7];
  for (std::uint32_t& reg : r) reg = take();
  const auto z = [&](std::size_t i) { return x86::zmm(r[i]); };
  static constexpr std::array<std::uint64_t, 8> low{0, 1, 8, 9, 4, 5, 12, 13};
  static constexpr std::array<std::uint64_t, 8> high{2, 3, 10, 11, 6, 7, 14, 15};
  a_.vmovupd(z(5), x86::ptr(pool_, index_image(low)));
  a_.vmovupd(z(6), x86::ptr(pool_, index_image(high)));
  two_columns(n, 0, z(0), z(1));
  two_columns(n, 2, z(2), z(3));
  // (0, 4), (2, 6) of the even rows, (1, 5), (3, 7) of the odd ones
  for (unsigned odd = 0; odd < 2; ++odd) {
    a_.vmovapd(z(4), z(odd));
    a_.vpermt2pd(z(4), z(5), z(2 + odd));
    a_.vpermt2pd(z(odd), z(6), z(2 + odd));
    for (const auto& [reg, first] : {std::pair(z(4), odd), std::pair(z(odd), odd + 2)}) {
      store_row_part(to(first), reg.id(), n.columns.size());
      if (n.columns.size() == 4) {
        a_.vextractf64x4(to(first + 4), reg, 1);
      } else {
        a_.k(three).vextractf64x4(to(first + 4), reg, 1);
      }
    }
  }
  for (const std::uint32_t reg : r) free_.push_back(reg);
}

// Eight entries at a fixed distance: as many loads as they take, none beyond the last entry.
bool Emitter::pick_apart(Vec target, Operand o) {
  const RowLoop::Place& p = loop_->slots[o.index];
  if (!in_runs() || lanes_ != 8) return false;
  const std::uint32_t step = options_.steps[p.table];
  if (step < 2 || step > most_loads) return false;
  const Gp row = row_pointer(false, p.group, p.table);
  const std::uint32_t last = 7 * step;
  const auto at = [&](std::uint32_t start) { return x86::ptr(row, (p.offset + static_cast<std::int32_t>(start)) * 8); };
  a_.vmovupd(target.zmm(), at(0));
  std::uint32_t found = 0;  // lanes in their place
  for (std::uint32_t k = 1; found < lanes_; ++k) {
    const std::uint32_t start = std::min(8 * k, last - 7);
    std::array<std::uint64_t, 8> index{};
    for (std::uint32_t lane = 0; lane < lanes_; ++lane) {
      const std::uint32_t position = step * lane;
      if (lane < found) {
        index[lane] = lane;
      } else if (k == 1 && position < 8) {
        index[lane] = position;
      } else {
        index[lane] = 8 + std::min<std::uint32_t>(position - start, 7);  // of later loads: whatever
      }
    }
    while (found < lanes_ && step * found < start + 8) ++found;
    indexed_table_ = never;
    a_.vmovupd(x86::zmm1, x86::ptr(pool_, index_image(index)));
    a_.vpermt2pd(target.zmm(), x86::zmm1, at(start));
  }
  return true;
}

// Where the pool has a list of lanes.
std::int32_t Emitter::index_image(const std::array<std::uint64_t, 8>& index) {
  const auto known =
      std::find_if(index_images_.begin(), index_images_.end(), [&](const auto& i) { return i.first == index; });
  if (known != index_images_.end()) return known->second;
  const std::int32_t place = pool_size() + static_cast<std::int32_t>(images_.size() * 8);
  for (const std::uint64_t i : index) images_.push_back(std::bit_cast<double>(i));
  index_images_.emplace_back(index, place);
  return place;
}

}  // namespace boreon::native
