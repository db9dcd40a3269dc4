// SPDX-License-Identifier: MIT
// Outputs that are inputs or constants; neighbours are written together.
#include <algorithm>
#include <tuple>

#include "program/native/emitter.hpp"
#include "program/passes.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;
namespace Inst = x86::Inst;

namespace {

// How many of n neighbours one instruction moves.
std::size_t width_of(std::size_t n) { return n >= 4 ? 4 : n >= 2 ? 2 : 1; }
Inst::Id move_of(std::size_t width) { return width == 1 ? Inst::kIdVmovsd : Inst::kIdVmovupd; }

}  // namespace

std::vector<Store> Emitter::copied_outputs() const {
  std::vector<Store> list;
  for (std::uint32_t l = stores_.head.back(); l != never; l = stores_.links[l].next)
    list.push_back({stores_.links[l].group, stores_.links[l].index});
  return list;
}

void Emitter::store_inputs() {
  std::vector<Store> list = copied_outputs();
  const bool one = lanes_ == 1 && options_.set != InstructionSet::sse2;
  if (one && options_.layout == Layout::rows) return store_row(std::move(list));
  if (one && options_.layout == Layout::point) return store_runs(std::move(list));
  for (const Store& s : list) {
    if (options_.layout == Layout::rows && assembled_[s.index].same) continue;
    const Operand o = stored(program_, s);
    const std::uint32_t* const held = hoisted(o);
    if (held != nullptr) {
      store(s.group, s.index, vec(*held));
      continue;
    }
    const std::uint32_t r = take();  // the scratch registers are what gathering needs
    if (gathered(o)) {
      gather(vec(r), o);
    } else {
      load_numbers(vec(r), source(o), uniform(o));
    }
    store(s.group, s.index, vec(r));
    free_.push_back(r);
  }
}

Emitter::Vec Emitter::neighbours(std::uint32_t reg, std::size_t width) {
  if (width == 4) upper_dirty_ = true;
  return wide(reg, width == 4 ? 4 : 1);
}
void Emitter::load_neighbours(std::uint32_t reg, const Mem& from, std::size_t width) {
  a_.emit(move_of(width), neighbours(reg, width), from);
}
void Emitter::store_neighbours(const Mem& to, std::uint32_t reg, std::size_t width) {
  a_.emit(move_of(width), to, neighbours(reg, width));
}

// One point: neighbours that are copies of neighbours, or constants, which the pool has side by side.
void Emitter::store_runs(std::vector<Store> list) {
  std::sort(list.begin(), list.end(),
            [](const Store& a, const Store& b) { return std::tie(a.group, a.index) < std::tie(b.group, b.index); });
  for (std::size_t i = 0; i < list.size();) {
    const Operand first = stored(program_, list[i]);
    std::size_t run = 1;
    for (; i + run < list.size() && list[i + run].group == list[i].group && list[i + run].index == list[i].index + run;
         ++run) {
      const Operand o = stored(program_, list[i + run]);
      if (o.space != first.space || (o.space != 0 && o.index != first.index + run)) break;
    }
    for (std::size_t done = 0; done < run;) {
      const std::size_t width = width_of(run - done);
      const Operand o = stored(program_, list[i + done]);
      Mem from = source(o);
      if (first.space == 0 && width > 1) {
        from = x86::ptr(pool_, pool_size() + static_cast<std::int32_t>(images_.size() * 8));
        for (std::size_t k = 0; k < width; ++k)
          images_.push_back(program_.constants[stored(program_, list[i + done + k]).index]);
      }
      const Mem to = x86::ptr(group_base(true, list[i].group), static_cast<std::int32_t>((list[i].index + done) * 8));
      load_neighbours(0, from, width);
      store_neighbours(to, 0, width);
      done += width;
    }
    i += run;
  }
}

// Rows one by one: neighbours with the same number, as the constant entries of a row of a Jacobian.
void Emitter::store_row(std::vector<Store> list) {
  const auto place = [&](const Store& s) { return loop_->targets[s.index]; };
  const auto key = [&](const Store& s) {
    const Operand o = stored(program_, s);
    return std::tuple(o.space, o.index, place(s).group, place(s).table, place(s).offset);
  };
  std::sort(list.begin(), list.end(), [&](const auto& a, const auto& b) { return key(a) < key(b); });
  Operand loaded = Program::by_loop;
  for (std::size_t i = 0; i < list.size();) {
    const Operand o = stored(program_, list[i]);
    const RowLoop::Place first = place(list[i]);
    std::size_t run = 1;
    while (uniform(o) && i + run < list.size() && stored(program_, list[i + run]) == o &&
           place(list[i + run]).group == first.group && place(list[i + run]).table == first.table &&
           place(list[i + run]).offset == first.offset + static_cast<std::int32_t>(run)) {
      ++run;
    }
    const std::uint32_t* const held = hoisted(o);
    const std::uint32_t reg = held != nullptr ? *held : 0;
    if (run == 1) {
      if (held == nullptr) load_numbers(vec(0), source(o), false);
      scatter(vec(reg), list[i].index);
      loaded = Program::by_loop;
      ++i;
      continue;
    }
    if (held == nullptr && !(loaded == o)) a_.vbroadcastsd(x86::ymm0, source(o));
    loaded = o;
    upper_dirty_ = true;
    const Gp to = row_pointer(true, first.group, first.table);
    for (std::size_t done = 0; done < run;) {
      const Mem there = x86::ptr(to, static_cast<std::int32_t>((first.offset + static_cast<std::int32_t>(done)) * 8));
      const std::size_t width = width_of(run - done);
      store_neighbours(there, reg, width);
      done += width;
    }
    i += run;
  }
}

}  // namespace boreon::native
