// SPDX-License-Identifier: MIT
// The limit on work of one call of the public interface, for searches that must end: deterministic, unlike time.
#pragma once

#include "expr/work.hpp"

namespace boreon::poly {

using boreon::charge;
using boreon::WorkLimit;

/// What one call of the public interface may use: some seconds, or what a budget in force has left.
[[nodiscard]] inline std::uint64_t work_of_call() { return has_budget() ? ~std::uint64_t{0} : 2000000000U; }

}  // namespace boreon::poly
