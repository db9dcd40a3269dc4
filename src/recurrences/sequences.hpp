// SPDX-License-Identifier: MIT
// Sums of powers of n times powers a^n times waves: what linear recurrences with constant coefficients are forced with
// and answer with, and what rational functions are the z-transforms of.
#pragma once

#include <optional>
#include <vector>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"
#include "transforms/exponential_terms.hpp"

namespace boreon::recurrences {

/// coefficient*n^power*base^n*wave(turn*n), with the cosine or the sine. Without a wave the turn is 0.
struct SequenceTerm {
  Expr coefficient = 1;
  std::int64_t power = 0;
  Expr base = 1;
  Expr turn = 0;
  bool sine = false;

  [[nodiscard]] Expr expression(const Expr& n) const;
  /// base*exp(i*turn)
  [[nodiscard]] transforms::ComplexPair ratio() const;
};

/// f as such a sum; nothing if it is none.
[[nodiscard]] std::optional<std::vector<SequenceTerm>> sequence_terms(const Expr& f, const Symbol& n);

/// Independent solutions of c[0]*y(n) + c[1]*y(n + 1) + ... = 0 with c[0] and the last one not zero, by the roots of
/// the polynomial. Nothing where those have no closed form.
[[nodiscard]] std::optional<std::vector<SequenceTerm>> homogeneous_sequences(const std::vector<Expr>& c, Signs& signs);

/// Where roots of the polynomial with coefficients d (ascending) are known by their number only, and all are simple: the
/// sum of p(r)*r^n/d'(r) over its roots r. Nothing otherwise.
[[nodiscard]] std::optional<Expr> sum_over_numbered_roots(const std::vector<Expr>& p, const std::vector<Expr>& d,
                                                          const Expr& n, Signs& signs);

/// A particular solution of that equation forced by one term.
[[nodiscard]] std::optional<Expr> forced_sequence(const std::vector<Expr>& c, const SequenceTerm& forcing,
                                                  const Expr& n);

}  // namespace boreon::recurrences
