// SPDX-License-Identifier: MIT
// One budget of work for everything that searches, expands, evaluates or sums: counted, not timed, so that the same
// call ends the same way on every machine. And the flag by which running calls are stopped from outside.
#pragma once

#include <cstdint>
#include <utility>

#include "boreon/error.hpp"
#include "boreon/export.hpp"

namespace boreon BOREON_API {

/// Thrown when a budget is used up or a stop was requested. On purpose no Error and no std::exception: whoever tries
/// something else after an Error must not go on after this. with_budget() turns it into an Error.
class Stopped {
 public:
  explicit Stopped(Error error) : error_(std::move(error)) {}
  [[nodiscard]] const Error& error() const noexcept { return error_; }  ///< of kind limit or interrupted

 private:
  Error error_;
};

/// While it lives, work of this thread beyond `units` ends in Stopped, whatever algorithm does it. Budgets nest; what
/// an inner one uses counts for the outer ones too. A unit is of the order of a few nanoseconds: about one
/// multiplication of machine words; a new node of the graph is some dozens. Most callers want with_budget().
///
/// `bytes` bounds by how much the memory that the process occupies may grow meanwhile. It is looked at once in a
/// million units, so that some ten megabytes more may be taken; on systems that do not tell (other than Linux) it is
/// not looked at.
class WorkBudget {
 public:
  explicit WorkBudget(std::uint64_t units, std::uint64_t bytes = ~std::uint64_t{0});
  ~WorkBudget();
  WorkBudget(const WorkBudget&) = delete;
  WorkBudget& operator=(const WorkBudget&) = delete;
  [[nodiscard]] std::uint64_t used() const;

 private:
  std::uint64_t outer_left_;
  std::uint64_t outer_granted_;
  std::uint64_t outer_most_bytes_;
  std::uint64_t outer_bytes_;
  std::uint64_t granted_;
};

/// f() within a budget; Error(limit) if it takes more, Error(interrupted) after request_interrupt().
///
///     Expr f = boreon::with_budget(1'000'000'000, [&] { return integral(g, x); });   // some seconds
template <class F>
decltype(auto) with_budget(std::uint64_t units, F&& f) {
  try {
    const WorkBudget budget(units);
    return std::forward<F>(f)();
  } catch (const Stopped& s) {
    throw s.error();
  }
}

/// Makes all running calls of all threads end in Stopped at their next count. Safe in a signal handler.
void request_interrupt() noexcept;
/// To be called before the next request is carried out.
void clear_interrupt() noexcept;
[[nodiscard]] bool interrupt_requested() noexcept;

}  // namespace boreon
