// SPDX-License-Identifier: MIT
#include "program/row_loops.hpp"

#include <algorithm>
#include <map>
#include <optional>
#include <tuple>

#include "expr/hash.hpp"
#include "program/passes.hpp"

namespace boreon {

void LoopMaker::add(const Family& f, std::vector<std::uint32_t>& left) {
  const std::size_t n = f.bundles.size();
  // The edges of what is a loop anyway are loops too when they are shorter.
  const std::size_t least = std::max<std::size_t>(8, options_.least_rows / 4);
  if (n < least) {
    left.insert(left.end(), f.bundles.begin(), f.bundles.end());
    return;
  }
  uniform_.assign(f.slots, true);
  for (std::size_t b = 1; b < n; ++b) {
    for (std::size_t s = 0; s < f.slots; ++s) uniform_[s] = uniform_[s] && f.entries[b * f.slots + s] == f.entries[s];
  }
  // Bundles whose entries keep their distances share one table for each group.
  std::map<std::uint64_t, std::vector<std::uint32_t>> by_distance;
  for (std::size_t b = 0; b < n; ++b)
    by_distance[hash_combine(distances(f, b), f.order(b))].push_back(static_cast<std::uint32_t>(b));
  std::vector<std::uint32_t> rest;
  Program body;
  if (!make_body(f, body)) {
    left.insert(left.end(), f.bundles.begin(), f.bundles.end());
    return;
  }
  for (auto& [key, members] : by_distance) {
    if (members.size() >= least) {
      program_.loops.push_back(loop(f, members, true, body));
    } else {
      rest.insert(rest.end(), members.begin(), members.end());
    }
  }
  std::sort(rest.begin(), rest.end());
  if (rest.size() >= least) {
    program_.loops.push_back(loop(f, rest, false, body));
  } else {
    for (const std::uint32_t b : rest) left.push_back(f.bundles[b]);
  }
}

std::uint64_t LoopMaker::distances(const Family& f, std::size_t b) {
  std::uint64_t h = 0;
  first_.assign(sources_.inputs.size() + 3, ~0ULL);
  for (std::size_t s = 0; s < f.slots; ++s) {
    if (uniform_[s]) continue;
    const std::uint64_t entry = f.entries[b * f.slots + s];
    std::uint64_t& first = first_[entry >> 32U];
    if (first == ~0ULL) first = entry;
    h = hash_combine(h, entry - first);
  }
  return h;
}

bool LoopMaker::make_body(const Family& f, Program& body) {
  NodeMap<Operand> slots;
  for (std::size_t s = 0; s < f.slots; ++s) {
    const std::uint64_t entry = f.entries[s];
    slots[sources_.expression(entry)] = {2, static_cast<std::uint32_t>(s)};
  }
  std::vector<const Expr*> list;
  std::uint64_t lengths = 0;
  set_.roots(f.bundles[0], list, lengths);
  std::vector<Expr> roots;
  roots.reserve(list.size());
  for (const Expr* e : list) roots.push_back(*e);
  body.inputs.push_back({"entry", {}, f.slots, std::nullopt});
  body.outputs.push_back({"row", {}, roots.size(), std::nullopt});
  std::vector<Operand> values;
  if (!lower(roots, slots, options_.optimise, body, values, [&](Operand o) {
         return o.space == 2 && uniform_[o.index];
       }).empty())
    return false;
  body.results.push_back(std::move(values));
  remove_unused(body);
  join_sine_cosine(body);
  return true;
}

RowLoop LoopMaker::loop(const Family& f, const std::vector<std::uint32_t>& members, bool steady, const Program& body) {
  RowLoop l;
  l.rows = members.size();
  l.body = body;
  const auto column = [&](std::size_t slot) {
    std::vector<std::uint32_t> entries;
    entries.reserve(members.size());
    for (const std::uint32_t b : members) entries.push_back(static_cast<std::uint32_t>(f.entries[b * f.slots + slot]));
    return index_table(std::move(entries));
  };
  // A table of numbers that differ from those of another by one distance is that one: it is read once for both.
  const auto apart = [](const IndexTable& t, const IndexTable& known) -> std::optional<std::uint32_t> {
    if (t.entries.size() != known.entries.size()) return std::nullopt;
    if (t.entries.empty())
      return t.step != 0 && t.step == known.step ? std::optional(t.first - known.first) : std::nullopt;
    const std::uint32_t d = t.entries[0] - known.entries[0];
    for (std::size_t i = 1; i < t.entries.size(); ++i) {
      if (t.entries[i] - known.entries[i] != d) return std::nullopt;
    }
    return d;
  };
  const auto add_table = [&](IndexTable t) -> std::pair<std::uint32_t, std::int32_t> {
    for (std::size_t k = 0; k < l.tables.size(); ++k) {
      if (const auto d = apart(t, l.tables[k])) return {static_cast<std::uint32_t>(k), static_cast<std::int32_t>(*d)};
    }
    l.tables.push_back(std::move(t));
    return {static_cast<std::uint32_t>(l.tables.size() - 1), 0};
  };
  struct Shared {
    std::uint32_t table;
    std::int32_t offset;
    std::size_t slot;  // it was made for
  };
  std::map<std::uint32_t, Shared> of_group;
  for (std::size_t s = 0; s < f.slots; ++s) {
    const std::uint64_t entry = f.entries[members[0] * f.slots + s];
    const std::uint32_t group = sources_.group(entry);
    if (!steady || uniform_[s]) {
      const auto [t, offset] = add_table(column(s));
      l.slots.push_back({group, t, offset});
      continue;
    }
    const auto [at, fresh] = of_group.emplace(group, Shared{0, 0, s});
    if (fresh) std::tie(at->second.table, at->second.offset) = add_table(column(s));
    const std::uint64_t base = f.entries[members[0] * f.slots + at->second.slot];
    const auto distance = static_cast<std::int32_t>(static_cast<std::int64_t>(entry) - static_cast<std::int64_t>(base));
    l.slots.push_back({group, at->second.table, at->second.offset + distance});
  }
  const bool one_order =
      std::all_of(members.begin(), members.end(), [&](std::uint32_t b) { return f.order(b) == f.order(members[0]); });
  std::uint32_t root = 0;  // of the first bundle
  for (const std::uint32_t g : set_.groups) {
    const std::uint32_t before = root;
    const auto [begin, end] = set_.range(g, f.bundles[members[0]]);
    if (begin == end) continue;
    const auto table_of = [&](std::uint32_t t) {
      std::vector<std::uint32_t> entries;
      for (const std::uint32_t b : members)
        entries.push_back(set_.written_at.value_or(0) + static_cast<std::uint32_t>(set_.range(g, f.bundles[b]).first) +
                          (one_order ? 0U : f.root(b, t) - before));
      return add_table(index_table(std::move(entries)));
    };
    const auto common = one_order ? table_of(root) : std::pair<std::uint32_t, std::int32_t>();
    for (std::size_t i = 0; i < end - begin; ++i, ++root) {
      const auto [t, offset] = one_order ? common : table_of(root);
      l.targets.push_back({set_.written_at ? written_group : g, t,
                           offset + (one_order ? static_cast<std::int32_t>(f.root(members[0], root) - before) : 0)});
    }
  }
  return l;
}

}  // namespace boreon
