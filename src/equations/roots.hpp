// SPDX-License-Identifier: MIT
// All complex roots of a polynomial with exact or symbolic coefficients.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "boreon/expr.hpp"
#include "calculus/signs.hpp"

namespace boreon::equations {

struct Root {
  Expr value;
  unsigned multiplicity = 1;
  std::vector<Expr> conditions = {};  ///< of the parameters
};

/// Longest text of one root by radicals; beyond, a root with rational coefficients is written as polynomial_root. In
/// systems roots stand in other values, so that less is readable.
inline constexpr std::size_t longest_radicals = 160;
inline constexpr std::size_t longest_in_systems = 50;

/// Roots of an irreducible polynomial with coefficients of x^0, x^1, ..., each once; the leading one is not zero.
/// Nothing where they have no closed form here: degree 3 and more with symbols, unless x^n = c, or a polynomial in x^k.
[[nodiscard]] std::optional<std::vector<Expr>> roots_of(const std::vector<Expr>& coefficients, const Signs& signs,
                                                        std::size_t longest = longest_radicals);

/// Real ones first, as polynomial_root; nothing unless the coefficients are rational and no root is repeated.
[[nodiscard]] std::optional<std::vector<Expr>> all_numbered_roots(const std::vector<Expr>& coefficients);

/// Of a cubic with symbols, by radicals; nothing where they are too long. Where third_of_linear() vanishes they do not
/// hold, and which of them are real is not told.
[[nodiscard]] std::optional<std::vector<Expr>> cubic_roots(const std::vector<Expr>& coefficients, std::size_t longest);

/// p/3 of y^3 + p*y + q = 0, which a cubic becomes without its square.
[[nodiscard]] Expr third_of_linear(const std::vector<Expr>& coefficients);

/// The real ones among them, under conditions where parameters decide: x^2 = a has two if a >= 0, x^3 = a one. Nothing
/// also where it depends on parameters which roots are real and no condition says so.
[[nodiscard]] std::optional<std::vector<Root>> real_roots_of(const std::vector<Expr>& coefficients, const Signs& signs,
                                                             std::size_t longest = longest_radicals);

/// Whether v is real for real parameters, as far as is known or numbers tell.
[[nodiscard]] bool looks_real(const Expr& v);

/// Adds the condition e > 0, or e >= 0, unless it is known; false if it cannot hold.
[[nodiscard]] bool require_sign(const Expr& e, bool strict, const Signs& signs, std::vector<Expr>& conditions);

}  // namespace boreon::equations
