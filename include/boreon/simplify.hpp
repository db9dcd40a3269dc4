// SPDX-License-Identifier: MIT
// simplify: the cheapest form that can be found and verified. equivalent: whether two expressions are the same
// function.
#pragma once

#include <complex>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <map>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/sampling.hpp"

namespace boreon BOREON_API {

/// The default cost: operations needed to evaluate the expression as it is written, counted on the text: a sum or
/// product of n operands n - 1, a power, root, quotient, function call, relation or logical operation 1, a minus sign
/// in front of a whole expression 1. Numbers and names are free, a fraction such as 1/2 costs its division.
[[nodiscard]] double written_cost(const Expr& expression);

struct SimplifyOptions {
  /// What is to be small; ties go to the shorter text, then to the canonical order.
  std::function<double(const Expr&)> cost = written_cost;
  /// Relations that hold, such as a > b; assumptions of the symbols hold anyway.
  std::vector<Expr> conditions = {};
  /// Attempts at transforming a subexpression, over the whole run: bounds the time. An expression with more than
  /// `largest` operations is only simplified in its parts.
  std::size_t work = 4000;
  std::size_t largest = 3000;
  std::size_t points = 6;  ///< at which every result is compared with its input, in certified arithmetic
  std::uint64_t seed = 20260101;
  /// By name; a symbol without a range is sampled by its assumptions.
  SampleRanges ranges = {};
};

/// What the comparison of a result with its input found.
struct Comparison {
  std::size_t points = 0;  ///< where both could be compared
  double digits = 0;       ///< to which they agree at the worst of them
  bool agrees = true;
  std::vector<std::pair<std::string, double>> worst_point;
};

struct Simplified {
  Expr expression;
  double cost_before = 0;
  double cost_after = 0;
  Comparison check;
  bool work_exhausted = false;
};

/// The cheapest equal expression found among rational, trigonometric, hyperbolic, exponential, logarithmic, radical,
/// special-function and piecewise transformations. Valid under the assumptions and conditions only; deterministic;
/// never costs more than the input; the result has been compared with the input at random points, complex where symbols
/// are complex, in ball arithmetic, and a form that disagrees anywhere is thrown away. Removable singularities may go:
/// (x^2 - 1)/(x - 1) gives x + 1.
[[nodiscard]] Expr simplify(const Expr& expression, const SimplifyOptions& options = {});
[[nodiscard]] Simplified simplify_with_report(const Expr& expression, const SimplifyOptions& options = {});

/// Values of two expressions at random points, in ball arithmetic. Of two relations the differences of their sides are
/// compared; other conditions have no values, so nothing is.
[[nodiscard]] Comparison compare(const Expr& a, const Expr& b, const SimplifyOptions& options = {});

enum class Equivalence { proved, refuted, undecided };
[[nodiscard]] const char* to_string(Equivalence e) noexcept;
struct EquivalenceResult {
  Equivalence verdict = Equivalence::undecided;
  std::string reason;
  std::vector<std::pair<std::string, double>> counterexample;  ///< where they differ
  std::complex<double> left;                                   ///< the values there
  std::complex<double> right;
  std::size_t points = 0;  ///< at which both had a value
  double digits = 0;       ///< to which they agree at the worst of them
};
/// Proved when the difference reduces to zero by exact rewriting; refuted when at some point of their common domain
/// rigorous enclosures of the two values are disjoint; else undecided.
[[nodiscard]] EquivalenceResult equivalent(const Expr& a, const Expr& b, const SimplifyOptions& options = {});

// Targeted forms. Each is exact and equal to its input; none is verified by numbers.

/// Circular and hyperbolic functions as exponentials.
[[nodiscard]] Expr in_exponentials(const Expr& expression);
/// Exponentials of imaginary arguments, and tan, as sines and cosines.
[[nodiscard]] Expr in_sines_and_cosines(const Expr& expression);
/// sin, cos, sinh, cosh of sums and multiples as polynomials in those of the parts.
[[nodiscard]] Expr expand_angles(const Expr& expression);
/// Products and powers of sines and cosines as sums of sines and cosines of multiples.
[[nodiscard]] Expr combine_angles(const Expr& expression);
/// Logarithms of products and powers as sums, where the factors are known to be positive.
[[nodiscard]] Expr expand_logarithms(const Expr& expression);
[[nodiscard]] Expr combine_logarithms(const Expr& expression);

}  // namespace boreon
