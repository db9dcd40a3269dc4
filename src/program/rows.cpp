// SPDX-License-Identifier: MIT
// Outputs of one shape on different entries become loops over rows.
#include <algorithm>
#include <map>

#include "program/passes.hpp"
#include "program/reductions.hpp"
#include "program/row_loops.hpp"

namespace boreon {

IndexTable index_table(std::vector<std::uint32_t> entries) {
  IndexTable t;
  t.first = entries[0];
  t.step = entries.size() > 1 ? entries[1] - entries[0] : 0;
  const bool backwards = entries.size() > 1 && entries[1] < entries[0];
  for (std::size_t i = 0; i < entries.size(); ++i) {
    if (backwards || entries[i] != t.first + t.step * static_cast<std::uint32_t>(i)) {
      t.entries = std::move(entries);
      break;
    }
  }
  return t;
}

namespace {

// The values of bundles.
std::vector<Expr> values_of(const RowSet& set, const std::vector<std::uint32_t>& bundles) {
  std::vector<Expr> values;
  for (const std::uint32_t b : bundles) {
    for (const std::uint32_t g : set.groups) {
      const auto [begin, end] = set.range(g, b);
      values.insert(values.end(), set.outputs[g].values.begin() + static_cast<std::ptrdiff_t>(begin),
                    set.outputs[g].values.begin() + static_cast<std::ptrdiff_t>(end));
    }
  }
  return values;
}

Families families_by_period(RowSet& set, const NodeMap<Operand>& operands) {
  set.period = period_of(set, operands);
  return read_families(set, operands);
}

}  // namespace

std::vector<Store> find_rows(std::span<const OutputGroup> outputs, RowSources& sources, const ProgramOptions& options,
                             Program& program) {
  std::vector<Store> open;
  std::map<std::size_t, RowSet> sets;
  for (std::size_t g = 0; g < outputs.size(); ++g) {
    const std::size_t rows = outputs[g].pattern ? outputs[g].pattern->rows : outputs[g].values.size();
    if (rows < options.least_rows) {
      for (std::size_t i = 0; i < outputs[g].values.size(); ++i)
        open.push_back({static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(i)});
      find_reductions(outputs[g].values, options, sources, program);
      continue;
    }
    RowSet& set = sets[rows];
    set.outputs = outputs;
    set.rows = rows;
    set.groups.push_back(static_cast<std::uint32_t>(g));
  }
  for (auto& [rows, set] : sets) {
    Families families = families_by_period(set, sources.operands);
    // Rows too long for a shape may be so because of a sum.
    if (!families.left.empty() && find_reductions(values_of(set, families.left), options, sources, program))
      families = families_by_period(set, sources.operands);
    LoopMaker maker(set, sources, options, program);
    for (const Family& f : families.list) maker.add(f, families.left);
    std::sort(families.left.begin(), families.left.end());
    for (const std::uint32_t b : families.left) {
      for (const std::uint32_t g : set.groups) {
        const auto [begin, end] = set.range(g, b);
        for (std::size_t i = begin; i < end; ++i) open.push_back({g, static_cast<std::uint32_t>(i)});
      }
    }
  }
  return finish_reductions(outputs, std::move(open), options, sources, program);
}

void hoist_uniform(Program& program, RowLoop& loop) {
  Program& body = loop.body;
  const auto uniform_slot = [&](std::uint32_t slot) {
    const IndexTable& t = loop.tables[loop.slots[slot].table];
    return t.entries.empty() && t.step == 0 && loop.slots[slot].group != written_group;
  };
  const std::vector<char> uniform = made_of(body, [&](Operand o) { return o.space == 0 || uniform_slot(o.index); });
  if (std::find(uniform.begin(), uniform.end(), 1) == uniform.end()) return;
  std::vector<std::uint32_t> moved(body.instructions.size(), 0);
  std::map<std::uint32_t, std::uint32_t> slot_of;  // instruction of the body to its new slot
  const auto translate = [&](Operand o) -> Operand {
    if (o.space == 1) return {1, moved[o.index]};
    if (o.space == 0) {
      program.constants.push_back(body.constants[o.index]);
      return {0, static_cast<std::uint32_t>(program.constants.size() - 1)};
    }
    const RowLoop::Place& p = loop.slots[o.index];
    const auto entry = static_cast<std::uint32_t>(loop.entry(p, 0));
    return p.group == Program::scratch_group ? program.scratch[entry] : Operand{2 + p.group, entry};
  };
  for (std::size_t k = 0; k < body.instructions.size(); ++k) {
    if (uniform[k] == 0) continue;
    Instruction i = body.instructions[k];
    if (i.operands > 0) i.a = translate(i.a);
    if (i.operands > 1) i.b = translate(i.b);
    if (i.operands > 2) i.c = translate(i.c);
    moved[k] = static_cast<std::uint32_t>(program.instructions.size());
    program.instructions.push_back(i);
  }
  const auto use = [&](Operand& o) {
    if (o.space != 1 || uniform[o.index] == 0) return;
    const auto [at, fresh] = slot_of.emplace(o.index, static_cast<std::uint32_t>(loop.slots.size()));
    if (fresh) {
      loop.tables.push_back({static_cast<std::uint32_t>(program.scratch.size()), 0, {}});
      program.scratch.push_back({1, moved[o.index]});
      loop.slots.push_back({Program::scratch_group, static_cast<std::uint32_t>(loop.tables.size() - 1), 0});
      ++body.inputs[0].size;
    }
    o = {2, at->second};
  };
  for (std::size_t k = 0; k < body.instructions.size(); ++k) {
    if (uniform[k] != 0) continue;
    use(body.instructions[k].a);
    use(body.instructions[k].b);
    use(body.instructions[k].c);
  }
  for (Operand& o : body.results[0]) use(o);
  remove_unused(body);
}

}  // namespace boreon
