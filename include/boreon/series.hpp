// SPDX-License-Identifier: MIT
// Limits and series.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/number.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// A limit, and what was assumed and checked.
struct LimitResult {
  Expr value;                    ///< a number, +-infinity, an expression; `undefined` if there is no limit
  std::string reason;            ///< why there is none: "oscillates", "the limits from below and above differ"
  std::vector<Expr> conditions;  ///< relations under which the value holds, beyond those given
  std::size_t points = 0;        ///< nearby points compared with
  double digits = 0;             ///< digits to which the last of them agrees, where the limit is finite
  /// Where the limit is infinite: nearby values grow on and on, with its sign. Where it is finite and the last digit is
  /// far off, as with logarithms: much nearer they are nearer to it.
  bool approached = false;
};

/// The limit of f as x goes to a place (a finite expression, infinity, -infinity), by expansion in the most rapidly
/// varying part (D. Gruntz, On computing limits in a symbolic manipulation system, thesis, ETH 1996). A two-sided
/// limit at a finite place exists if both one-sided ones do and agree. Signs of parameters follow from assumptions and
/// `conditions`; Error(unsupported) names the sign that decides and is not known, or what has no expansion.
[[nodiscard]] Expr limit(const Expr& f, const Expr& x, const Expr& place, LimitSide side = LimitSide::both,
                         std::span<const Expr> conditions = {});
[[nodiscard]] LimitResult limit_with_report(const Expr& f, const Expr& x, const Expr& place,
                                            LimitSide side = LimitSide::both, std::span<const Expr> conditions = {});

/// Terms coefficient*(x - about)^exponent; about infinity coefficient*x^(-exponent). Exponents may be fractions;
/// coefficients may contain log(x - about), and sines and cosines of what grows.
struct SeriesTerm {
  Number exponent;
  Expr coefficient;
};
struct SeriesResult {
  Expr factor = 1;  ///< in front of all terms: what grows or falls faster than every power, such as exp(-x^2)
  std::vector<SeriesTerm> terms;  ///< ascending exponents, none beyond the order asked for
  Expr local;          ///< x - about (about - x for roots from below), or 1/x about infinity, -1/x about -infinity
  bool exact = false;  ///< nothing is left out
  Number next;         ///< what is left out is O(factor*local^next), up to logarithms
  LimitSide side = LimitSide::both;  ///< of the place, on which the expansion holds
  std::vector<Expr> conditions;
  [[nodiscard]] Expr power_of(const Number& exponent) const;  ///< local^exponent
  [[nodiscard]] Expr expression() const;                      ///< the factor times the sum of the terms
};

/// All terms with exponents up to `order` of the power, Laurent or Puiseux series of f about a place, with logarithms
/// where they belong; about infinity an asymptotic expansion, with an exponential in front where there is one. Throws
/// Error(unsupported) where a function has no expansion known here. Where the sides of the place differ, the expansion
/// is that of the side asked for, else of the side on which f is real, else from above; `side` and `conditions` tell.
[[nodiscard]] SeriesResult series(const Expr& f, const Expr& x, const Expr& about, int order,
                                  std::span<const Expr> conditions = {}, LimitSide side = LimitSide::both);

/// The series against values near its place on each side on which it holds, complex ones too, in ball arithmetic.
struct SeriesEvidence {
  std::size_t points = 0;
  double digits = 0;
};
/// Throws Error(check) if the remainder does not go to zero as it should.
[[nodiscard]] SeriesEvidence check_series(const SeriesResult& s, const Expr& f, const Expr& x, const Expr& about,
                                          std::span<const Expr> conditions = {});

}  // namespace BOREON_API
