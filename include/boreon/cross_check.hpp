// SPDX-License-Identifier: MIT
// The cross-check: derivatives against independent numerics.
#pragma once

#include <cstdint>
#include <functional>
#include <limits>
#include <map>
#include <span>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"
#include "boreon/sampling.hpp"
#include "boreon/sparse_matrix.hpp"

namespace boreon BOREON_API {

struct CheckOptions {
  std::size_t points = 5;
  std::uint64_t seed = 20260101;
  double needed_digits = 8;  ///< fewer digits at any entry: the verdict is "disagrees"
  /// By symbol; a symbol without a range is sampled by its assumptions.
  SampleRanges ranges = {};
  /// Relations that every point has to fulfil, such as a > b.
  std::vector<Expr> conditions = {};
};

/// One claim: `derived` is said to be the derivative of `function` with respect to `variable`.
struct DerivativeClaim {
  Expr function;
  Expr variable;
  Expr derived;
  std::string name;  ///< shown when it is the worst
};

/// Compares each claim at random points that respect assumptions and ranges with central differences, extrapolated and
/// taken in 60-digit ball arithmetic so that rounding can neither hide nor fake an error (Richardson 1911), and, where
/// the function is analytic, with the complex step in double precision (Squire and Trapp 1998). Points outside the
/// domain are drawn again.
[[nodiscard]] Evidence cross_check(std::span<const DerivativeClaim> claims, const CheckOptions& options = {});

/// A Jacobian against its functions; entry names are made of the given row names.
[[nodiscard]] Evidence cross_check(const ExprList& functions, const ExprList& variables, const SparseMatrix& jacobian,
                                   const CheckOptions& options = {}, std::span<const std::string> row_names = {});
/// A derivative of any order: the last derivation is checked, and those before it, one by one.
[[nodiscard]] Evidence cross_check_derivative(const Expr& function, const ExprList& variables, const Expr& derived,
                                              const CheckOptions& options = {});

}  // namespace boreon
