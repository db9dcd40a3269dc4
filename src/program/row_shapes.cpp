// SPDX-License-Identifier: MIT
#include "program/row_shapes.hpp"

#include <algorithm>

#include "boreon/catalogue.hpp"
#include "expr/hash.hpp"

namespace boreon {
namespace {

constexpr unsigned deepest_row = 200;
constexpr std::size_t least_reduction = 64;  // operands of a sum that loops may have written before
constexpr std::uint32_t written_base = 0x40000000U;

}  // namespace

ShapeReader::ShapeReader(const NodeMap<Operand>& inputs) : inputs_(inputs), memo_(memo_size) {}

bool ShapeReader::read(std::span<const Expr* const> roots, RowShape& shape) {
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

ShapeReader::Memo& ShapeReader::memo(std::uintptr_t key) {
  std::size_t at = static_cast<std::size_t>((key * 0x9e3779b97f4a7c15ULL) >> 32U) % memo_size;
  while (memo_[at].generation == generation_ && memo_[at].key != key) at = (at + 1) % memo_size;
  return memo_[at];
}

// The local node of an expression.
std::uint32_t ShapeReader::build(const Expr& e, unsigned depth) {
  const Kind kind = e.kind();
  if (kind == Kind::number) return add({mix(e.hash()), mix(e.hash()), ~0ULL, 0, 0, none, false, false});
  Memo& known = memo(e.bits());
  if (known.generation == generation_) return known.id;
  if (nodes_.size() >= largest_row || depth > deepest_row) return none;
  std::uint32_t id = none;
  if (kind == Kind::symbol || kind == Kind::unknown_call) {
    if (const Operand* o = inputs_.find(e); o != nullptr) {
      id = add({mix(o->space), mix(o->space), packed(*o), 0, 0, none, true, false});
    } else {
      return none;
    }
  } else if (const Operand* o = kind == Kind::sum && e.operands().size() > least_reduction ? inputs_.find(e) : nullptr;
             o != nullptr) {
    id = add({mix(o->space), mix(o->space), packed(*o), 0, 0, none, true, false});
  } else if (kind == Kind::constant) {
    id = add({e.hash(), e.hash(), ~0ULL, 0, 0, none, false, false});
  } else {
    id = inner(e, kind, depth);
  }
  if (id == none) return none;
  Memo& slot = memo(e.bits());  // building may have moved the place
  slot = {e.bits(), generation_, id};
  return id;
}

std::uint32_t ShapeReader::inner(const Expr& e, Kind kind, unsigned depth) {
  std::uint64_t own = mix(static_cast<std::uint64_t>(kind));
  if (kind == Kind::call) own = hash_combine(own, row_number(e.function()));
  if (kind == Kind::relation) own = hash_combine(own, static_cast<std::uint64_t>(e.relation_op()));
  if (kind == Kind::logic) own = hash_combine(own, static_cast<std::uint64_t>(e.logic_op()));
  if (is_operator(e)) return none;
  const auto operands = e.operands();
  own = hash_combine(own, operands.size());
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
  Node n;
  n.pairs = kind == Kind::sum || kind == Kind::product;
  if (n.pairs && mine.size() > 3) sort_pairs(mine);
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

// By what the pairs look like, not by what they are called.
void ShapeReader::sort_pairs(std::span<std::uint32_t> operands) {
  pairs_.clear();
  for (std::size_t i = 1; i + 1 < operands.size(); i += 2) {
    const Node& a = nodes_[operands[i]];
    const Node& b = nodes_[operands[i + 1]];
    pairs_.push_back({hash_combine(a.hash, b.hash), std::min(a.low, b.low), operands[i], operands[i + 1]});
  }
  std::sort(pairs_.begin(), pairs_.end(), [this](const SortedPair& x, const SortedPair& y) {
    if (x.hash != y.hash) return x.hash < y.hash;
    if (x.low != y.low) return x.low < y.low;
    unsigned steps = 0;
    return compare_entries(x.a, y.a, steps) < 0;
  });
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    operands[1 + 2 * i] = pairs_[i].a;
    operands[2 + 2 * i] = pairs_[i].b;
  }
}

// Of two nodes that look the same: which has the lower entry where they first differ.
int ShapeReader::compare_entries(std::uint32_t a, std::uint32_t b, unsigned& steps) const {
  constexpr unsigned most_steps = 1000;
  if (a == b || ++steps > most_steps) return 0;
  const Node& x = nodes_[a];
  const Node& y = nodes_[b];
  if (x.entry || y.entry || x.children != y.children) return x.low < y.low ? -1 : x.low > y.low ? 1 : 0;
  for (std::uint32_t i = 0; i < x.children; ++i) {
    if (const int c = compare_entries(children_[x.first_child + i], children_[y.first_child + i], steps); c != 0)
      return c;
  }
  return 0;
}

std::uint32_t ShapeReader::add(const Node& n) {
  nodes_.push_back(n);
  return static_cast<std::uint32_t>(nodes_.size() - 1);
}

void ShapeReader::write(std::uint32_t id, RowShape& shape) {
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

// Colours from the marks of the entries until they tell no more entries apart; how many they tell apart.
std::size_t ShapeReader::refine(std::span<const std::uint32_t> groups_of_roots) {
  std::vector<std::uint64_t> distinct;
  std::size_t before = 0;
  for (;;) {
    for (std::size_t id = 0; id < nodes_.size(); ++id) {
      const Node& n = nodes_[id];
      std::uint64_t h = n.entry ? marks_[id] : n.own;
      if (n.children > 0 && n.pairs) {
        h = hash_combine(h, colours_[children_[n.first_child]]);
        std::uint64_t sum = 0;
        for (std::uint32_t i = 1; i + 1 < n.children; i += 2)
          sum += mix(hash_combine(colours_[children_[n.first_child + i]], colours_[children_[n.first_child + i + 1]]));
        h = hash_combine(h, sum);
      } else {
        for (std::uint32_t i = 0; i < n.children; ++i) h = hash_combine(h, colours_[children_[n.first_child + i]]);
      }
      colours_[id] = h;
    }
    std::fill(contexts_.begin(), contexts_.end(), 0);
    for (std::size_t i = 0; i < roots_.size(); ++i) contexts_[roots_[i]] += mix(groups_of_roots[i] + 1U);
    for (std::size_t id = nodes_.size(); id-- > 0;) {
      const Node& n = nodes_[id];
      if (n.children == 0) continue;
      const std::uint64_t here = mix(hash_combine(colours_[id], contexts_[id]));
      for (std::uint32_t i = 0; i < n.children; ++i) {
        const std::uint32_t child = children_[n.first_child + i];
        // of a pair each knows the other; elsewhere the place counts
        const std::uint64_t role = !n.pairs || i == 0 ? i
                                   : i % 2 == 1       ? hash_combine(1, colours_[children_[n.first_child + i + 1]])
                                                      : hash_combine(2, colours_[children_[n.first_child + i - 1]]);
        contexts_[child] += mix(hash_combine(here, role));
      }
    }
    distinct.clear();
    for (std::size_t id = 0; id < nodes_.size(); ++id) {
      if (!nodes_[id].entry) continue;
      marks_[id] = hash_combine(marks_[id], contexts_[id]);
      distinct.push_back(marks_[id]);
    }
    std::sort(distinct.begin(), distinct.end());
    const auto count = static_cast<std::size_t>(std::unique(distinct.begin(), distinct.end()) - distinct.begin());
    if (count == before || count == distinct.size()) return count;
    before = count;
  }
}

Arrangement ShapeReader::arrange(std::span<const std::uint32_t> groups_of_roots,
                                 const std::vector<std::uint64_t>& fixed) {
  colours_.assign(nodes_.size(), 0);
  contexts_.assign(nodes_.size(), 0);
  marks_.assign(nodes_.size(), 0);
  std::vector<std::uint32_t> entries;
  for (std::uint32_t id = 0; id < nodes_.size(); ++id) {
    nodes_[id].number = none;
    if (!nodes_[id].entry) continue;
    entries.push_back(id);
    const bool known = std::binary_search(fixed.begin(), fixed.end(), nodes_[id].low);
    marks_[id] = known ? mix(nodes_[id].low) : nodes_[id].own;
  }
  while (refine(groups_of_roots) < entries.size()) {
    // Of the first ones that are alike the one with the lowest number is marked.
    std::sort(entries.begin(), entries.end(), [this](std::uint32_t a, std::uint32_t b) {
      return marks_[a] != marks_[b] ? marks_[a] < marks_[b] : nodes_[a].low < nodes_[b].low;
    });
    const auto twin = std::adjacent_find(entries.begin(), entries.end(),
                                         [this](std::uint32_t a, std::uint32_t b) { return marks_[a] == marks_[b]; });
    if (twin == entries.end()) break;
    marks_[*twin] = mix(marks_[*twin] + 1);
  }
  // Colours once more, now that all entries have their own.
  (void)refine(groups_of_roots);
  for (Node& n : nodes_) {
    if (!n.pairs) continue;
    pairs_.clear();
    for (std::uint32_t i = 1; i + 1 < n.children; i += 2) {
      const std::uint32_t a = children_[n.first_child + i];
      const std::uint32_t b = children_[n.first_child + i + 1];
      pairs_.push_back({hash_combine(colours_[a], colours_[b]), 0, a, b});
    }
    std::sort(pairs_.begin(), pairs_.end(), [](const SortedPair& x, const SortedPair& y) { return x.hash < y.hash; });
    for (std::uint32_t i = 0; i < pairs_.size(); ++i) {
      children_[n.first_child + 1 + 2 * i] = pairs_[i].a;
      children_[n.first_child + 2 + 2 * i] = pairs_[i].b;
    }
  }
  Arrangement a;
  a.roots.resize(roots_.size());
  for (std::uint32_t i = 0; i < a.roots.size(); ++i) a.roots[i] = i;
  std::stable_sort(a.roots.begin(), a.roots.end(), [&](std::uint32_t x, std::uint32_t y) {
    return groups_of_roots[x] != groups_of_roots[y] ? groups_of_roots[x] < groups_of_roots[y]
                                                    : colours_[roots_[x]] < colours_[roots_[y]];
  });
  for (const std::uint32_t i : a.roots) {
    a.shape.tokens.push_back(groups_of_roots[i]);
    write(roots_[i], a.shape);
  }
  return a;
}

}  // namespace boreon
