// SPDX-License-Identifier: MIT
// The transformations that simplify chooses among. Each takes an expression and gives equal ones; it may throw Error
// (limit, domain), which means that it has nothing to offer.
#pragma once

#include <functional>
#include <vector>

#include "algebra/linear_terms.hpp"
#include "algebra/reasoner.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/expr.hpp"
#include "boreon/traverse.hpp"

namespace boreon::transforms {

using Forms = std::vector<Expr>;

[[nodiscard]] bool contains_call(const Expr& e, std::initializer_list<const char*> names);

/// e with every node rebuilt by `finish`, bottom up.
[[nodiscard]] Expr everywhere(const Expr& e, const std::function<Expr(const Expr&)>& finish);

// rational.cpp
void rational_forms(const Expr& e, Forms& out);

// angles.cpp
[[nodiscard]] Expr tangents_to_sines(const Expr& e);
/// Only as far as angles have parts in common, or fully: sin(2*x) = 2*sin(x)*cos(x).
[[nodiscard]] Expr angles_expanded(const Expr& e, bool fully = false);
[[nodiscard]] Expr angles_combined(const Expr& e);
void trigonometric_forms(const Expr& e, Forms& out);

// exponentials.cpp
[[nodiscard]] Expr hyperbolic_to_exponentials(const Expr& e);
[[nodiscard]] Expr circular_to_exponentials(const Expr& e);
[[nodiscard]] Expr exponentials_to_circular(const Expr& e);
void exponential_forms(const Expr& e, Forms& out);
[[nodiscard]] Expr logarithms_expanded(const Expr& e, const Reasoner& reasoner);
[[nodiscard]] Expr logarithms_combined(const Expr& e, const Reasoner& reasoner);

/// x^y of positive x as exp(y*log(x)); inverse hyperbolic functions as logarithms.
[[nodiscard]] Expr powers_to_exponentials(const Expr& e);
[[nodiscard]] Expr inverse_hyperbolic_to_logarithms(const Expr& e);
/// sin, cos, tan of multiples of pi/5 and pi/8 by radicals.
[[nodiscard]] Expr angles_to_radicals(const Expr& e);
/// abs of products and quotients as products of abs.
[[nodiscard]] Expr absolutes_apart(const Expr& e);

// special.cpp
void special_forms(const Expr& e, Forms& out);

/// Local rules, bottom up: what makes a node simpler by looking only at it and its operands. Never grows.
[[nodiscard]] Expr local_rules(const Expr& e, const Reasoner& reasoner);
/// sqrt of what contains a square, nested square roots.
[[nodiscard]] Expr radical_rules(const Expr& e, const Reasoner& reasoner);
/// -(a - b)^3 = (b - a)^3: a minus in front goes into a sum with an odd power.
[[nodiscard]] Expr signs_absorbed(const Expr& e);
/// sin(u)^n*cos(u)^n = sin(2*u)^n/2^n in products, the same for sinh and cosh.
[[nodiscard]] Expr angles_doubled(const Expr& e);
/// sin*cos^-1 = tan and the like in products; exp(a)*exp(b).
[[nodiscard]] Expr gather_products(const Expr& e);

}  // namespace boreon::transforms
