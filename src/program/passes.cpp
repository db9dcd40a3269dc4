// SPDX-License-Identifier: MIT
#include "program/passes.hpp"
#include "program/operand.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <map>

#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"

namespace boreon {

void tidy(Program& program) {
  merge_equal(program);
  join_sine_cosine(program);
  order_for_registers(program);
}

std::vector<char> made_of(const Program& program, const std::function<bool(Operand)>& accepted) {
  std::vector<char> made(program.instructions.size(), 0);
  for (std::size_t k = 0; k < made.size(); ++k) {
    const Instruction& i = program.instructions[k];
    bool all = i.operands > 0 || (k > 0 && made[k - 1] != 0);
    for_operands(i, [&](Operand o) { all = all && (o.space == 1 ? made[o.index] != 0 : accepted(o)); });
    made[k] = all ? 1 : 0;
  }
  return made;
}

std::size_t group_named(const std::vector<Program::Group>& groups, const std::string& name, const char* kind) {
  const auto at = std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return g.name == name; });
  if (at == groups.end()) throw Error(ErrorKind::name, fmt::format("the function has no {} group '{}'", kind, name));
  return static_cast<std::size_t>(at - groups.begin());
}

void reorder(Program& program, const std::vector<std::uint32_t>& order) {
  std::vector<std::uint32_t> renamed(program.instructions.size(), 0);
  for (std::size_t k = 0; k < order.size(); ++k) renamed[order[k]] = static_cast<std::uint32_t>(k);
  std::vector<Instruction> kept;
  kept.reserve(order.size());
  const auto rename = [&](Operand& o) {
    if (o.space == 1) o.index = renamed[o.index];
  };
  for (const std::uint32_t old : order) {
    Instruction i = program.instructions[old];
    rename(i.a);
    rename(i.b);
    rename(i.c);
    kept.push_back(i);
  }
  program.instructions = std::move(kept);
  for (auto& group : program.results) {
    for (Operand& o : group) rename(o);
  }
  for (Operand& o : program.scratch) rename(o);
}

void remove_unused(Program& program) {
  std::vector<char> needed(program.instructions.size(), 0);
  for (const auto& group : program.results) {
    for (const Operand& o : group) {
      if (o.space == 1) needed[o.index] = 1;
    }
  }
  for (const Operand& o : program.scratch) {
    if (o.space == 1) needed[o.index] = 1;
  }
  for (std::size_t k = program.instructions.size(); k-- > 0;) {
    // sine and cosine of one instruction stay together
    const bool pair = program.instructions[k].op == OpCode::sine_cosine;
    if (pair && program.instructions[k].operands == 0 && (needed[k] != 0 || needed[k - 1] != 0))
      needed[k] = needed[k - 1] = 1;
    if (needed[k] == 0) continue;
    for_operands(program.instructions[k], [&](Operand o) {
      if (o.space == 1) needed[o.index] = 1;
    });
  }
  std::vector<std::uint32_t> order;
  for (std::size_t k = 0; k < needed.size(); ++k) {
    if (needed[k] != 0) order.push_back(static_cast<std::uint32_t>(k));
  }
  if (order.size() != program.instructions.size()) reorder(program, order);
}

void merge_equal(Program& program) {
  using Key = std::array<std::uint64_t, 4>;
  std::map<Key, std::uint32_t> known;
  std::map<std::uint64_t, std::uint32_t> constants;
  std::vector<std::uint32_t> same(program.instructions.size());
  const auto rename = [&](Operand& o) {
    if (o.space == 1) o.index = same[o.index];
    if (o.space == 0 && o.index < program.constants.size())
      o.index = constants.emplace(std::bit_cast<std::uint64_t>(program.constants[o.index]), o.index).first->second;
  };
  for (std::size_t k = 0; k < program.instructions.size(); ++k) {
    Instruction& i = program.instructions[k];
    if (i.operands > 0) rename(i.a);
    if (i.operands > 1) rename(i.b);
    if (i.operands > 2) rename(i.c);
    same[k] = static_cast<std::uint32_t>(k);
    if (i.op == OpCode::sine_cosine) {
      // the pair is found again by its first half
      if (i.operands == 0) same[k] = same[k - 1] + 1;
      if (i.operands == 0) continue;
    }
    const Key key{
        (static_cast<std::uint64_t>(i.op) << 32U) | (static_cast<std::uint64_t>(i.function) << 8U) | i.operands,
        packed(i.a), i.operands > 1 ? packed(i.b) : 0, i.operands > 2 ? packed(i.c) : 0};
    same[k] = known.emplace(key, static_cast<std::uint32_t>(k)).first->second;
  }
  for (auto& group : program.results) {
    for (Operand& o : group) rename(o);
  }
  for (Operand& o : program.scratch) rename(o);
  remove_unused(program);
}

void join_sine_cosine(Program& program) {
  static const auto sine = row_number("sin");
  static const auto cosine = row_number("cos");
  struct Pair {
    std::int64_t sin = -1;
    std::int64_t cos = -1;
  };
  std::map<std::pair<std::uint32_t, std::uint32_t>, Pair> pairs;
  for (std::size_t k = 0; k < program.instructions.size(); ++k) {
    const Instruction& i = program.instructions[k];
    if (i.op != OpCode::call) continue;
    if (i.function == sine) pairs[{i.a.space, i.a.index}].sin = static_cast<std::int64_t>(k);
    if (i.function == cosine) pairs[{i.a.space, i.a.index}].cos = static_cast<std::int64_t>(k);
  }
  std::vector<std::int64_t> partner(program.instructions.size(), -1);
  std::vector<char> moved(program.instructions.size(), 0);
  bool any = false;
  for (const auto& [argument, p] : pairs) {
    if (p.sin < 0 || p.cos < 0) continue;
    any = true;
    const auto first = static_cast<std::size_t>(std::min(p.sin, p.cos));
    const auto second = static_cast<std::size_t>(std::max(p.sin, p.cos));
    partner[first] = static_cast<std::int64_t>(second);
    moved[second] = 1;
  }
  if (!any) return;
  std::vector<std::uint32_t> order;
  for (std::size_t k = 0; k < program.instructions.size(); ++k) {
    if (moved[k] != 0) continue;
    if (partner[k] < 0) {
      order.push_back(static_cast<std::uint32_t>(k));
      continue;
    }
    const auto other = static_cast<std::size_t>(partner[k]);
    const std::size_t s = program.instructions[k].function == sine ? k : other;
    const std::size_t c = s == k ? other : k;
    order.push_back(static_cast<std::uint32_t>(s));
    order.push_back(static_cast<std::uint32_t>(c));
    program.instructions[s].op = OpCode::sine_cosine;
    program.instructions[c].op = OpCode::sine_cosine;
    program.instructions[c].operands = 0;
  }
  reorder(program, order);
}

Registers assign_registers(const Program& program) {
  const std::size_t n = program.instructions.size();
  std::vector<std::size_t> last(n, 0);
  for (std::size_t k = 0; k < n; ++k) {
    last[k] = std::max(last[k], k);
    for_operands(program.instructions[k], [&](Operand o) {
      if (o.space == 1) last[o.index] = k;
    });
  }
  for (std::size_t k = 0; k + 1 < n; ++k) {
    // the cosine is written together with the sine, one step earlier than it is numbered
    if (program.instructions[k].op == OpCode::sine_cosine && program.instructions[k].operands == 1)
      last[k] = std::max(last[k], k + 1);
  }
  std::vector<std::vector<std::uint32_t>> ending(n);
  for (std::size_t k = 0; k < n; ++k) ending[last[k]].push_back(static_cast<std::uint32_t>(k));
  Registers r;
  r.of_result.resize(n);
  std::vector<std::uint32_t> free;
  const auto take = [&](std::size_t k) {
    if (free.empty()) free.push_back(r.count++);
    r.of_result[k] = free.back();
    free.pop_back();
  };
  for (std::size_t k = 0; k < n; ++k) {
    const Instruction& i = program.instructions[k];
    const bool pair = i.op == OpCode::sine_cosine;
    if (!pair) {
      // operands that end here may give their register to the result: all reads come before the write
      for (const std::uint32_t e : ending[k]) {
        if (e != k) free.push_back(r.of_result[e]);
      }
      take(k);
      if (last[k] == k) free.push_back(r.of_result[k]);
      continue;
    }
    if (i.operands == 1) {
      take(k);
      take(k + 1);
    }
    for (const std::uint32_t e : ending[k]) {
      if (e <= k) free.push_back(r.of_result[e]);
    }
  }
  return r;
}

std::vector<std::size_t> group_starts(const std::vector<Program::Group>& groups) {
  std::vector<std::size_t> starts{0};
  for (const auto& g : groups) starts.push_back(starts.back() + g.size);
  return starts;
}

std::vector<std::vector<Store>> stores_by_instruction(const Program& program) {
  std::vector<std::vector<Store>> stores(program.instructions.size() + 1);
  for (std::size_t g = 0; g < program.results.size(); ++g) {
    for (std::size_t i = 0; i < program.results[g].size(); ++i) {
      const Operand o = program.results[g][i];
      if (o == Program::by_loop) continue;
      stores[o.space == 1 ? o.index : program.instructions.size()].push_back(
          {static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(i)});
    }
  }
  for (std::size_t i = 0; i < program.scratch.size(); ++i) {
    const Operand o = program.scratch[i];
    stores[o.space == 1 ? o.index : program.instructions.size()].push_back(
        {Program::scratch_group, static_cast<std::uint32_t>(i)});
  }
  return stores;
}

}  // namespace boreon
