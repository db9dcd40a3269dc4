// SPDX-License-Identifier: MIT
// Definite integrals with parameters that have no elementary antiderivative but a closed value.
#pragma once

#include <optional>
#include <string>

#include "boreon/expr.hpp"
#include "boreon/symbol.hpp"
#include "calculus/signs.hpp"

namespace boreon {

struct DefiniteProblem {
  Expr integrand;
  Symbol x;
  Expr from;
  Expr to;
};

struct DefiniteValue {
  Expr value;
  std::string method;
};

/// Families by range; each names its source where it is written. The caller compares the value with quadrature. Throws
/// UnknownSign where a sign decides.
[[nodiscard]] std::optional<DefiniteValue> by_family(const DefiniteProblem& p, Signs& signs);

/// Principal values over the half line: x^s/(a - b*x^p), GR 3.241.3.
[[nodiscard]] std::optional<DefiniteValue> by_principal_family(const DefiniteProblem& p, Signs& signs);

/// Rational functions times sine or cosine over the line, or over the half line if the integrand is even: residues in
/// the upper half plane (Jordan's lemma).
[[nodiscard]] std::optional<DefiniteValue> by_residues(const DefiniteProblem& p, Signs& signs);

/// Real and imaginary part of an expression that is a polynomial in the imaginary unit over real quantities.
struct ComplexParts {
  Expr re;
  Expr im;
};
[[nodiscard]] ComplexParts complex_parts(const Expr& e);

}  // namespace boreon
