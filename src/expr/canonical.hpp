// Constructors of canonical sums and products, for use inside the graph.
#pragma once

#include <span>

#include "boreon/expr.hpp"

namespace boreon {

/// Which sums among the operands are taken apart: all but large ones, all but those much larger than the other operands
/// together (see expr.hpp), or all.
enum class Absorb { small, balanced, everything };

[[nodiscard]] Expr sum_of(std::span<const Expr> operands, Absorb absorb);
/// coefficient * (product of base^exponent) split into its number and the rest with coefficient 1.
struct Scaled {
  Expr coefficient;
  Expr rest;
};
[[nodiscard]] Scaled split_coefficient(const Expr& e);

[[nodiscard]] bool is_infinite(const Expr& e);  ///< infinity or -infinity (or a number times it)

}  // namespace boreon
