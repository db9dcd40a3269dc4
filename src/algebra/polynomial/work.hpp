// A limit on the work of polynomial arithmetic, for searches that must end: deterministic, unlike time.
#pragma once

#include <cstdint>

namespace boreon::poly {

/// While it lives, charge() on this thread throws Error(limit) once more than `units` have been used up. Limits nest;
/// what an inner one uses counts for the outer ones too.
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

/// What one call of the public interface may use: some seconds.
inline constexpr std::uint64_t work_of_call = 2000000000U;

/// About one unit for each multiplication of coefficients.
void charge(std::uint64_t units);

}  // namespace boreon::poly
