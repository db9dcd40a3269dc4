// SPDX-License-Identifier: MIT
// Interning: one node for each content. The table is split into shards, each with its own lock and open addressing.
//
// Lifetime: a count of zero is final. Whoever takes the last reference away removes the node from its shard and frees
// it; a lookup that meets a node whose count has reached zero treats it as absent and makes a new one.
#include <array>
#include <atomic>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

#include "expr/node.hpp"
#include "expr/node_pool.hpp"
#include "expr/numeric_rows.hpp"
#include "expr/work.hpp"

namespace boreon {
namespace {

constexpr std::size_t shard_count = 64;

// A node and, in the 16 bits that no address has, part of its hash: most probes of other nodes' slots end without
// looking at the node, which would be a cache miss.
class Slot {
 public:
  Slot() = default;
  explicit Slot(const Node* n, std::uint64_t hash) : bits_(reinterpret_cast<std::uintptr_t>(n) | tag(hash)) {}
  static Slot removed() {
    Slot s;
    s.bits_ = 1;
    return s;
  }
  [[nodiscard]] bool empty() const { return bits_ == 0; }
  [[nodiscard]] bool live() const { return bits_ > 1; }
  [[nodiscard]] bool may_hold(std::uint64_t hash) const { return (bits_ & tag_mask) == tag(hash); }
  [[nodiscard]] const Node* node() const { return reinterpret_cast<const Node*>(bits_ & ~tag_mask); }

 private:
  static constexpr std::uint64_t tag_mask = 0xffff000000000000U;
  // Bits that choose neither the shard (the top six) nor, in tables of usual size, the slot (the lowest).
  static std::uint64_t tag(std::uint64_t hash) { return (hash << 6U) & tag_mask; }
  std::uint64_t bits_ = 0;
};

// Held for some dozens of nanoseconds at a time and hardly ever wanted twice at once: a mutex of the library costs more
// than what it guards.
class SpinLock {
 public:
  void lock() noexcept {
    if (detail::single_threaded()) return;  // no thread starts while this one is inside
    for (unsigned turns = 0; taken_.test_and_set(std::memory_order_acquire);) {
      if (++turns % 64 == 0) std::this_thread::yield();
    }
  }
  void unlock() noexcept { taken_.clear(std::memory_order_release); }

 private:
  std::atomic_flag taken_ = ATOMIC_FLAG_INIT;
};

struct alignas(64) Shard {
  SpinLock mutex;
  std::unique_ptr<Slot[]> slots;
  std::size_t capacity = 0;
  std::size_t used = 0;  // live and removed slots
  std::size_t live = 0;
  std::size_t bytes = 0;
  NodePool pool;
};

// Never destroyed: expressions in static storage may outlive any order of destruction.
std::array<Shard, shard_count>& shards() {
  static auto* table = new std::array<Shard, shard_count>;
  return *table;
}

Shard& shard_of(std::uint64_t hash) { return shards()[hash >> 58U]; }

bool try_retain(const Node* n) {
  if (detail::single_threaded()) {
    n->retain();  // nodes leave the table as soon as their count is zero
    return true;
  }
  std::uint32_t count = n->references.load(std::memory_order_relaxed);
  while (count != 0) {
    if (n->references.compare_exchange_weak(count, count + 1, std::memory_order_acquire)) return true;
  }
  return false;
}

void resize(Shard& s) {
  std::size_t capacity = 64;
  while (capacity < s.live * 3) capacity *= 2;
  auto slots = std::make_unique<Slot[]>(capacity);
  constexpr std::size_t ahead = 12;  // nodes are anywhere in memory: several are fetched at a time
  for (std::size_t i = 0; i < s.capacity; ++i) {
    if (i + ahead < s.capacity && s.slots[i + ahead].live()) __builtin_prefetch(s.slots[i + ahead].node());
    if (!s.slots[i].live()) continue;
    std::size_t at = s.slots[i].node()->hash & (capacity - 1);
    while (!slots[at].empty()) at = (at + 1) & (capacity - 1);
    slots[at] = s.slots[i];
  }
  s.slots = std::move(slots);
  s.capacity = capacity;
  s.used = s.live;
}

// Finds a node for which `same` holds, or stores the one that `make` returns.
template <class Same, class Make>
const Node* find_or_insert(std::uint64_t hash, Same same, Make make) {
  Shard& s = shard_of(hash);
  const std::scoped_lock lock(s.mutex);
  if ((s.used + 1) * 4 > s.capacity * 3) resize(s);
  std::size_t at = hash & (s.capacity - 1);
  std::size_t free_slot = s.capacity;
  while (!s.slots[at].empty()) {
    const Slot slot = s.slots[at];
    if (!slot.live()) {
      if (free_slot == s.capacity) free_slot = at;
    } else if (slot.may_hold(hash)) {
      const Node* n = slot.node();
      if (n->hash == hash && same(*n) && try_retain(n)) return n;
    }
    at = (at + 1) & (s.capacity - 1);
  }
  std::size_t size = 0;
  const Node* made = make(s.pool, size);
  if (free_slot == s.capacity) {
    free_slot = at;
    ++s.used;
  }
  s.slots[free_slot] = Slot(made, hash);
  ++s.live;
  s.bytes += size;
  return made;
}

std::size_t allocation_size(const Node& n) {
  if (n.kind == Kind::number) return sizeof(Node) + sizeof(Number);
  if (n.kind == Kind::symbol) return sizeof(Node) + sizeof(Node::SymbolPayload);
  return sizeof(Node) + n.size * sizeof(Expr);
}

// Takes a node whose count is zero out of the table and gives its memory back.
void remove(const Node* node) {
  const std::size_t size = allocation_size(*node);
  Shard& s = shard_of(node->hash);
  const std::scoped_lock lock(s.mutex);
  std::size_t at = node->hash & (s.capacity - 1);
  while (s.slots[at].node() != node) at = (at + 1) & (s.capacity - 1);
  // Before an empty slot no mark is needed: no probe goes on behind it.
  if (s.slots[(at + 1) & (s.capacity - 1)].empty()) {
    s.slots[at] = Slot();
    --s.used;
  } else {
    s.slots[at] = Slot::removed();
  }
  --s.live;
  s.bytes -= size;
  // Inside the lock: another thread may be comparing this content.
  if (node->kind == Kind::number) node->number().~Number();
  if (node->kind == Kind::symbol) node->symbol().~SymbolPayload();
  s.pool.give_back(const_cast<Node*>(node), size);
  if (s.live * 16 < s.capacity && s.capacity > 4096) resize(s);
}

bool is_numeric(Kind kind, std::uint16_t code) { return kind == Kind::call && code >= first_numeric_row; }

}  // namespace

class InternTable {
 public:
  static Node* allocate(NodePool& pool, std::size_t payload) {
    void* memory = pool.take(sizeof(Node) + payload);
    if ((reinterpret_cast<std::uintptr_t>(memory) >> 48U) != 0) throw std::bad_alloc();  // see Slot
    return new (memory) Node();
  }
};

void Node::release(const Node* node) noexcept {
  if (!node->let_go()) return;
  // Children that die with their parent are queued instead of freed recursively.
  const Node* dead = node;
  dead->next_dead = nullptr;
  while (dead != nullptr) {
    const Node* current = dead;
    dead = dead->next_dead;
    for (const Expr& child : current->operands()) {
      const std::uintptr_t bits = child.bits_.load(std::memory_order_relaxed);
      if ((bits & Expr::tag_mask) != 0) continue;
      const auto* c = reinterpret_cast<const Node*>(bits);
      if (c->let_go()) {
        c->next_dead = dead;
        dead = c;
      }
    }
    const bool numeric = is_numeric(current->kind, current->code);
    const std::uint16_t code = current->code;
    remove(current);
    if (numeric) release_numeric(code);
  }
}

Expr Node::intern(Kind kind, std::uint16_t code, std::span<Expr> operands) {
  spend(60 + 6 * operands.size());
  std::uint64_t hash =
      mix((static_cast<std::uint64_t>(kind) << 16U) | (is_numeric(kind, code) ? numeric_hash(code) : code));
  std::uint32_t filter = 0;
  for (const Expr& e : operands) {
    hash = hash_combine(hash, e.hash());
    filter |= e.symbol_filter();
  }
  if (kind == Kind::unknown_call) filter |= 1U;  // depends on unknown things even without symbols
  const auto same = [&](const Node& n) {
    if (n.kind != kind || n.code != code || n.size != operands.size()) return false;
    const auto other = n.operands();
    for (std::size_t i = 0; i < operands.size(); ++i) {
      if (!(other[i] == operands[i])) return false;
    }
    return true;
  };
  const auto make = [&](NodePool& pool, std::size_t& size) {
    size = sizeof(Node) + operands.size() * sizeof(Expr);
    Node* n = InternTable::allocate(pool, operands.size() * sizeof(Expr));
    n->hash = hash;
    n->references.store(1, std::memory_order_relaxed);
    n->size = static_cast<std::uint32_t>(operands.size());
    n->symbol_filter = filter;
    n->code = code;
    n->kind = kind;
    if (is_numeric(kind, code)) retain_numeric(code);
    auto* slot = reinterpret_cast<Expr*>(n + 1);
    for (Expr& e : operands) new (slot++) Expr(std::move(e));
    return n;
  };
  return adopt(find_or_insert(hash, same, make));
}

Expr Node::intern_number(const Number& number) {
  spend(60 + number.bits() / 32);
  const std::uint64_t hash = mix(number.hash());
  const auto same = [&](const Node& n) { return n.kind == Kind::number && n.number() == number; };
  const auto make = [&](NodePool& pool, std::size_t& size) {
    size = sizeof(Node) + sizeof(Number);
    Node* n = InternTable::allocate(pool, sizeof(Number));
    n->hash = hash;
    n->references.store(1, std::memory_order_relaxed);
    n->size = 0;
    n->symbol_filter = 0;
    n->code = 0;
    n->kind = Kind::number;
    new (n + 1) Number(number);
    return n;
  };
  return adopt(find_or_insert(hash, same, make));
}

Expr Node::intern_symbol(std::string_view name, Assumptions assumptions) {
  const std::uint64_t name_hash = hash_text(name);
  const std::uint64_t hash = hash_combine(name_hash, 0x5bd1e995U + assumptions.bits());
  const auto same = [&](const Node& n) {
    return n.kind == Kind::symbol && n.symbol().assumptions == assumptions && n.symbol().name == name;
  };
  const auto make = [&](NodePool& pool, std::size_t& size) {
    size = sizeof(Node) + sizeof(SymbolPayload);
    Node* n = InternTable::allocate(pool, sizeof(SymbolPayload));
    n->hash = hash;
    n->references.store(1, std::memory_order_relaxed);
    n->size = 0;
    n->symbol_filter = 1U << (mix(name_hash) & 31U);  // by name: a walk for one symbol meets its namesakes
    if (name.ends_with(']'))  // and a walk for an element meets elements of the array whose index is open
      n->symbol_filter |= 1U << (mix(hash_text(name.substr(0, name.find('[')))) & 31U);
    n->code = 0;
    n->kind = Kind::symbol;
    new (n + 1) SymbolPayload{std::string(name), assumptions};
    return n;
  };
  return adopt(find_or_insert(hash, same, make));
}

GraphStatistics Node::statistics() {
  GraphStatistics total;
  for (Shard& s : shards()) {
    const std::scoped_lock lock(s.mutex);
    total.live_nodes += s.live;
    total.bytes += s.bytes + s.capacity * sizeof(Slot);
  }
  return total;
}

GraphStatistics graph_statistics() { return Node::statistics(); }

}  // namespace boreon
