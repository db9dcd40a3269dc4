// SPDX-License-Identifier: MIT
// A look between the ends of a range, which limits of an antiderivative do not see.
#pragma once

#include <optional>
#include <span>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"

namespace boreon {

/// Whether F goes from a to b (either may be infinite) as the integral of f does, at one point of the parameters: its
/// differences over some dozens of steps are those of a quadrature rule, wherever that is sure of itself. Steps where
/// it is not are halved towards the trouble; false if F jumps or f is not integrable there.
[[nodiscard]] bool grows_as_integral(const Expr& f, const Expr& F, const Symbol& x, double a, double b,
                                     std::span<const Expr> symbols, std::span<const double> point);

struct Break {
  double place;
  bool unreal;  ///< F is complex there, but goes on without a jump
};
/// A place between a and b, both finite, at which F jumps, or if there is none is not real, although f is finite and
/// real around it; at one point of the parameters. Places where f itself has no finite real values are passed over.
[[nodiscard]] std::optional<Break> broken_at(const Expr& f, const Expr& F, const Symbol& x, double a, double b,
                                             std::span<const Expr> symbols, std::span<const double> point);

}  // namespace boreon
