// SPDX-License-Identifier: MIT
// Solutions as curves, t and y as functions of the slope p.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "odes/context.hpp"
#include "odes/verify.hpp"

namespace boreon::odes {

struct Curve {
  Expr t;
  Expr y;
  std::vector<Expr> lines = {};  ///< y as a function of t: straight solutions beside the curves
};

/// F(t, y, p) with p for y'; nothing where it is of neither form or an integral stays open.
[[nodiscard]] std::optional<Curve> slope_as_parameter(Context& c, const Expr& F, const Symbol& t, const Symbol& y,
                                                      const Symbol& p);

/// F is zero on the curve, and dy = p*dt along it.
[[nodiscard]] Verified verified_curve(const Expr& F, const Curve& curve, const Symbol& t, const Symbol& y,
                                      const Symbol& p, std::span<const Expr> conditions, std::size_t points,
                                      std::uint64_t seed);

}  // namespace boreon::odes
