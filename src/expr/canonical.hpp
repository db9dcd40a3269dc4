// Constructors of canonical sums and products, for use inside the graph.
#pragma once

#include <span>

#include "boreon/expr.hpp"

namespace boreon {

/// Whether a large sum among the operands is taken apart (everything) or may stay one term (balanced; see expr.hpp).
enum class Absorb { balanced, everything };

[[nodiscard]] Expr sum_of(std::span<const Expr> operands, Absorb absorb);
/// coefficient * (product of base^exponent) split into its number and the rest with coefficient 1.
struct Scaled {
  Expr coefficient;
  Expr rest;
};
[[nodiscard]] Scaled split_coefficient(const Expr& e);

[[nodiscard]] bool is_infinite(const Expr& e);  ///< infinity or -infinity (or a number times it)

}  // namespace boreon
