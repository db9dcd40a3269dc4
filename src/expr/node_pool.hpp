// SPDX-License-Identifier: MIT
// Memory of nodes: free lists by size over blocks that grow.
#pragma once

#include <array>
#include <cstddef>

namespace boreon {

/// Not guarded: each shard of the intern table has one, behind its lock. Nodes come and go by the million, most of them
/// short lived; a general allocator spends more on them than making them costs. Memory given back serves the next nodes
/// of its size; blocks are kept.
class NodePool {
 public:
  NodePool() = default;
  NodePool(const NodePool&) = delete;
  NodePool& operator=(const NodePool&) = delete;
  ~NodePool() = default;  // blocks stay: the table is never destroyed

  /// Throws std::bad_alloc.
  [[nodiscard]] void* take(std::size_t bytes);
  void give_back(void* memory, std::size_t bytes) noexcept;

 private:
  struct Free {
    Free* next;
  };
  static constexpr std::size_t grain = 8;
  static constexpr std::size_t largest = 512;  // larger ones come from the general allocator

  std::array<Free*, largest / grain + 1> free_{};
  std::byte* at_ = nullptr;
  std::byte* end_ = nullptr;
  std::size_t next_block_ = 4096;
};

}  // namespace boreon
