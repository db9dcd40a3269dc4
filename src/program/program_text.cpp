// SPDX-License-Identifier: MIT
// A program as text, one instruction a line, and what it consists of.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <map>

#include "boreon/catalogue.hpp"
#include "boreon/program.hpp"
#include "program/emit_body.hpp"

namespace boreon {
namespace {

std::string_view name_of(OpCode op) {
  static constexpr std::string_view names[] = {
      "add",  "subtract",   "multiply", "divide",    "negate",      "sqrt",        "power",    "call",  "sincos",
      "less", "less_equal", "equal",    "not_equal", "conjunction", "disjunction", "negation", "select"};
  return names[static_cast<std::size_t>(op)];
}

void write(const Program& p, std::string& text, const std::string& indent) {
  const auto operand = [&](Operand o) -> std::string {
    if (o.space == 0) return number_literal(p.constants[o.index]);
    if (o.space == 1) return fmt::format("v{}", o.index);
    return fmt::format("{}[{}]", p.inputs[o.space - 2].name, o.index);
  };
  for (std::size_t k = 0; k < p.instructions.size(); ++k) {
    const Instruction& i = p.instructions[k];
    if (i.operands == 0) continue;
    std::string line = i.op == OpCode::sine_cosine
                           ? fmt::format("v{}, v{} = sincos", k, k + 1)
                           : fmt::format("v{} = {}", k, i.op == OpCode::call ? row_of(i.function).name : name_of(i.op));
    line += " " + operand(i.a);
    if (i.operands > 1) line += ", " + operand(i.b);
    if (i.operands > 2) line += ", " + operand(i.c);
    text += indent + line + "\n";
  }
  for (std::size_t i = 0; i < p.scratch.size(); ++i)
    text += fmt::format("{}once[{}] = {}\n", indent, i, operand(p.scratch[i]));
  for (std::size_t g = 0; g < p.results.size(); ++g) {
    for (std::size_t i = 0; i < p.results[g].size(); ++i) {
      if (!(p.results[g][i] == Program::by_loop))
        text += fmt::format("{}{}[{}] = {}\n", indent, p.outputs[g].name, i, operand(p.results[g][i]));
    }
  }
}

void count(const Program& p, std::size_t times, std::map<std::string, std::size_t>& counts) {
  for (const Instruction& i : p.instructions) {
    if (i.operands > 0) counts[std::string(i.op == OpCode::call ? row_of(i.function).name : name_of(i.op))] += times;
  }
  for (const RowLoop& l : p.loops) count(l.body, times * l.rows, counts);
}

}  // namespace

std::string to_text(const Program& program) {
  std::string text;
  write(program, text, "");
  for (std::size_t n = 0; n < program.loops.size(); ++n) {
    const RowLoop& l = program.loops[n];
    text += fmt::format("for {} rows:\n", l.rows);
    const auto place = [&](const RowLoop::Place& p, const std::vector<Program::Group>& groups) {
      const IndexTable& t = l.tables[p.table];
      const std::string group = p.group == Program::scratch_group ? "once" : groups[p.group].name;
      if (!t.entries.empty()) return fmt::format("{}[table {}{:+}]", group, p.table, p.offset);
      return t.step == 0 ? fmt::format("{}[{}]", group, t.first + static_cast<std::int64_t>(p.offset))
                         : fmt::format("{}[{}*row{:+}]", group, t.step, t.first + static_cast<std::int64_t>(p.offset));
    };
    for (std::size_t s = 0; s < l.slots.size(); ++s)
      text += fmt::format("  entry[{}] is {}\n", s, place(l.slots[s], program.inputs));
    write(l.body, text, "  ");
    for (std::size_t t = 0; t < l.targets.size(); ++t)
      text += fmt::format("  row[{}] goes to {}\n", t, place(l.targets[t], program.outputs));
  }
  return text;
}

std::vector<std::pair<std::string, std::size_t>> operation_table(const Program& program) {
  std::map<std::string, std::size_t> counts;
  count(program, 1, counts);
  return {counts.begin(), counts.end()};
}

}  // namespace boreon
