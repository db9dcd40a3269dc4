// SPDX-License-Identifier: MIT
// A partial differential equation with symbols in place of the derivatives.
#pragma once

#include <map>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/pde.hpp"
#include "boreon/symbol.hpp"

namespace boreon::pdes {

using Orders = std::pair<int, int>;

/// sum of coefficient*derivative = forcing; the coefficients hold nothing of the unknown.
struct LinearForm {
  Symbol x{"x"};
  Symbol y{"y"};
  std::map<Orders, Expr> coefficients;
  Expr forcing;
  [[nodiscard]] Expr at(int in_x, int in_y) const {
    const auto found = coefficients.find({in_x, in_y});
    return found == coefficients.end() ? Expr(0) : found->second;
  }
};

/// Nothing if it is not linear. Throws Error(usage) unless the unknown is a call of two symbols, and for calls of it at
/// other places.
[[nodiscard]] std::optional<LinearForm> linear_form_of(const Expr& equation, const Expr& unknown);

/// One condition: on the line x = place (or y = place), scale*derivative = value, a function of the other variable.
struct OnLine {
  bool on_x = false;
  Expr place;
  Orders orders;
  Expr value;
};
/// Throws Error(usage) for what is no such condition.
[[nodiscard]] OnLine on_line(const Expr& given, const Expr& unknown);

/// The equation with a function of x and y put in.
[[nodiscard]] Expr residual_of(const LinearForm& form, const Expr& u);
/// The derivative of u that a condition names, on its line, minus its value.
[[nodiscard]] Expr residual_of(const OnLine& line, const LinearForm& form, const Expr& u);

/// The methods; nothing where the equation is of another kind. `reason` in the solution where it is, but not solved.
[[nodiscard]] std::optional<PdeSolution> by_characteristics(const LinearForm& form, std::span<const OnLine> lines,
                                                            const PdeOptions& options);
[[nodiscard]] std::optional<PdeSolution> by_eigenfunctions(const LinearForm& form, std::span<const OnLine> lines,
                                                           const PdeOptions& options);

}  // namespace boreon::pdes
