// What depends on parameters alone, apart from the rest.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/error.hpp"
#include "program/passes.hpp"

namespace boreon {
StagedPrograms stage(const Program& program, std::span<const std::string> fixed_groups) {
  std::vector<char> fixed_group(program.inputs.size(), 0);
  for (const std::string& name : fixed_groups) {
    const auto at = std::find_if(program.inputs.begin(), program.inputs.end(), [&](const auto& g) { return g.name == name; });
    if (at == program.inputs.end()) throw Error(ErrorKind::name, fmt::format("the function has no input group '{}'", name));
    fixed_group[static_cast<std::size_t>(at - program.inputs.begin())] = 1;
  }
  const std::size_t n = program.instructions.size();
  std::vector<char> fixed(n, 0);
  const auto is_fixed = [&](Operand o) { return o.space == 0 || (o.space == 1 ? fixed[o.index] != 0 : fixed_group[o.space - 2] != 0); };
  for (std::size_t k = 0; k < n; ++k) {
    const Instruction& i = program.instructions[k];
    bool all = true;
    for_operands(i, [&](Operand o) { all = all && is_fixed(o); });
    if (i.operands == 0) all = k > 0 && fixed[k - 1] != 0;  // the cosine goes with its sine
    fixed[k] = all ? 1 : 0;
  }
  StagedPrograms s;
  s.prepare.constants = program.constants;
  s.main = program;
  for (std::size_t g = 0; g < program.inputs.size(); ++g) {
    if (fixed_group[g] != 0) s.prepare.inputs.push_back(program.inputs[g]);
  }
  std::vector<std::uint32_t> new_group(program.inputs.size(), 0);
  for (std::size_t g = 0, next = 0; g < program.inputs.size(); ++g) {
    if (fixed_group[g] != 0) new_group[g] = static_cast<std::uint32_t>(next++);
  }
  std::vector<std::uint32_t> in_prepare(n, 0);
  const auto moved = [&](Operand o) -> Operand {
    if (o.space == 1) return {1, in_prepare[o.index]};
    return o.space == 0 ? o : Operand{2 + new_group[o.space - 2], o.index};
  };
  for (std::size_t k = 0; k < n; ++k) {
    if (fixed[k] == 0) continue;
    Instruction i = program.instructions[k];
    i.a = moved(i.a);
    i.b = moved(i.b);
    i.c = moved(i.c);
    in_prepare[k] = static_cast<std::uint32_t>(s.prepare.instructions.size());
    s.prepare.instructions.push_back(i);
  }
  // What the rest reads becomes an input of it.
  const auto group = static_cast<std::uint32_t>(2 + program.inputs.size());
  std::vector<std::int64_t> place(n, -1);
  std::vector<Operand> prepared;
  std::vector<std::uint32_t> renamed(n, 0);
  const auto in_main = [&](Operand& o) {
    if (o.space != 1) return;
    if (fixed[o.index] == 0) {
      o.index = renamed[o.index];
      return;
    }
    if (place[o.index] < 0) {
      place[o.index] = static_cast<std::int64_t>(prepared.size());
      prepared.push_back({1, in_prepare[o.index]});
    }
    o = {group, static_cast<std::uint32_t>(place[o.index])};
  };
  std::vector<Instruction> kept;
  for (std::size_t k = 0; k < n; ++k) {
    if (fixed[k] != 0) continue;
    Instruction i = program.instructions[k];
    for (Operand* o : {&i.a, &i.b, &i.c}) in_main(*o);
    renamed[k] = static_cast<std::uint32_t>(kept.size());
    kept.push_back(i);
  }
  s.main.instructions = std::move(kept);
  for (auto& g : s.main.results) std::for_each(g.begin(), g.end(), in_main);
  std::for_each(s.main.scratch.begin(), s.main.scratch.end(), in_main);
  s.prepare.outputs.push_back({"prepared", {}, prepared.size(), std::nullopt});
  s.main.inputs.push_back({"prepared", {}, prepared.size(), std::nullopt});
  for (std::size_t i = 0; i < prepared.size(); ++i) s.main.inputs.back().names.push_back(fmt::format("prepared {}", i));
  s.prepare.results.push_back(std::move(prepared));
  remove_unused(s.prepare);
  return s;
}

}  // namespace boreon
