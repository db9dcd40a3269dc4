// SPDX-License-Identifier: MIT
// Places on the real line where an expression changes its form, has a pole or jumps.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon {

/// The real part of a constant in double precision, infinities too; nothing if it holds symbols or has no value.
[[nodiscard]] std::optional<double> double_of(const Expr& e);

/// acos(cos(u)), asin(sin(u)), atan(tan(u)): the angle folded back, and what is zero where the folds are.
struct Fold {
  Expr angle;
  Expr breaks;
};
[[nodiscard]] std::optional<Fold> folded(const Expr& e);

/// The real zeros of e in x, if all of them are known; periodic ones between `from` and `to` only, which then must be
/// numbers. In no order.
[[nodiscard]] std::optional<std::vector<Expr>> real_zeros(const Expr& e, const Symbol& x, Signs& signs,
                                                          const Expr& from, const Expr& to);

/// In the order in which they are met on the way from `from` to `to`, by the signs of differences; throws UnknownSign.
/// Equal places are merged; places outside go. `downwards` is set if the way is found to lead down.
[[nodiscard]] std::vector<Expr> in_order(std::vector<Expr> places, Signs& signs, const Expr& from, const Expr& to,
                                         bool* downwards = nullptr);

/// Places at which piecewise, abs, sign, ... may change their form, in ascending order.
[[nodiscard]] std::optional<std::vector<Expr>> breaks_of_pieces(const Expr& f, const Symbol& x, Signs& signs,
                                                                const Expr& from = -infinity(),
                                                                const Expr& to = infinity());

/// f between two such neighbouring places, without pieces.
[[nodiscard]] std::optional<Expr> piece_between(const Expr& f, const Symbol& x, const Expr& from, const Expr& to,
                                                Signs& signs);

/// Places inside (from, to) where f or its antiderivative F may be singular or jump: zeros of denominators, of
/// arguments of logarithms, poles and steps of functions. Nothing if they could not all be found.
[[nodiscard]] std::optional<std::vector<Expr>> singular_places(const Expr& f, const Symbol& x, Signs& signs,
                                                               const Expr& from, const Expr& to);

}  // namespace boreon
