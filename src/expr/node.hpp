// SPDX-License-Identifier: MIT
// The node behind an Expr, and the intern table.
#pragma once

#include <atomic>
#include <cstdint>
#include <new>
#include <span>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "expr/hash.hpp"

namespace boreon {

/// Header of 32 bytes followed by the operands in the same allocation. A leaf keeps a payload in their place.
class Node : public detail::NodeHeader {
 public:
  struct SymbolPayload {
    std::string name;
    Assumptions assumptions;
  };

  [[nodiscard]] std::span<const Expr> operands() const noexcept {
    return {reinterpret_cast<const Expr*>(this + 1), size};
  }
  [[nodiscard]] const Number& number() const noexcept { return *reinterpret_cast<const Number*>(this + 1); }
  [[nodiscard]] const SymbolPayload& symbol() const noexcept {
    return *reinterpret_cast<const SymbolPayload*>(this + 1);
  }

  static void release(const Node* node) noexcept;

  /// The node with this content: found in the table or made. The operands are moved from.
  static Expr intern(Kind kind, std::uint16_t code, std::span<Expr> operands);
  template <class... Operands>
  static Expr make(Kind kind, std::uint16_t code, const Operands&... operands) {
    Expr list[] = {Expr(operands)...};
    return intern(kind, code, list);
  }
  static Expr intern_number(const Number& number);
  static Expr intern_symbol(std::string_view name, Assumptions assumptions);
  static GraphStatistics statistics();

  static const Node* of(const Expr& e) { return e.node(); }
  static Expr adopt(const Node* node) { return {Expr::Adopt{}, reinterpret_cast<std::uintptr_t>(node)}; }
  static bool is_small(const Expr& e) { return (e.bits() & Expr::tag_mask) == Expr::tag_small; }
  static std::int64_t small_value(const Expr& e) { return static_cast<std::int64_t>(e.bits()) >> 2; }
  [[nodiscard]] std::uint32_t reference_count() const noexcept { return references.load(std::memory_order_acquire); }

 private:
  Node() = default;
  friend class InternTable;
};

static_assert(sizeof(Node) == sizeof(detail::NodeHeader) && sizeof(Node) % alignof(Expr) == 0);

}  // namespace boreon
