// Rows of one shape: outputs that are the same expression of different entries.
#include <algorithm>
#include <cstring>
#include <map>
#include <numeric>
#include <optional>
#include <thread>
#include <tuple>
#include <unordered_map>

#include "boreon/catalogue.hpp"
#include "expr/hash.hpp"
#include "program/passes.hpp"
#include "program/threads.hpp"

namespace boreon {
namespace {

constexpr std::size_t largest_row = 4096;  // nodes; larger rows are written out
constexpr unsigned deepest_row = 200;

std::uint64_t packed(Operand o) { return (static_cast<std::uint64_t>(o.space) << 32U) | o.index; }

// What a bundle of rows looks like when entries are blind: two bundles with the same tokens are the same program on
// different entries, listed in `slots` in the order in which the tokens meet them.
struct Shape {
  std::vector<std::uint64_t> tokens;
  std::vector<std::uint64_t> slots;
};

class ShapeReader {
 public:
  explicit ShapeReader(const NodeMap<Operand>& inputs) : inputs_(inputs), memo_(memo_size) {}

  // False if the bundle cannot be part of a loop.
  bool read(std::span<const Expr* const> roots, Shape& shape) {
    ++generation_;
    nodes_.clear();
    children_.clear();
    shape.tokens.clear();
    shape.slots.clear();
    roots_.clear();
    for (const Expr* root : roots) {
      const std::uint32_t id = build(*root, 0);
      if (id == none) return false;
      roots_.push_back(id);
    }
    for (const std::uint32_t id : roots_) write(id, shape);
    return true;
  }

 private:
  static constexpr std::uint32_t none = 0xffffffffU;
  static constexpr std::size_t memo_size = 4 * largest_row;

  struct Node {
    std::uint64_t hash = 0;     // of everything below, entries blind
    std::uint64_t own = 0;      // of the node alone
    std::uint64_t low = ~0ULL;  // the least entry below: decides between operands that look the same
    std::uint32_t first_child = 0;
    std::uint32_t children = 0;
    std::uint32_t number = none;  // when written
    bool entry = false;
  };
  struct Memo {
    std::uintptr_t key = 0;
    std::uint32_t generation = 0;
    std::uint32_t id = 0;
  };

  Memo& memo(std::uintptr_t key) {
    std::size_t at = static_cast<std::size_t>((key * 0x9e3779b97f4a7c15ULL) >> 32U) % memo_size;
    while (memo_[at].generation == generation_ && memo_[at].key != key) at = (at + 1) % memo_size;
    return memo_[at];
  }

  // The local node of an expression.
  std::uint32_t build(const Expr& e, unsigned depth) {
    const Kind kind = e.kind();
    if (kind == Kind::number) return add({mix(e.hash()), mix(e.hash()), ~0ULL, 0, 0, none, false});
    Memo& known = memo(e.bits());
    if (known.generation == generation_) return known.id;
    if (nodes_.size() >= largest_row || depth > deepest_row) return none;
    std::uint32_t id = none;
    if (kind == Kind::symbol || kind == Kind::unknown_call) {
      if (const Operand* o = inputs_.find(e); o != nullptr) {
        id = add({mix(o->space), mix(o->space), packed(*o), 0, 0, none, true});
      } else {
        return none;
      }
    } else if (kind == Kind::constant) {
      id = add({e.hash(), e.hash(), ~0ULL, 0, 0, none, false});
    } else {
      id = inner(e, kind, depth);
    }
    if (id == none) return none;
    Memo& slot = memo(e.bits());  // building may have moved the place
    slot = {e.bits(), generation_, id};
    return id;
  }

  std::uint32_t inner(const Expr& e, Kind kind, unsigned depth) {
    std::uint64_t own = mix(static_cast<std::uint64_t>(kind));
    if (kind == Kind::call) own = hash_combine(own, row_number(e.function()));
    if (kind == Kind::relation) own = hash_combine(own, static_cast<std::uint64_t>(e.relation_op()));
    if (kind == Kind::logic) own = hash_combine(own, static_cast<std::uint64_t>(e.logic_op()));
    if (kind == Kind::derivative || kind == Kind::integral || kind == Kind::summation || kind == Kind::limit) return none;
    const auto operands = e.operands();
    own = hash_combine(own, operands.size());
    const bool pairs = kind == Kind::sum || kind == Kind::product;
    const std::size_t start = pending_.size();
    for (const Expr& o : operands) {
      const std::uint32_t child = build(o, depth + 1);
      if (child == none) {
        pending_.resize(start);
        return none;
      }
      pending_.push_back(child);
    }
    const std::span<std::uint32_t> mine(pending_.data() + start, operands.size());
    if (pairs && operands.size() > 3) {
      // order of the pairs by what they look like, not by what they are called
      pairs_.clear();
      for (std::size_t i = 1; i + 1 < mine.size(); i += 2) {
        pairs_.push_back({hash_combine(nodes_[mine[i]].hash, nodes_[mine[i + 1]].hash), std::min(nodes_[mine[i]].low, nodes_[mine[i + 1]].low), mine[i], mine[i + 1]});
      }
      std::sort(pairs_.begin(), pairs_.end(), [](const auto& x, const auto& y) { return x.hash != y.hash ? x.hash < y.hash : x.low < y.low; });
      for (std::size_t i = 0; i < pairs_.size(); ++i) {
        mine[1 + 2 * i] = pairs_[i].a;
        mine[2 + 2 * i] = pairs_[i].b;
      }
    }
    Node n;
    n.own = own;
    n.hash = own;
    n.first_child = static_cast<std::uint32_t>(children_.size());
    n.children = static_cast<std::uint32_t>(mine.size());
    for (const std::uint32_t child : mine) {
      n.hash = hash_combine(n.hash, nodes_[child].hash);
      n.low = std::min(n.low, nodes_[child].low);
      children_.push_back(child);
    }
    pending_.resize(start);
    return add(n);
  }

  std::uint32_t add(const Node& n) {
    nodes_.push_back(n);
    return static_cast<std::uint32_t>(nodes_.size() - 1);
  }

  void write(std::uint32_t id, Shape& shape) {
    Node& n = nodes_[id];
    if (n.number != none) {
      shape.tokens.push_back(n.number);
      return;
    }
    if (n.entry) {
      n.number = static_cast<std::uint32_t>(shape.slots.size()) | 0x80000000U;
      shape.slots.push_back(n.low);
      shape.tokens.push_back(hash_combine(n.own, n.number));
      return;
    }
    shape.tokens.push_back(n.own);
    for (std::uint32_t i = 0; i < n.children; ++i) write(children_[n.first_child + i], shape);
    if (n.children > 0) nodes_[id].number = written_base + static_cast<std::uint32_t>(shape.tokens.size());
  }

  struct SortedPair {
    std::uint64_t hash;
    std::uint64_t low;
    std::uint32_t a, b;
  };
  static constexpr std::uint32_t written_base = 0x40000000U;
  const NodeMap<Operand>& inputs_;
  std::vector<Memo> memo_;
  std::uint32_t generation_ = 0;
  std::vector<Node> nodes_;
  std::vector<std::uint32_t> children_;
  std::vector<std::uint32_t> pending_;
  std::vector<SortedPair> pairs_;
  std::vector<std::uint32_t> roots_;
};

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
};

class Families {
 public:
  std::vector<Family> list;
  std::vector<std::uint32_t> left;  // bundles without a shape

  std::uint32_t add(std::uint32_t bundle, const Shape& shape) {
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
    list.push_back({tokens, slots, {}, {}});
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
  void roots(std::size_t bundle, std::vector<const Expr*>& list, std::uint64_t& lengths) const {
    list.clear();
    lengths = 0;
    for (const std::uint32_t g : groups) {
      const auto [begin, end] = range(g, bundle);
      lengths = hash_combine(lengths, end - begin);
      for (std::size_t i = begin; i < end; ++i) list.push_back(&outputs[g].values[i]);
    }
  }
};

Families families_of(const RowSet& set, const NodeMap<Operand>& inputs, std::size_t begin, std::size_t end, std::vector<std::uint32_t>* ids = nullptr) {
  Families result;
  ShapeReader reader(inputs);
  Shape shape;
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
    for (std::size_t b = 0; b < n; ++b) by_distance[distances(f, b)].push_back(static_cast<std::uint32_t>(b));
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
    for (const std::uint32_t g : set_.groups) {
      const auto [begin, end] = set_.range(g, f.bundles[members[0]]);
      if (begin == end) continue;
      std::vector<std::uint32_t> entries;
      for (const std::uint32_t b : members) entries.push_back(static_cast<std::uint32_t>(set_.range(g, f.bundles[b]).first));
      const auto [t, offset] = add_table(index_table(std::move(entries)));
      for (std::size_t i = 0; i < end - begin; ++i) l.targets.push_back({g, t, offset + static_cast<std::int32_t>(i)});
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
