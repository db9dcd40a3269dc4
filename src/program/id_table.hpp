// SPDX-License-Identifier: MIT
// Numbers of things that are kept elsewhere, found by hash: open addressing, no allocation per entry.
#pragma once

#include <cstdint>
#include <vector>

namespace boreon {

class IdTable {
 public:
  /// The number of the known thing with that hash for which same(number) holds, or a fresh one, which is remembered.
  template <class Same>
  std::uint32_t find_or_add(std::uint64_t hash, std::uint32_t fresh, const Same& same) {
    if (2 * (used_ + 1) > slots_.size()) grow();
    std::size_t at = static_cast<std::size_t>(hash) & (slots_.size() - 1);
    for (; slots_[at].id != none; at = (at + 1) & (slots_.size() - 1)) {
      if (slots_[at].hash == hash && same(slots_[at].id)) return slots_[at].id;
    }
    slots_[at] = {hash, fresh};
    ++used_;
    return fresh;
  }

 private:
  static constexpr std::uint32_t none = 0xffffffffU;
  struct Slot {
    std::uint64_t hash = 0;
    std::uint32_t id = none;
  };
  void grow() {
    std::vector<Slot> old(slots_.empty() ? 64 : 2 * slots_.size());
    old.swap(slots_);
    for (const Slot& s : old) {
      if (s.id == none) continue;
      std::size_t at = static_cast<std::size_t>(s.hash) & (slots_.size() - 1);
      while (slots_[at].id != none) at = (at + 1) & (slots_.size() - 1);
      slots_[at] = s;
    }
  }
  std::vector<Slot> slots_;
  std::size_t used_ = 0;
};

}  // namespace boreon
