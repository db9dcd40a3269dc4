// SPDX-License-Identifier: MIT
// Differential equations by power series of the variable or of a small parameter, where no closed form is known or wanted.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"

namespace boreon BOREON_API {

struct OdeSeriesOptions {
  Expr about = 0;                     ///< the place
  int order = 6;                      ///< terms up to this power beyond the leading one, 1 to 60
  std::vector<Expr> given = {};       ///< values there: expressions that are to be zero, in calls such as y(0), y'(0)
  std::vector<Expr> conditions = {};  ///< relations of parameters that hold
  std::uint64_t seed = 20260101;
};

/// A solution up to a power of the distance from a place.
struct OdeSeries {
  Expr solution;                  ///< with C1, C2, ... unless values are given
  std::vector<Expr> independent;  ///< of a linear equation without forcing: what the constants stand in front of
  std::vector<Expr> exponents;    ///< of their leading powers
  std::vector<Expr> constants;
  Expr local;             ///< t - about
  int order = 0;          ///< what is left out is O(local^(order + 1)) beyond the leading power, up to logarithms
  bool singular = false;  ///< the place is a regular singular point; else all coefficients are regular there
  std::vector<Expr> conditions;  ///< of the parameters: exponents that do not differ by a whole number
  bool found = false;
  std::string reason;  ///< why there is none
  Evidence check;      ///< the equation at shrinking distances: what is left falls with the order stated
};

/// The solution y(t) of one equation, an expression that is to be zero, as a series about a place.
///
/// Linear equations without forcing: about an ordinary point of any order, about a regular singular point of second
/// order (Frobenius 1873): exponents that differ by a whole number bring a logarithm where one is needed, complex ones
/// cosines and sines of the logarithm. Others about an ordinary point, where the highest derivative can be written out:
/// by repeated differentiation. About an irregular singular point nothing is found, and the reason says so. Throws
/// Error(usage) for orders outside 1 to 60, for values at other places, for what is no differential equation of one
/// function.
///
///     series_solution(derivative(y(t), {t, t}) - t*y(t), y(t)).independent;   // 1 + t^3/6 + ..., t + t^4/12 + ...
[[nodiscard]] OdeSeries series_solution(const Expr& equation, const Expr& unknown,
                                        const OdeSeriesOptions& options = {});

struct PerturbationOptions {
  int order = 2;                 ///< the highest power of the small parameter, 1 to 8
  std::vector<Expr> given = {};  ///< values and derivatives at places, which may hold the parameter
  std::vector<Expr> conditions = {};
  std::uint64_t seed = 20260101;
};

/// A solution up to a power of a small parameter.
struct Perturbation {
  Expr solution;                ///< sum of parameter^k*terms[k]
  std::vector<Expr> terms;      ///< functions of the variable
  std::vector<Expr> constants;  ///< of the first one, where values are not given
  bool secular = false;         ///< a later term grows beyond the first one with the variable: good for short times only
  bool found = false;
  std::string reason;
  std::vector<std::string> steps;
  Evidence check;  ///< the equation at two small values: what is left falls with the order stated
};

/// The solution y(t) of one equation, an expression that is to be zero, as a sum over powers of a small parameter: the
/// equation and what is given are expanded in it, and solved one power after the other by solve_ode(). A parameter that
/// stands before the highest derivative alone has no such expansion; the reason says so. Throws Error(usage) for orders
/// outside 1 to 8, a parameter that does not occur, what is no differential equation of one function.
///
///     // y'' + y + eps*y^3 = 0, y(0) = 1, y'(0) = 0
///     perturbation_expansion(equation, y(t), eps, {.order = 1, .given = given}).terms[0];   // cos(t)
[[nodiscard]] Perturbation perturbation_expansion(const Expr& equation, const Expr& unknown, const Expr& parameter,
                                                  const PerturbationOptions& options = {});

}  // namespace BOREON_API
