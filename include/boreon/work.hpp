// One budget of work for everything that searches, expands, evaluates or sums: counted, not timed, so that the same call
// ends the same way on every machine. And the flag by which running calls are stopped from outside.
#pragma once

#include <cstdint>

namespace boreon {

/// While it lives, work of this thread beyond `units` ends in Error(limit), whatever algorithm does it. Budgets nest; what
/// an inner one uses counts for the outer ones too. A unit is of the order of a few nanoseconds: about one multiplication
/// of machine words; a new node of the graph is some dozens.
///
///     boreon::WorkBudget budget(1'000'000'000);   // some seconds
///     Expr f = integral(g, x);                    // Error(limit) if it takes more
class WorkBudget {
 public:
  explicit WorkBudget(std::uint64_t units);
  ~WorkBudget();
  WorkBudget(const WorkBudget&) = delete;
  WorkBudget& operator=(const WorkBudget&) = delete;
  [[nodiscard]] std::uint64_t used() const;

 private:
  std::uint64_t outer_left_;
  std::uint64_t outer_granted_;
  std::uint64_t granted_;
};

/// Makes all running calls of all threads end in Error(interrupted) at their next count. Safe in a signal handler.
void request_interrupt() noexcept;
/// To be called before the next request is carried out.
void clear_interrupt() noexcept;
[[nodiscard]] bool interrupt_requested() noexcept;

}  // namespace boreon
