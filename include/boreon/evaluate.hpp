// SPDX-License-Identifier: MIT
// Numbers from expressions: double, complex double, and rigorous enclosures at any precision.
#pragma once

#include <complex>
#include <span>
#include <string>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"

namespace boreon BOREON_API {

/// The value in double precision. Every free symbol must be bound to something that evaluates to a number: a missing
/// one throws Error(binding), one that occurs nowhere too. Where a function leaves its real domain (log of a negative
/// number, division by zero, ...) Error(domain) names the subexpression and the values that took it there; a sum over
/// conjugate roots of a polynomial, real though its terms are not, is given where balls show that it is real.
/// O(distinct nodes).
[[nodiscard]] double evaluate(const Expr& expression, const Bindings& bindings = {}, Unused unused = Unused::error);
/// Several expressions at once; what they share is computed once.
[[nodiscard]] std::vector<double> evaluate(const ExprList& expressions, const Bindings& bindings,
                                           Unused unused = Unused::error);
/// The value in complex double precision, principal branches.
[[nodiscard]] std::complex<double> evaluate_complex(const Expr& expression, const Bindings& bindings = {},
                                                    Unused unused = Unused::error);

/// A number known to lie in midpoint +- radius, in real and imaginary part.
struct Enclosure {
  std::string real;       ///< decimal digits that are all correct to within one unit of the last
  std::string imaginary;  ///< empty if the number is known to be real
  double radius = 0;      ///< bound on the absolute error of either part
  long precision = 0;     ///< working precision in bits that was enough
  [[nodiscard]] std::string to_string() const;
};

/// A rigorous value to `digits` significant decimal digits (1 to 100000) by ball arithmetic: the precision is raised
/// until the ball is small enough. Throws like evaluate, and Error(convergence) if the value cannot be enclosed, for
/// instance because it sits on a jump of the function or is exactly zero for no evident reason.
[[nodiscard]] Enclosure certify(const Expr& expression, const Bindings& bindings = {}, int digits = 30,
                                Unused unused = Unused::error);

}  // namespace boreon
