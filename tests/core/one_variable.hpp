// SPDX-License-Identifier: MIT
// The variable of tests on functions of one variable.
#pragma once

#include "boreon/symbol.hpp"

namespace test {
inline const boreon::Symbol x("x");
}
using test::x;
