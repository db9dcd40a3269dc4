// SPDX-License-Identifier: MIT
// Systems as users fill them in by hand: missing lists get their defaults, wrong ones an error that names them.
#pragma once

#include "boreon/system.hpp"

namespace boreon {

/// What the equations are wanted for.
enum class Purpose { steady, in_time };

/// A copy in which every list has the length of its partner. Throws Error(shape) for lists of a wrong length,
/// Error(binding) for a symbol that is neither state nor parameter with a value, Error(usage) for a start outside its
/// bounds or bounds that exclude each other.
[[nodiscard]] System checked(const System& system, Purpose purpose);

}  // namespace boreon
