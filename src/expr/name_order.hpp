// SPDX-License-Identifier: MIT
// The order of names: numbers within them by value.
#pragma once

#include <string_view>

namespace boreon {

/// Negative, 0 or positive as a stands before, at or after b: u9 before u10. With `fold_case` capitals count as small
/// letters where that decides; names that differ only in what does not count are ordered as texts.
[[nodiscard]] int compare_names(std::string_view a, std::string_view b, bool fold_case = false);

}  // namespace boreon
