// The conditions and exceptions of an integral as they are told.
#pragma once

#include <span>

#include "boreon/integral.hpp"

namespace boreon {

/// Leaves out conditions that follow from the others or from `given`, and exceptions that a later, wider one covers.
void tidy(IntegralResult& result, std::span<const Expr> given);

}  // namespace boreon
