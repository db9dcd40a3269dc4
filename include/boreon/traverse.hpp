// SPDX-License-Identifier: MIT
// Iterative, memoised traversal: cost goes with the number of distinct nodes, never with the size of the written-out
// tree, and depth is limited by memory only. Every algorithm of the library walks expressions with these.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// Whether the node is an integral, sum, limit, derivative or root that waits to be carried out.
[[nodiscard]] inline bool is_operator(const Expr& e) {
  return e.is(Kind::integral) || e.is(Kind::reduction) || e.is(Kind::limit) || e.is(Kind::derivative) ||
         e.is(Kind::root);
}
/// The symbol that a node binds: of a definite integral, a sum, a limit, a root; null for others.
[[nodiscard]] const Expr* bound_symbol(const Expr& e);
/// Whether the node has a number only once all other symbols in it are numbers: an integral, a sum, a root.
[[nodiscard]] inline bool needs_numbers_inside(const Expr& e) {
  return e.is(Kind::integral) || e.is(Kind::reduction) || e.is(Kind::root);
}

/// Hash map from node to T (open addressing). Keys do not keep their nodes alive: hold the root while it is used.
/// References to values are invalidated by insertion.
template <class T>
class NodeMap {
 public:
  explicit NodeMap(std::size_t expected = 0) {
    std::size_t capacity = 16;
    while (capacity < expected * 2) capacity *= 2;
    slots_.resize(capacity);
  }
  [[nodiscard]] T* find(const Expr& key) {
    Slot& s = locate(key.bits());
    return s.key == 0 ? nullptr : &s.value;
  }
  [[nodiscard]] const T* find(const Expr& key) const { return const_cast<NodeMap*>(this)->find(key); }
  [[nodiscard]] bool contains(const Expr& key) const { return find(key) != nullptr; }
  /// The value of a key that is known to be there.
  [[nodiscard]] T& at(const Expr& key) { return locate(key.bits()).value; }
  /// The value of the key, made if it was not there; second is true if it was made.
  std::pair<T*, bool> insert(const Expr& key) {
    if ((size_ + 1) * 2 > slots_.size()) grow();
    Slot& s = locate(key.bits());
    if (s.key != 0) return {&s.value, false};
    s.key = key.bits();
    ++size_;
    return {&s.value, true};
  }
  T& operator[](const Expr& key) { return *insert(key).first; }
  [[nodiscard]] std::size_t size() const noexcept { return size_; }
  /// O(capacity); a map that has been much larger before is shrunk.
  void clear() {
    if (size_ == 0) return;
    if (slots_.size() > 256 && size_ * 8 < slots_.size()) slots_.resize(slots_.size() / 2);
    for (Slot& s : slots_) s = Slot{};
    size_ = 0;
  }

 private:
  struct Slot {
    std::uintptr_t key = 0;
    T value{};
  };
  Slot& locate(std::uintptr_t key) {
    std::uint64_t h = key * 0x9e3779b97f4a7c15U;
    h ^= h >> 29U;
    std::size_t at = h & (slots_.size() - 1);
    while (slots_[at].key != 0 && slots_[at].key != key) at = (at + 1) & (slots_.size() - 1);
    return slots_[at];
  }
  void grow() {
    std::vector<Slot> old(slots_.size() * 2);
    old.swap(slots_);
    for (Slot& s : old) {
      if (s.key != 0) {
        Slot& t = locate(s.key);
        t.key = s.key;
        t.value = std::move(s.value);
      }
    }
  }
  std::vector<Slot> slots_;
  std::size_t size_ = 0;
};

/// Calls visit(const Expr&) once for each distinct node below the roots, operands before their parents. `enter(expr)`
/// decides whether the operands of a node are walked; where it says no the node is visited all the same. The
/// references stay valid as long as the roots do.
template <class Visit, class Enter>
void postorder(std::span<const Expr> roots, Visit&& visit, Enter&& enter) {
  struct Frame {
    const Expr* expr;
    std::size_t next;
  };
  NodeMap<char> seen(64);
  std::vector<Frame> stack;
  for (const Expr& root : roots) {
    if (!seen.insert(root).second) continue;
    stack.push_back({&root, 0});
    while (!stack.empty()) {
      Frame& top = stack.back();
      const auto operands = top.expr->operands();
      if (top.next == 0 && !operands.empty() && !enter(*top.expr)) top.next = operands.size();
      if (top.next < operands.size()) {
        const Expr& child = operands[top.next++];
        if (seen.insert(child).second) {
          if (child.operands().empty()) {
            visit(child);
          } else {
            stack.push_back({&child, 0});
          }
        }
        continue;
      }
      visit(*top.expr);
      stack.pop_back();
    }
  }
}

template <class Visit>
void postorder(std::span<const Expr> roots, Visit&& visit) {
  postorder(roots, std::forward<Visit>(visit), [](const Expr&) { return true; });
}

template <class Visit>
void postorder(const Expr& root, Visit&& visit) {
  postorder(std::span<const Expr>(&root, 1), std::forward<Visit>(visit));
}

/// Rebuilds expressions bottom-up. `replace(expr, result)` may give a replacement for a node before its operands are
/// looked at (return true); all other nodes are rebuilt from their rebuilt operands where those changed. The same
/// object may be applied to many roots and remembers what it has done.
class Rebuild {
 public:
  using Replace = std::function<bool(const Expr&, Expr&)>;
  using Finish = std::function<Expr(const Expr&)>;
  /// `finish`, if given, turns each rebuilt node into its final form.
  explicit Rebuild(Replace replace, Finish finish = {}) : replace_(std::move(replace)), finish_(std::move(finish)) {}
  [[nodiscard]] Expr operator()(const Expr& root);

 private:
  Replace replace_;
  Finish finish_;
  NodeMap<Expr> done_;
  std::vector<Expr> keep_;  // roots whose nodes are keys of done_
};

/// Distinct free symbols and unknown functions (as heads of their calls excluded), sorted by name. Symbols that an
/// integral, sum or limit binds are not free.
[[nodiscard]] std::vector<Symbol> free_symbols(std::span<const Expr> expressions);
[[nodiscard]] std::vector<Symbol> free_symbols(const Expr& expression);
/// Distinct calls of unknown functions (with their derivative orders), in canonical order.
[[nodiscard]] std::vector<Expr> unknown_calls(std::span<const Expr> expressions);
/// Whether the symbol occurs free.
[[nodiscard]] bool depends_on(const Expr& expression, const Expr& symbol);

/// Distinct nodes below the expression, itself included.
[[nodiscard]] std::size_t node_count(const Expr& expression);
/// Size of the written-out tree, saturating at the largest std::uint64_t.
[[nodiscard]] std::uint64_t tree_size(const Expr& expression);
/// Operations needed to evaluate the expressions once, shared nodes counted once: an n-ary sum is n - 1 additions,
/// a coefficient or an exponent one operation each.
[[nodiscard]] std::size_t operation_count(std::span<const Expr> expressions);
[[nodiscard]] std::size_t operation_count(const Expr& expression);

}  // namespace boreon
