// SPDX-License-Identifier: MIT
// Bridge between Number and GMP, for the files that need the big representation.
#pragma once

#include <gmpxx.h>

#include "boreon/number.hpp"

namespace boreon {

struct Number::Big {
  mpq_class value;
  static Number wrap(mpq_class value);
};

/// Any finite Number as a GMP rational (a double by its exact value).
[[nodiscard]] mpq_class to_mpq(const Number& number);
/// Reduces, and uses machine words where they suffice.
[[nodiscard]] Number from_mpq(mpq_class value);

}  // namespace boreon
