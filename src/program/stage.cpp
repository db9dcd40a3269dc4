// SPDX-License-Identifier: MIT
// A program in two: what depends on parameters alone and the rest; some outputs first and the others later.
#include <fmt/format.h>

#include <algorithm>

#include "boreon/error.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

std::vector<char> named(const std::vector<Program::Group>& groups, std::span<const std::string> names,
                        const char* kind) {
  std::vector<char> chosen(groups.size(), 0);
  for (const std::string& name : names) {
    chosen[group_named(groups, name, kind)] = 1;
  }
  return chosen;
}

struct Halves {
  Program first;   // the early instructions; its last output group has what the second half reads of them
  Program second;  // the other instructions; that group is its last input group
};

// `early` instructions need no other ones; the `early_outputs` are those of the first half.
Halves cut(const Program& program, const std::vector<char>& early, const std::vector<char>& early_outputs,
           const std::string& name) {
  const std::size_t n = program.instructions.size();
  Halves h;
  h.first.constants = h.second.constants = program.constants;
  h.first.inputs = h.second.inputs = program.inputs;
  h.first.functions = h.second.functions = program.functions;
  h.second.loops = program.loops;
  const auto group = static_cast<std::uint32_t>(2 + program.inputs.size());
  std::vector<std::uint32_t> renamed(n, 0);
  std::vector<std::int64_t> place(n, -1);
  std::vector<Operand> kept;
  const auto in_first = [&](Operand& o) {
    if (o.space == 1) o.index = renamed[o.index];
  };
  // What the second half reads of the first becomes an input of it.
  const auto in_second = [&](Operand& o) {
    if (o.space != 1) return;
    if (early[o.index] == 0) {
      o.index = renamed[o.index];
      return;
    }
    if (place[o.index] < 0) {
      place[o.index] = static_cast<std::int64_t>(kept.size());
      kept.push_back({1, renamed[o.index]});
    }
    o = {group, static_cast<std::uint32_t>(place[o.index])};
  };
  for (std::size_t k = 0; k < n; ++k) {
    Instruction i = program.instructions[k];
    for (Operand* o : {&i.a, &i.b, &i.c}) early[k] != 0 ? in_first(*o) : in_second(*o);
    auto& list = early[k] != 0 ? h.first.instructions : h.second.instructions;
    renamed[k] = static_cast<std::uint32_t>(list.size());
    list.push_back(i);
  }
  for (std::size_t g = 0; g < program.outputs.size(); ++g) {
    std::vector<Operand> values = program.results[g];
    const bool first = early_outputs[g] != 0;
    for (Operand& o : values) first ? in_first(o) : in_second(o);
    (first ? h.first : h.second).outputs.push_back(program.outputs[g]);
    (first ? h.first : h.second).results.push_back(std::move(values));
  }
  h.second.scratch = program.scratch;
  h.second.written_scratch = program.written_scratch;
  std::for_each(h.second.scratch.begin(), h.second.scratch.end(), in_second);
  h.first.outputs.push_back({name, {}, kept.size(), std::nullopt});
  h.second.inputs.push_back({name, {}, kept.size(), std::nullopt});
  for (std::size_t i = 0; i < kept.size(); ++i) h.second.inputs.back().names.push_back(fmt::format("{} {}", name, i));
  h.first.results.push_back(std::move(kept));
  remove_unused(h.first);
  return h;
}

}  // namespace

StagedPrograms stage(const Program& program, std::span<const std::string> fixed_groups) {
  const std::vector<char> fixed_group = named(program.inputs, fixed_groups, "input");
  const std::vector<char> fixed =
      made_of(program, [&](Operand o) { return o.space == 0 || fixed_group[o.space - 2] != 0; });
  Halves h = cut(program, fixed, std::vector<char>(program.outputs.size(), 0), "prepared");
  // Only the fixed groups are inputs of the first stage.
  std::vector<std::uint32_t> new_group(program.inputs.size(), 0);
  std::vector<Program::Group> inputs;
  for (std::size_t g = 0; g < program.inputs.size(); ++g) {
    new_group[g] = static_cast<std::uint32_t>(2 + inputs.size());
    if (fixed_group[g] != 0) inputs.push_back(program.inputs[g]);
  }
  h.first.inputs = std::move(inputs);
  for (Instruction& i : h.first.instructions) {
    for (Operand* o : {&i.a, &i.b, &i.c}) {
      if (o->space > 1) o->space = new_group[o->space - 2];
    }
  }
  return {std::move(h.first), std::move(h.second)};
}

SplitPrograms split(const Program& program, std::span<const std::string> first_groups) {
  if (!program.loops.empty()) {
    throw Error(ErrorKind::unsupported,
                "outputs are taken apart in programs without loops over rows: make the program with "
                "ProgramOptions::rows = false");
  }
  const std::vector<char> first = named(program.outputs, first_groups, "output");
  std::vector<char> needed(program.instructions.size(), 0);
  const auto need = [&](Operand o) {
    if (o.space == 1) needed[o.index] = 1;
  };
  for (std::size_t g = 0; g < first.size(); ++g) {
    if (first[g] != 0) std::for_each(program.results[g].begin(), program.results[g].end(), need);
  }
  for (std::size_t k = needed.size(); k-- > 0;) {
    // sine and cosine of one instruction stay together; the sine comes first and has the operand
    const Instruction& i = program.instructions[k];
    if (i.op == OpCode::sine_cosine && i.operands == 0 && (needed[k] != 0 || needed[k - 1] != 0))
      needed[k] = needed[k - 1] = 1;
    if (needed[k] != 0) for_operands(i, need);
  }
  Halves h = cut(program, needed, first, "kept");
  return {std::move(h.first), std::move(h.second)};
}

}  // namespace boreon
