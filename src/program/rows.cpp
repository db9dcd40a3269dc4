// Rows of one shape: outputs that are the same expression of different entries.
#include <algorithm>
#include <cstring>
#include <map>
#include <numeric>
#include <optional>
#include <thread>
#include <tuple>
#include <unordered_map>

#include "expr/hash.hpp"
#include "program/passes.hpp"
#include "program/row_shapes.hpp"
#include "program/threads.hpp"

namespace boreon {
namespace {

std::uint64_t hash_of(const std::vector<std::uint64_t>& v) {
  std::uint64_t h = v.size();
  for (const std::uint64_t x : v) h = hash_combine(h, x);
  return h;
}

// All bundles of one shape.
struct Family {
  std::vector<std::uint64_t> tokens;
  std::size_t slots = 0;
  std::vector<std::uint32_t> bundles;
  std::vector<std::uint64_t> entries;  // slots of one bundle after the other
  // Which root of a bundle is root t of the first bundle, where bundles have them in different orders: the list of each
  // bundle, list 0 being the order as it is.
  std::vector<std::uint32_t> order_of;
  std::vector<std::vector<std::uint32_t>> orders{{}};

  [[nodiscard]] std::uint32_t order(std::size_t bundle) const { return order_of.empty() ? 0 : order_of[bundle]; }
  [[nodiscard]] std::uint32_t root(std::size_t bundle, std::uint32_t t) const { return order(bundle) == 0 ? t : orders[order(bundle)][t]; }
};

class Families {
 public:
  std::vector<Family> list;
  std::vector<std::uint32_t> left;  // bundles without a shape

  std::uint32_t add(std::uint32_t bundle, const RowShape& shape) {
    const std::uint32_t id = family(shape.tokens, shape.slots.size());
    list[id].bundles.push_back(bundle);
    list[id].entries.insert(list[id].entries.end(), shape.slots.begin(), shape.slots.end());
    return id;
  }

  void merge(const Families& other) {
    for (const Family& f : other.list) {
      Family& mine = list[family(f.tokens, f.slots)];
      mine.bundles.insert(mine.bundles.end(), f.bundles.begin(), f.bundles.end());
      mine.entries.insert(mine.entries.end(), f.entries.begin(), f.entries.end());
    }
    left.insert(left.end(), other.left.begin(), other.left.end());
  }

 private:
  // The family of that shape, made if there is none.
  std::uint32_t family(const std::vector<std::uint64_t>& tokens, std::size_t slots) {
    const std::uint64_t h = hash_of(tokens);
    const auto [begin, end] = known_.equal_range(h);
    for (auto at = begin; at != end; ++at) {
      if (list[at->second].tokens == tokens && list[at->second].slots == slots) return at->second;
    }
    list.push_back({tokens, slots, {}, {}, {}, {{}}});
    return known_.emplace(h, static_cast<std::uint32_t>(list.size() - 1))->second;
  }
  std::unordered_multimap<std::uint64_t, std::uint32_t> known_;
};

// The output groups that have the same number of rows, walked together in bundles of `period` rows.
struct RowSet {
  std::span<const OutputGroup> outputs;
  std::vector<std::uint32_t> groups;
  std::size_t rows = 0;
  std::size_t period = 1;

  [[nodiscard]] std::size_t bundles() const { return (rows + period - 1) / period; }
  [[nodiscard]] std::pair<std::size_t, std::size_t> range(std::uint32_t group, std::size_t bundle) const {
    const std::size_t begin = bundle * period;
    const std::size_t end = std::min(rows, begin + period);
    const auto& pattern = outputs[group].pattern;
    if (!pattern) return {begin, end};
    return {static_cast<std::size_t>(pattern->row_start[begin]), static_cast<std::size_t>(pattern->row_start[end])};
  }
  // The lengths of the rows belong to the shape: the values must not be told apart by their place alone.
  void roots(std::size_t bundle, std::vector<const Expr*>& list, std::uint64_t& lengths, std::vector<std::uint32_t>* groups_of_roots = nullptr) const {
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
};

Families families_of(const RowSet& set, const NodeMap<Operand>& inputs, std::size_t begin, std::size_t end, std::vector<std::uint32_t>* ids = nullptr) {
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

// Families that differ in the order of terms, factors and roots alone become one: the rows along an edge of a grid, which
// have their neighbours in another order, and all edges among themselves.
void join(const RowSet& set, const NodeMap<Operand>& inputs, Families& families) {
  constexpr std::size_t most_work = 100'000'000;
  if (families.list.size() < 2) return;
  // What most bundles have in common stays what it is, so that it is still the same in all of them.
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
  // Large families first: their order is the one that stays.
  std::vector<std::size_t> by_size(families.list.size());
  std::iota(by_size.begin(), by_size.end(), std::size_t{0});
  std::stable_sort(by_size.begin(), by_size.end(), [&](std::size_t a, std::size_t b) { return families.list[a].bundles.size() > families.list[b].bundles.size(); });
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
    const auto twin = std::find_if(begin, end, [&](const auto& k) { return k.second.arrangement.shape.tokens == a.shape.tokens; });
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
    const auto order = as_is ? 0U : static_cast<std::uint32_t>(std::find(leader.orders.begin() + 1, leader.orders.end(), root_of) - leader.orders.begin());
    if (order == leader.orders.size()) leader.orders.push_back(std::move(root_of));
    for (std::size_t b = 0; b < f.bundles.size(); ++b) {
      leader.bundles.push_back(f.bundles[b]);
      leader.order_of.push_back(order);
      for (std::size_t s = 0; s < f.slots; ++s) leader.entries.push_back(f.entries[b * f.slots + slot_of[s]]);
    }
  }
  families.list = std::move(joined);
}

// The distance at which shapes repeat: several quantities at each place of a grid.
std::size_t period_of(RowSet& set, const NodeMap<Operand>& inputs) {
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
  const std::size_t threads = n > 4096 ? std::min<std::size_t>(8, std::max(1U, std::thread::hardware_concurrency())) : 1;
  std::vector<Families> parts(threads);
  run_in_threads(threads, [&](std::size_t t) { parts[t] = families_of(set, inputs, n * t / threads, n * (t + 1) / threads); });
  for (std::size_t t = 1; t < threads; ++t) parts[0].merge(parts[t]);
  join(set, inputs, parts[0]);
  return std::move(parts[0]);
}

class LoopMaker {
 public:
  LoopMaker(const RowSet& set, std::span<const InputGroup> inputs, const ProgramOptions& options, Program& program)
      : set_(set), inputs_(inputs), options_(options), program_(program) {}

  // Adds loops for a family; bundles that fit into none are appended to `left`.
  void add(const Family& f, std::vector<std::uint32_t>& left) {
    const std::size_t n = f.bundles.size();
    if (n * set_.period < options_.least_rows) {
      left.insert(left.end(), f.bundles.begin(), f.bundles.end());
      return;
    }
    uniform_.assign(f.slots, true);
    for (std::size_t b = 1; b < n; ++b) {
      for (std::size_t s = 0; s < f.slots; ++s) uniform_[s] = uniform_[s] && f.entries[b * f.slots + s] == f.entries[s];
    }
    // Bundles whose entries keep their distances share one table for each group.
    std::map<std::uint64_t, std::vector<std::uint32_t>> by_distance;
    for (std::size_t b = 0; b < n; ++b) by_distance[hash_combine(distances(f, b), f.order(b))].push_back(static_cast<std::uint32_t>(b));
    std::vector<std::uint32_t> rest;
    Program body;
    if (!make_body(f, body)) {
      left.insert(left.end(), f.bundles.begin(), f.bundles.end());
      return;
    }
    for (auto& [key, members] : by_distance) {
      if (members.size() >= std::max<std::size_t>(8, options_.least_rows / 2)) {
        program_.loops.push_back(loop(f, members, true, body));
      } else {
        rest.insert(rest.end(), members.begin(), members.end());
      }
    }
    std::sort(rest.begin(), rest.end());
    if (rest.size() * set_.period >= options_.least_rows / 2 && !rest.empty()) {
      program_.loops.push_back(loop(f, rest, false, body));
    } else {
      for (const std::uint32_t b : rest) left.push_back(f.bundles[b]);
    }
  }

 private:
  std::uint64_t distances(const Family& f, std::size_t b) {
    std::uint64_t h = 0;
    first_.assign(inputs_.size() + 2, ~0ULL);
    for (std::size_t s = 0; s < f.slots; ++s) {
      if (uniform_[s]) continue;
      const std::uint64_t entry = f.entries[b * f.slots + s];
      std::uint64_t& first = first_[entry >> 32U];
      if (first == ~0ULL) first = entry;
      h = hash_combine(h, entry - first);
    }
    return h;
  }

  bool make_body(const Family& f, Program& body) {
    NodeMap<Operand> slots;
    for (std::size_t s = 0; s < f.slots; ++s) {
      const std::uint64_t entry = f.entries[s];
      slots[inputs_[(entry >> 32U) - 2].variables[entry & 0xffffffffU]] = {2, static_cast<std::uint32_t>(s)};
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
    if (!lower(roots, slots, options_.optimise, body, values, [&](Operand o) { return o.space == 2 && uniform_[o.index]; }).empty()) return false;
    body.results.push_back(std::move(values));
    remove_unused(body);
    join_sine_cosine(body);
    return true;
  }

  RowLoop loop(const Family& f, const std::vector<std::uint32_t>& members, bool steady, const Program& body) {
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
      if (t.entries.empty()) return t.step != 0 && t.step == known.step ? std::optional(t.first - known.first) : std::nullopt;
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
      const auto group = static_cast<std::uint32_t>((entry >> 32U) - 2);
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
    const bool one_order = std::all_of(members.begin(), members.end(), [&](std::uint32_t b) { return f.order(b) == f.order(members[0]); });
    std::uint32_t root = 0;  // of the first bundle
    for (const std::uint32_t g : set_.groups) {
      const std::uint32_t before = root;
      const auto [begin, end] = set_.range(g, f.bundles[members[0]]);
      if (begin == end) continue;
      const auto table_of = [&](std::uint32_t t) {
        std::vector<std::uint32_t> entries;
        for (const std::uint32_t b : members) entries.push_back(static_cast<std::uint32_t>(set_.range(g, f.bundles[b]).first) + (one_order ? 0U : f.root(b, t) - before));
        return add_table(index_table(std::move(entries)));
      };
      const auto common = one_order ? table_of(root) : std::pair<std::uint32_t, std::int32_t>();
      for (std::size_t i = 0; i < end - begin; ++i, ++root) {
        const auto [t, offset] = one_order ? common : table_of(root);
        l.targets.push_back({g, t, offset + (one_order ? static_cast<std::int32_t>(f.root(members[0], root) - before) : 0)});
      }
    }
    return l;
  }

  const RowSet& set_;
  std::span<const InputGroup> inputs_;
  const ProgramOptions& options_;
  Program& program_;
  std::vector<bool> uniform_;
  std::vector<std::uint64_t> first_;
};

}  // namespace

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

std::vector<Store> find_rows(std::span<const OutputGroup> outputs, std::span<const InputGroup> inputs, const NodeMap<Operand>& input_values, const ProgramOptions& options,
                             Program& program) {
  std::vector<Store> open;
  std::map<std::size_t, RowSet> sets;
  for (std::size_t g = 0; g < outputs.size(); ++g) {
    const std::size_t rows = outputs[g].pattern ? outputs[g].pattern->rows : outputs[g].values.size();
    if (rows < options.least_rows) {
      for (std::size_t i = 0; i < outputs[g].values.size(); ++i) open.push_back({static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(i)});
      continue;
    }
    RowSet& set = sets[rows];
    set.outputs = outputs;
    set.rows = rows;
    set.groups.push_back(static_cast<std::uint32_t>(g));
  }
  for (auto& [rows, set] : sets) {
    set.period = period_of(set, input_values);
    Families families = read_families(set, input_values);
    LoopMaker maker(set, inputs, options, program);
    for (const Family& f : families.list) maker.add(f, families.left);
    std::sort(families.left.begin(), families.left.end());
    for (const std::uint32_t b : families.left) {
      for (const std::uint32_t g : set.groups) {
        const auto [begin, end] = set.range(g, b);
        for (std::size_t i = begin; i < end; ++i) open.push_back({g, static_cast<std::uint32_t>(i)});
      }
    }
  }
  return open;
}

void hoist_uniform(Program& program, RowLoop& loop) {
  Program& body = loop.body;
  const auto uniform_slot = [&](std::uint32_t slot) {
    const IndexTable& t = loop.tables[loop.slots[slot].table];
    return t.entries.empty() && t.step == 0;
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
