// SPDX-License-Identifier: MIT
// What Eigen has to know of Expr before the first matrix of expressions. Included by boreon/matrix.hpp, and earlier
// where Eigen comes first.
#pragma once

#include <Eigen/Core>
#include <limits>

#include "boreon/export.hpp"

namespace boreon BOREON_API {
class Expr;
}

template <>
struct Eigen::NumTraits<boreon::Expr> : Eigen::GenericNumTraits<boreon::Expr> {
  using Real = boreon::Expr;
  using NonInteger = boreon::Expr;
  using Literal = boreon::Expr;
  using Nested = boreon::Expr;
  enum {
    IsComplex = 0,
    IsInteger = 0,
    IsSigned = 1,
    RequireInitialization = 1,
    ReadCost = 1,
    AddCost = 20,
    MulCost = 20
  };
  static boreon::Expr epsilon();
  static boreon::Expr dummy_precision();
  static int digits10() { return std::numeric_limits<int>::max(); }
};
