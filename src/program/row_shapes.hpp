// SPDX-License-Identifier: MIT
// What bundles of rows look like when their entries are blind: which of them are one program on different entries.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/program.hpp"
#include "boreon/traverse.hpp"
#include "program/operand.hpp"

namespace boreon {

/// Two bundles with the same tokens are the same program on different entries, listed in `slots` in the order in which
/// the tokens meet them.
struct RowShape {
  std::vector<std::uint64_t> tokens;
  std::vector<std::uint64_t> slots;
};

/// The same whatever the order of terms, factors and roots: `roots` is the order in which the shape has them.
struct Arrangement {
  RowShape shape;
  std::vector<std::uint32_t> roots;
};

/// Reads one bundle after another; keeps its memory.
class ShapeReader {
 public:
  static constexpr std::size_t largest_row = 4096;  ///< nodes; larger rows are written out

  explicit ShapeReader(const NodeMap<Operand>& inputs);

  /// False if the bundle cannot be part of a loop. Of terms that look the same those with lower entries come first.
  [[nodiscard]] bool read(std::span<const Expr* const> roots, RowShape& shape);

  /// The bundle read last in an order that looks at the roles of its entries alone: colours of all nodes, refined from
  /// below and above until no more entries are told apart (Weisfeiler and Lehman, 1968); of those that remain alike one
  /// after the other is marked. Roots change places only within their group. Entries of which `fixed` is true count
  /// as themselves. O(nodes * entries) at worst.
  [[nodiscard]] Arrangement arrange(std::span<const std::uint32_t> groups_of_roots,
                                    const std::vector<std::uint64_t>& fixed);
  /// Nodes of the bundle read last.
  [[nodiscard]] std::size_t size() const noexcept { return nodes_.size(); }

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
    bool pairs = false;  // a number, then pairs in any order
  };
  struct Memo {
    std::uintptr_t key = 0;
    std::uint32_t generation = 0;
    std::uint32_t id = 0;
  };
  struct SortedPair {
    std::uint64_t hash;
    std::uint64_t low;
    std::uint32_t a, b;
  };

  Memo& memo(std::uintptr_t key);
  std::uint32_t build(const Expr& e, unsigned depth);
  std::uint32_t inner(const Expr& e, Kind kind, unsigned depth);
  std::uint32_t add(const Node& n);
  void sort_pairs(std::span<std::uint32_t> operands);
  [[nodiscard]] int compare_entries(std::uint32_t a, std::uint32_t b, unsigned& steps) const;
  void write(std::uint32_t id, RowShape& shape);
  std::size_t refine(std::span<const std::uint32_t> groups_of_roots);

  const NodeMap<Operand>& inputs_;
  std::vector<Memo> memo_;
  std::uint32_t generation_ = 0;
  std::vector<Node> nodes_;  // operands before what they are part of
  std::vector<std::uint32_t> children_;
  std::vector<std::uint32_t> pending_;
  std::vector<SortedPair> pairs_;
  std::vector<std::uint32_t> roots_;
  std::vector<std::uint64_t> colours_;
  std::vector<std::uint64_t> contexts_;
  std::vector<std::uint64_t> marks_;  // colours of entries
};

}  // namespace boreon
