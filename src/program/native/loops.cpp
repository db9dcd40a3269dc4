// SPDX-License-Identifier: MIT
// What every turn of a loop needs alike is read before it: numbers that are the same for all rows or points, the
// beginnings of groups and tables, and pointers that advance by a fixed distance.
#include <algorithm>

#include "program/native/emitter.hpp"
#include "program/passes.hpp"

namespace boreon::native {

namespace x86 = asmjit::x86;

void Emitter::hoist() {
  if (!machine_.batches.empty()) return;  // calls lose all registers
  hoist_values();
  hoist_pointers();
  // Other registers hold something else when the loop comes round.
  for (Pointer& p : pointers_) {
    if (!p.kept) p = {};
  }
}

const std::uint32_t* Emitter::hoisted(Operand o) const {
  for (const auto& [operand, reg] : hoisted_) {
    if (operand == o) return &reg;
  }
  return nullptr;
}

void Emitter::hoist_values() {
  // How many registers the results need at the same time.
  std::uint32_t live = 0;
  std::uint32_t peak = 0;
  std::vector<std::uint32_t> uses(machine_.sources.size(), 0);
  for (const MachineInstruction& i : machine_.instructions) {
    for (unsigned k = 0; k < i.operands; ++k) {
      const std::uint32_t v = i.value[k];
      if (v >= machine_.results) ++uses[v - machine_.results];
      if (v < machine_.results && i.next[k] == never && std::find(i.value, i.value + k, v) == i.value + k) --live;
    }
    if (machine_.first_use[i.target] != never) ++live;
    if (i.op == MachineOp::sine_cosine && machine_.first_use[i.target + 1] != never) ++live;
    peak = std::max(peak, live + 1);
  }
  std::uint32_t varying = 0;
  struct Candidate {
    std::uint32_t uses;
    std::uint32_t value;  // never: only stored
    Operand operand;
  };
  std::vector<Candidate> candidates;
  for (std::uint32_t s = 0; s < machine_.sources.size(); ++s) {
    const Operand o = machine_.sources[s];
    if (uses[s] == 0) continue;
    if (uniform(o)) {
      candidates.push_back({uses[s], machine_.results + s, o});
    } else if (uses[s] > 1) {
      ++varying;
    }
  }
  for (const Store& s : copied_outputs()) {
    const Operand o = stored(program_, s);
    if (!uniform(o)) continue;
    const auto known =
        std::find_if(candidates.begin(), candidates.end(), [&](const Candidate& c) { return c.operand == o; });
    if (known == candidates.end()) {
      candidates.push_back({1, never, o});
    } else {
      ++known->uses;
    }
  }
  std::stable_sort(candidates.begin(), candidates.end(),
                   [](const Candidate& a, const Candidate& b) { return a.uses > b.uses; });
  constexpr std::uint32_t for_columns = 9;  // what turning columns into rows takes
  const std::uint32_t wanted =
      std::max(peak + std::min<std::uint32_t>(varying, 6) + 4, neighbours_.empty() ? 0 : for_columns);
  const std::uint32_t available = static_cast<std::uint32_t>(free_.size());
  candidates.resize(std::min<std::size_t>(candidates.size(), available > wanted ? available - wanted : 0));
  const auto end = static_cast<std::uint32_t>(machine_.instructions.size());
  for (const Candidate& c : candidates) {
    const std::uint32_t reg = take();
    kept_ |= std::uint32_t{1} << reg;
    hoisted_.emplace_back(c.operand, reg);
    if (lanes_ == 1 && options_.set != InstructionSet::sse2) {
      a_.vbroadcastsd(x86::ymm(reg), source(c.operand));  // neighbours are stored together
      upper_dirty_ = true;
    } else {
      load_numbers(vec(reg), source(c.operand), true);
    }
    if (c.value == never) continue;
    define(c.value, reg);
    where_[c.value].next = end;
  }
  // Nothing that is kept has a last use.
  for (MachineInstruction& i : machine_.instructions) {
    for (unsigned k = 0; k < i.operands; ++k) {
      const std::uint32_t reg = where_[i.value[k]].reg;
      if (i.next[k] == never && reg != never) i.next[k] = end;
    }
  }
  forget_pointers(true);
}

// Reads a pointer and keeps its register.
void Emitter::keep(PointerKey key) {
  const bool row = key.what == Target::input_row || key.what == Target::output_row;
  const bool output = key.what == Target::output_row || key.what == Target::output_group;
  if (key.what == Target::table) {
    const Gp numbers = table_numbers(key.number);
    bool fresh = false;
    a_.mov(pointer(key, fresh), numbers);
  } else {
    (void)(row ? row_pointer(output, key.number, key.table) : group_base(output, key.number));
  }
  for (Pointer& p : pointers_) {
    if (!(p.key == key)) continue;
    p.kept = true;
    if (row) p.step = static_cast<std::int32_t>(loop_->tables[key.table].step * 8);
  }
}

void Emitter::hoist_pointers() {
  if (options_.layout != Layout::rows) return;
  std::vector<PointerKey> tables;
  std::vector<PointerKey> rows;  // that advance by one distance
  std::vector<PointerKey> groups;
  std::vector<PointerKey> found;  // by every row in a table
  const auto add = [](std::vector<PointerKey>& list, PointerKey key) {
    if (std::find(list.begin(), list.end(), key) == list.end()) list.push_back(key);
  };
  const auto place = [&](const RowLoop::Place& p, bool output) {
    const IndexTable& t = loop_->tables[p.table];
    const PointerKey row{output ? Target::output_row : Target::input_row, p.group, p.table};
    const PointerKey group{output ? Target::output_group : Target::input_group, p.group, 0};
    const bool table = !t.entries.empty();
    if (table) add(tables, {Target::table, p.table, 0});
    if (lanes_ == 1 || in_runs()) add(table || lanes_ > 1 ? found : rows, row);
    if (table || lanes_ > 1) add(groups, group);
  };
  const auto read = [&](Operand o) {
    if (o.space >= 2 && !uniform(o)) place(loop_->slots[o.index], false);
  };
  for (const Operand o : machine_.sources) read(o);
  for (const Store& s : copied_outputs()) read(stored(program_, s));
  for (const RowLoop::Place& p : loop_->targets) place(p, true);
  // Some registers stay for what changes from row to row.
  std::size_t room = pointer_count() - std::clamp<std::size_t>(found.size(), 2, 4);
  for (const auto* list : {&tables, &rows, &groups}) {
    for (const PointerKey& key : *list) {
      if (room == 0) return;
      keep(key);
      --room;
    }
  }
}

void Emitter::advance() {
  for (std::size_t i = 0; i < pointers_.size(); ++i) {
    if (pointers_[i].kept && pointers_[i].step != 0) a_.add(general(i), pointers_[i].step);
  }
  a_.add(x86::r14, static_cast<int>(lanes_));
}

}  // namespace boreon::native
