// SPDX-License-Identifier: MIT
#include "program/row_families.hpp"

#include <algorithm>
#include <numeric>
#include <thread>

#include "expr/hash.hpp"
#include "program/passes.hpp"
#include "program/threads.hpp"

namespace boreon {
namespace {

std::uint64_t hash_of(const std::vector<std::uint64_t>& v) {
  std::uint64_t h = v.size();
  for (const std::uint64_t x : v) h = hash_combine(h, x);
  return h;
}

}  // namespace

std::uint32_t RowSources::group(std::uint64_t entry) const {
  const auto space = static_cast<std::uint32_t>(entry >> 32U);
  return space == sum_space() ? written_group : space - 2;
}

std::uint32_t Families::add(std::uint32_t bundle, const RowShape& shape) {
  const std::uint32_t id = family(shape.tokens, shape.slots.size());
  list[id].bundles.push_back(bundle);
  list[id].entries.insert(list[id].entries.end(), shape.slots.begin(), shape.slots.end());
  return id;
}

void Families::merge(const Families& other) {
  for (const Family& f : other.list) {
    Family& mine = list[family(f.tokens, f.slots)];
    mine.bundles.insert(mine.bundles.end(), f.bundles.begin(), f.bundles.end());
    mine.entries.insert(mine.entries.end(), f.entries.begin(), f.entries.end());
  }
  left.insert(left.end(), other.left.begin(), other.left.end());
}

// The family of that shape, made if there is none.
std::uint32_t Families::family(const std::vector<std::uint64_t>& tokens, std::size_t slots) {
  const std::uint64_t h = hash_of(tokens);
  const auto [begin, end] = known_.equal_range(h);
  for (auto at = begin; at != end; ++at) {
    if (list[at->second].tokens == tokens && list[at->second].slots == slots) return at->second;
  }
  list.push_back({tokens, slots, {}, {}, {}, {{}}});
  return known_.emplace(h, static_cast<std::uint32_t>(list.size() - 1))->second;
}

void RowSet::roots(std::size_t bundle, std::vector<const Expr*>& list, std::uint64_t& lengths,
                   std::vector<std::uint32_t>* groups_of_roots) const {
  list.clear();
  lengths = 0;
  if (groups_of_roots != nullptr) groups_of_roots->clear();
  for (const std::uint32_t g : groups) {
    const auto [begin, end] = range(g, bundle);
    lengths = hash_combine(lengths, end - begin);
    for (std::size_t i = begin; i < end; ++i) list.push_back(&outputs[g].values[i]);
    if (groups_of_roots != nullptr) groups_of_roots->insert(groups_of_roots->end(), end - begin, g);
  }
}

namespace {

Families families_of(const RowSet& set, const NodeMap<Operand>& inputs, std::size_t begin, std::size_t end,
                     std::vector<std::uint32_t>* ids = nullptr) {
  Families result;
  ShapeReader reader(inputs);
  RowShape shape;
  std::vector<const Expr*> roots;
  for (std::size_t b = begin; b < end; ++b) {
    std::uint64_t lengths = 0;
    set.roots(b, roots, lengths);
    const bool good = reader.read(roots, shape);
    if (good) {
      shape.tokens.push_back(lengths);
      const std::uint32_t id = result.add(static_cast<std::uint32_t>(b), shape);
      if (ids != nullptr) ids->push_back(id);
    } else {
      result.left.push_back(static_cast<std::uint32_t>(b));
      if (ids != nullptr) ids->push_back(0xffffffffU);
    }
  }
  return result;
}

// What most bundles have in common stays what it is, so that it is still the same in all of them.
std::vector<std::uint64_t> common_entries(const RowSet& set, const Families& families) {
  std::unordered_map<std::uint64_t, std::size_t> count;
  for (const Family& f : families.list) {
    for (std::size_t s = 0; s < f.slots; ++s) {
      const std::uint64_t entry = f.entries[s];
      bool same = true;
      for (std::size_t b = 1; same && b < f.bundles.size(); ++b) same = f.entries[b * f.slots + s] == entry;
      if (same && f.bundles.size() > 1) count[entry] += f.bundles.size();
    }
  }
  std::vector<std::uint64_t> fixed;
  for (const auto& [entry, bundles] : count) {
    if (2 * bundles > set.bundles()) fixed.push_back(entry);
  }
  std::sort(fixed.begin(), fixed.end());
  return fixed;
}

// Families that differ in the order of terms, factors and roots alone become one: the rows along an edge of a grid,
// which have their neighbours in another order, and all edges among themselves.
void join(const RowSet& set, const NodeMap<Operand>& inputs, Families& families) {
  constexpr std::size_t most_work = 100'000'000;
  if (families.list.size() < 2) return;
  const std::vector<std::uint64_t> fixed = common_entries(set, families);
  // Large families first: their order is the one that stays.
  std::vector<std::size_t> by_size(families.list.size());
  std::iota(by_size.begin(), by_size.end(), std::size_t{0});
  std::stable_sort(by_size.begin(), by_size.end(), [&](std::size_t a, std::size_t b) {
    return families.list[a].bundles.size() > families.list[b].bundles.size();
  });
  struct Known {
    Arrangement arrangement;
    std::uint32_t family;
    std::vector<std::uint32_t> slot_order;
  };
  std::unordered_multimap<std::uint64_t, Known> known;
  std::vector<Family> joined;
  ShapeReader reader(inputs);
  RowShape shape;
  std::vector<const Expr*> roots;
  std::vector<std::uint32_t> groups;
  std::size_t work = 0;
  for (const std::size_t at : by_size) {
    Family& f = families.list[at];
    std::uint64_t lengths = 0;
    set.roots(f.bundles[0], roots, lengths, &groups);
    if (work > most_work || !reader.read(roots, shape)) {
      joined.push_back(std::move(f));
      continue;
    }
    work += reader.size() * (shape.slots.size() + 1);
    Arrangement a = reader.arrange(groups, fixed);
    // slot k of the arrangement is slot slot_order[k] of the family
    std::unordered_map<std::uint64_t, std::uint32_t> place;
    for (std::uint32_t s = 0; s < f.slots; ++s) place[f.entries[s]] = s;
    std::vector<std::uint32_t> slot_order;
    for (const std::uint64_t entry : a.shape.slots) slot_order.push_back(place.at(entry));
    const std::uint64_t hash = hash_of(a.shape.tokens);
    const auto [begin, end] = known.equal_range(hash);
    const auto twin =
        std::find_if(begin, end, [&](const auto& k) { return k.second.arrangement.shape.tokens == a.shape.tokens; });
    if (twin == end) {
      known.emplace(hash, Known{std::move(a), static_cast<std::uint32_t>(joined.size()), std::move(slot_order)});
      joined.push_back(std::move(f));
      continue;
    }
    const Known& k = twin->second;
    Family& leader = joined[k.family];
    std::vector<std::uint32_t> slot_of(f.slots);
    for (std::size_t i = 0; i < f.slots; ++i) slot_of[k.slot_order[i]] = slot_order[i];
    std::vector<std::uint32_t> root_of(roots.size());
    for (std::size_t i = 0; i < root_of.size(); ++i) root_of[k.arrangement.roots[i]] = a.roots[i];
    const bool as_is = std::is_sorted(root_of.begin(), root_of.end());
    leader.order_of.resize(leader.bundles.size(), 0);
    const auto order =
        as_is ? 0U
              : static_cast<std::uint32_t>(std::find(leader.orders.begin() + 1, leader.orders.end(), root_of) -
                                           leader.orders.begin());
    if (order == leader.orders.size()) leader.orders.push_back(std::move(root_of));
    for (std::size_t b = 0; b < f.bundles.size(); ++b) {
      leader.bundles.push_back(f.bundles[b]);
      leader.order_of.push_back(order);
      for (std::size_t s = 0; s < f.slots; ++s) leader.entries.push_back(f.entries[b * f.slots + slot_of[s]]);
    }
  }
  families.list = std::move(joined);
}

}  // namespace

// The distance at which shapes repeat: several quantities at each place of a grid.
std::size_t period_of(const RowSet& set, const NodeMap<Operand>& inputs) {
  std::vector<std::uint32_t> ids;
  const std::size_t begin = set.rows / 3;
  (void)families_of(set, inputs, begin, std::min(set.rows, begin + 512), &ids);
  for (std::size_t p = 1; p <= 32; ++p) {
    std::size_t same = 0;
    for (std::size_t i = p; i < ids.size(); ++i) same += ids[i] == ids[i - p] ? 1U : 0U;
    if (same * 10 > (ids.size() - p) * 7) return set.rows % p == 0 ? p : 1;
  }
  return 1;
}

Families read_families(const RowSet& set, const NodeMap<Operand>& inputs) {
  const std::size_t n = set.bundles();
  const std::size_t threads =
      n > 4096 ? std::min<std::size_t>(8, std::max(1U, std::thread::hardware_concurrency())) : 1;
  std::vector<Families> parts(threads);
  run_in_threads(threads,
                 [&](std::size_t t) { parts[t] = families_of(set, inputs, n * t / threads, n * (t + 1) / threads); });
  for (std::size_t t = 1; t < threads; ++t) parts[0].merge(parts[t]);
  join(set, inputs, parts[0]);
  return std::move(parts[0]);
}

}  // namespace boreon
