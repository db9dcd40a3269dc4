// SPDX-License-Identifier: MIT
// The main types by name, for headers that only pass them on. No dependency, not even Eigen (unless it is there
// already).
#pragma once

#include "boreon/export.hpp"

#ifdef EIGEN_CORE_H
#include "boreon/scalar_traits.hpp"
#else
namespace Eigen {
template <typename, int, int, int, int, int>
class Matrix;
}
#endif

namespace boreon BOREON_API {

class Array;
class Expr;
class Symbol;
class Number;
class Function;
class UnknownFunction;
class NumericFunction;
class Bindings;
class ExprList;
class Kernel;
class Coordinates;
struct Program;
struct InputGroup;
struct OutputGroup;
struct SparsityPattern;
struct SparseMatrix;
struct Evidence;
struct Model;
struct System;

/// Matrices of expressions are those of Eigen, by columns. To make or use one include boreon/matrix.hpp.
using Matrix = Eigen::Matrix<Expr, -1, -1, 0, -1, -1>;
using Vector = Eigen::Matrix<Expr, -1, 1, 0, -1, 1>;

}  // namespace boreon
