// SPDX-License-Identifier: MIT
#include "expr/work.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <limits>

#include "boreon/error.hpp"
#include "expr/memory.hpp"

namespace boreon {
namespace {

constexpr std::uint64_t unlimited = std::numeric_limits<std::uint64_t>::max();

// Of this thread; set only by WorkBudget and WorkLimit, which restore them.
thread_local constinit std::uint64_t budget_left = unlimited;
thread_local constinit std::uint64_t budget_granted = unlimited;
thread_local constinit std::uint64_t limit_left = unlimited;
// The memory that the process may occupy, what the budget granted, and below which rest of the budget it is looked at
// next.
thread_local constinit std::uint64_t most_bytes = unlimited;
thread_local constinit std::uint64_t bytes_granted = unlimited;
thread_local constinit std::uint64_t next_look = 0;
constinit std::atomic<bool> stop{false};
static_assert(std::atomic<bool>::is_always_lock_free);

[[noreturn]] void out_of_budget() {
  budget_left = 0;
  throw Stopped(
      Error(ErrorKind::limit, fmt::format("this takes more work than its budget of {} units", budget_granted)));
}

void look_at_memory() {
  constexpr std::uint64_t units_between = 1'000'000;
  next_look = most_bytes == unlimited || budget_left < units_between ? 0 : budget_left - units_between;
  if (most_bytes == unlimited || occupied_bytes() <= most_bytes) return;
  next_look = unlimited;  // whoever goes on is stopped at once
  throw Stopped(Error(ErrorKind::limit, fmt::format("this takes more memory than its budget of {} megabytes",
                                                    bytes_granted / 1'000'000)));
}

[[noreturn]] void interrupted() { throw Stopped(Error(ErrorKind::interrupted, "stopped before it was done")); }

}  // namespace

WorkBudget::WorkBudget(std::uint64_t units, std::uint64_t bytes)
    : outer_left_(budget_left),
      outer_granted_(budget_granted),
      outer_most_bytes_(most_bytes),
      outer_bytes_(bytes_granted),
      granted_(std::min(units, budget_left)) {
  budget_left = granted_;
  budget_granted = granted_;
  const std::uint64_t before = bytes == unlimited ? 0 : occupied_bytes();
  if (bytes < unlimited - before && before + bytes < most_bytes) {
    most_bytes = before + bytes;
    bytes_granted = bytes;
  }
  next_look = most_bytes == unlimited ? 0 : budget_left;
}

WorkBudget::~WorkBudget() {
  budget_left = outer_left_ - used();
  budget_granted = outer_granted_;
  most_bytes = outer_most_bytes_;
  bytes_granted = outer_bytes_;
  next_look = most_bytes == unlimited ? 0 : budget_left;
}

std::uint64_t WorkBudget::used() const { return granted_ - budget_left; }

WorkLimit::WorkLimit(std::uint64_t units) : outer_left_(limit_left), granted_(std::min(units, limit_left)) {
  limit_left = granted_;
}

WorkLimit::~WorkLimit() { limit_left = outer_left_ - used(); }

std::uint64_t WorkLimit::used() const { return granted_ - limit_left; }

void spend(std::uint64_t units) {
  if (stop.load(std::memory_order_relaxed)) interrupted();
  if (units > budget_left) out_of_budget();
  budget_left -= units;
  if (budget_left < next_look) look_at_memory();
}

void charge(std::uint64_t units) {
  spend(units);
  if (units > limit_left) {
    limit_left = 0;
    throw Error(ErrorKind::limit, "the search takes more work than its limit allows");
  }
  limit_left -= units;
}

std::uint64_t work_left() noexcept { return budget_left; }

bool has_budget() noexcept { return budget_granted != unlimited; }

void request_interrupt() noexcept { stop.store(true, std::memory_order_relaxed); }
void clear_interrupt() noexcept { stop.store(false, std::memory_order_relaxed); }
bool interrupt_requested() noexcept { return stop.load(std::memory_order_relaxed); }

}  // namespace boreon
