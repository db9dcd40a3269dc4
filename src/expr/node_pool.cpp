// SPDX-License-Identifier: MIT
#include "expr/node_pool.hpp"

#include <algorithm>
#include <cstdlib>
#include <new>

// The address sanitizer has to see every node as an allocation of its own.
#if defined(BOREON_SANITIZES_ADDRESSES)
#define BOREON_NODES_APART
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define BOREON_NODES_APART
#endif
#endif

namespace boreon {
namespace {

#ifdef BOREON_NODES_APART
constexpr bool apart = true;
#else
constexpr bool apart = false;
#endif

void* allocate(std::size_t bytes) {
  void* memory = std::malloc(bytes);  // NOLINT: kept or freed by the pool
  if (memory == nullptr) throw std::bad_alloc();
  return memory;
}

}  // namespace

void* NodePool::take(std::size_t bytes) {
  if (apart || bytes > largest) return allocate(bytes);
  const std::size_t size_class = (bytes + grain - 1) / grain;
  if (Free* const found = free_[size_class]; found != nullptr) {
    free_[size_class] = found->next;
    return found;
  }
  const std::size_t size = size_class * grain;
  if (static_cast<std::size_t>(end_ - at_) < size) {
    constexpr std::size_t largest_block = std::size_t{1} << 18U;
    at_ =
        static_cast<std::byte*>(allocate(next_block_));  // what was left of the block before is lost: less than a node
    end_ = at_ + next_block_;
    next_block_ = std::min(2 * next_block_, largest_block);
  }
  void* const memory = at_;
  at_ += size;
  return memory;
}

void NodePool::give_back(void* memory, std::size_t bytes) noexcept {
  if (apart || bytes > largest) {
    std::free(memory);  // NOLINT
    return;
  }
  auto*& first = free_[(bytes + grain - 1) / grain];
  first = new (memory) Free{first};
}

}  // namespace boreon
