// SPDX-License-Identifier: MIT
// Counting work: what it is charged to, and the limits that searches set themselves.
#pragma once

#include <cstdint>

#include "boreon/work.hpp"

namespace boreon {

/// A limit that one search sets itself, so that it gives up in time for another method. While it lives, charge() on
/// this thread throws Error(limit) once more than `units` have been charged. Limits nest, as budgets do.
class WorkLimit {
 public:
  explicit WorkLimit(std::uint64_t units);
  ~WorkLimit();
  WorkLimit(const WorkLimit&) = delete;
  WorkLimit& operator=(const WorkLimit&) = delete;
  [[nodiscard]] std::uint64_t used() const;

 private:
  std::uint64_t outer_left_;
  std::uint64_t granted_;
};

/// Work of a search: counts for the limits and for the budget. Throws Error(limit) for its own limit, which another
/// method may follow, and Stopped for the budget.
void charge(std::uint64_t units);
/// Work that belongs to no search (nodes, numbers, balls, samples): counts for the budget alone. Throws as charge().
void spend(std::uint64_t units);
/// Whether a WorkBudget is in force on this thread.
[[nodiscard]] bool has_budget() noexcept;
/// What is left of it.
[[nodiscard]] std::uint64_t work_left() noexcept;

}  // namespace boreon
