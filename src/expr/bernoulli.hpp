// SPDX-License-Identifier: MIT
// Bernoulli numbers.
#pragma once

#include <cstdint>

#include "boreon/number.hpp"

namespace boreon {

inline constexpr std::int64_t most_bernoulli = 60;

/// B_(2k) for k = 0 ... most_bernoulli.
[[nodiscard]] const Number& even_bernoulli(std::int64_t k);

}  // namespace boreon
