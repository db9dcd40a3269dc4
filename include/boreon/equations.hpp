// SPDX-License-Identifier: MIT
// Exact solving of equations: one or several, for symbols, with every solution substituted back.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "boreon/bindings.hpp"
#include "boreon/evidence.hpp"
#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/function.hpp"
#include "boreon/list.hpp"
#include "boreon/symbol.hpp"

namespace boreon BOREON_API {

/// One solution. What may stand free in the values: parameters, unknowns that are listed as free, and whole numbers
/// n1, n2, ... of periodic families.
struct Solution {
  Bindings values;               ///< unknown to expression, as substitute() takes them
  std::vector<Expr> conditions;  ///< of the parameters, under which it is one
  unsigned multiplicity = 1;     ///< as a root; of a system without parameters as a zero of its polynomials
  bool real = true;              ///< known to be real for real parameters
  std::string decimal = {};      ///< of the one unknown, where the solution is approximate: correct digits
};

enum class SolveStatus : std::uint8_t { exact, approximate, unevaluated };
[[nodiscard]] const char* to_string(SolveStatus s) noexcept;

/// Values of parameters that the general answer leaves out, and what holds there.
struct SolveException {
  Expr when;
  std::string what;
};

struct SolutionSet {
  std::vector<Solution> solutions;  ///< real ones first; none: there is no solution, if complete
  std::vector<Expr> free;           ///< unknowns that may have any value
  std::vector<Expr> integers;       ///< n1, n2, ... that stand for any whole number
  std::vector<Expr> conditions;     ///< of the parameters, for the answer as a whole: "a != 0"
  std::vector<SolveException> exceptions;
  SolveStatus status = SolveStatus::exact;
  bool real_only = false;  ///< looked for over the real numbers; else complex ones are among the solutions
  bool complete = false;   ///< proved: there are no others (over the real numbers, unless complex ones are given)
  std::string reason;      ///< why it is not solved or not complete; what contradicts itself
  std::vector<std::string> steps;
  Evidence check;  ///< the solutions substituted back, in ball arithmetic at random parameters
};

struct SolveOptions {
  std::vector<Expr> conditions = {};  ///< relations that hold, beside the assumptions of the symbols
  /// A range of the one unknown: all real roots in it, certified, where there is no closed form.
  std::optional<std::pair<double, double>> within = {};
  std::size_t points = 4;  ///< random values of the parameters at which solutions are substituted back
  std::uint64_t seed = 20260101;
};

/// Solves equations, each given by an expression that is to be zero, for symbols.
///
/// - Polynomials: all roots, complex ones too, by factors, radicals where they are short, angles for three real roots,
/// else
///   as polynomial_root. Linear systems with symbols, of any number of unknowns. Polynomial systems by a Groebner
///   basis.
/// - Other equations: over the real numbers, by inverse functions (periodic families with n1, n2, ...), common parts,
///   radicals, absolute values, logarithms, sines and cosines of one angle, Lambert's W. Where none of that leads to an
///   end and there are no parameters: the real roots within a range in certified numbers (status approximate).
///
/// Solutions that do not satisfy the equations, or contradict the assumptions of their unknown, are dropped. Throws
/// Error(usage) for an unknown that occurs nowhere or is no symbol, Error(shape) for inequalities (see
/// solve_inequality).
///
///     const Symbol x("x"), a("a", {Assumption::positive});
///     solve({power(x, 2) - a}, {x}).solutions[0].values;   // x = sqrt(a)
[[nodiscard]] SolutionSet solve(const ExprList& equations, const ExprList& unknowns, const SolveOptions& options = {});

/// An interval of real numbers; the ends may be infinite. A single number has equal, closed ends.
struct Interval {
  Expr low;
  Expr high;
  bool low_closed = false;
  bool high_closed = false;
};

/// The real numbers for which a condition holds.
struct IntervalSet {
  std::vector<Interval> intervals;  ///< ascending, apart from each other
  bool solved = false;              ///< otherwise some place where the truth may change was not found, see `reason`
  std::string reason = {};
  /// approximate: ends without a closed form are decimal numbers, each enclosed and rounded to double precision.
  SolveStatus status = SolveStatus::exact;
  /// As a condition on x: relations joined by `and` and `or`; true or false.
  [[nodiscard]] Expr condition(const Expr& x) const;
};

struct InequalityOptions {
  /// A range of the unknown, ends included: only what lies within is told. Then also where there are places without
  /// end, as with waves.
  std::optional<std::pair<double, double>> within = {};
};

/// Inequalities of one unknown without parameters, joined by and, or, not: all places where the truth may change are
/// found (zeros of the differences, poles, ends of domains) and the condition is decided there and in between, in ball
/// arithmetic. Zeros without a closed form are enclosed, with a proof that there are no others. Where a side has no
/// real value the inequality does not hold. Assumptions of x count. Throws Error(usage) if other symbols occur: see
/// solve_inequality_cases().
///
///     solve_inequality(less(power(x, 2), 4), x).condition(x);   // x > -2 and x < 2
[[nodiscard]] IntervalSet solve_inequality(const Expr& condition, const Expr& x, const InequalityOptions& options = {});

/// What an inequality says where these conditions on its parameters hold.
struct InequalityCase {
  std::vector<Expr> conditions;
  IntervalSet set;
};
struct InequalityCases {
  std::vector<InequalityCase> cases;  ///< together for all parameters that the conditions given allow
  bool solved = false;                ///< else `reason` says what stood in the way
  std::string reason;
};

/// Inequalities of one unknown with parameters: the ends of the intervals are found as expressions, the signs that
/// decide which of them are real and in which order they come are told apart, and in each region of the parameters the
/// inequality is solved at several numbers. Up to six such signs. Throws as solve_inequality() does, but for other
/// symbols.
///
///     solve_inequality_cases(less(a * x + b, 0), x).cases;   // x < -b/a if a > 0; x > -b/a if a < 0; ...
[[nodiscard]] InequalityCases solve_inequality_cases(const Expr& condition, const Expr& x,
                                                     std::span<const Expr> conditions = {});

/// The polynomial of least degree with integer coefficients without common divisor, the leading one positive, that is
/// zero at an algebraic number: made of rational numbers, roots, the imaginary unit, polynomial_root. Found by a
/// Groebner basis, its factor by the ball that holds the number. Throws Error(unsupported) for other numbers.
///
///     minimal_polynomial(sqrt(Expr(2)) + sqrt(Expr(3)), x);   // x^4 - 10*x^2 + 1
[[nodiscard]] Expr minimal_polynomial(const Expr& number, const Symbol& x);

/// Which of two monomials is the larger one in a Groebner basis.
enum class BasisOrder : std::uint8_t {
  lexicographic,  ///< by the first unknown: the last ones are left alone, as in elimination
  degree,         ///< by the degree, then the smaller power of the last unknown: the smallest and quickest basis
};

/// The reduced Groebner basis of polynomials over the rationals, the first unknown largest; other symbols come after
/// them. Computed modulo primes, put together, and verified over the rationals by its generators and pairs where that
/// is not too much work; two further primes agree in any case. Throws Error(usage) for what is no polynomial,
/// Error(limit) where it grows too large.
///
///     groebner_basis({x * x + y * y - 5, x * y - 2}, {x, y});   // y^4 - 5*y^2 + 4, 2*x + y^3 - 5*y
[[nodiscard]] std::vector<Expr> groebner_basis(const ExprList& polynomials, const ExprList& unknowns,
                                               BasisOrder order = BasisOrder::lexicographic);

/// What the polynomials say of the other symbols alone: those of a Groebner basis that hold none of the unknowns; each
/// is zero wherever all of the polynomials are. Throws as groebner_basis() does.
///
///     eliminate({x - t * t, y - t * t * t}, {t});   // x^3 - y^2
[[nodiscard]] std::vector<Expr> eliminate(const ExprList& polynomials, const ExprList& unknowns);

/// A sentence on the number of solutions of polynomials, without solving: "polynomials of degrees 2, 3, at most 6
/// solutions where they are finitely many; the quotient ring has dimension 5: as many complex solutions, with
/// multiplicities". From a basis modulo one prime, at random numbers for parameters that the conditions allow; where
/// that is too much work, from the degrees. Empty for what are no polynomials in the unknowns.
[[nodiscard]] std::string known_of_system(const ExprList& equations, const ExprList& unknowns,
                                          std::span<const Expr> conditions = {});

/// dy/dx, or a higher derivative, along the curve on which the equation, an expression that is to be zero, holds: the
/// first is -F_x/F_y, simplified. Throws Error(usage) unless both are symbols that occur and the order is 1 to 20,
/// Error(domain) where the equation does not fix y.
///
///     implicit_derivative(power(x, 2) + power(y, 2) - 25, y, x);   // -x/y
[[nodiscard]] Expr implicit_derivative(const Expr& equation, const Expr& y, const Expr& x, unsigned order = 1);

/// Compares implicit derivatives of orders 1, 2, ... with difference quotients along the curve: from random points,
/// whose level of the expression is kept, it is followed to both sides with Newton's method.
[[nodiscard]] Evidence check_implicit_derivatives(const Expr& equation, const Expr& y, const Expr& x,
                                                  std::span<const Expr> derivatives,
                                                  std::span<const Expr> conditions = {});

/// The constants of a general solution from values that are given: each of `given` is to be zero and holds the function
/// and its derivatives at places, such as x(0) - x0 and x'(0) - v0; derivatives are taken before the argument is set.
/// Throws as solve() does, Error(usage) if the function occurs in none.
///
///     const UnknownFunction x("x");
///     const Function f("x", {t}, exp(-b * t) * (A * cos(w * t) + B * sin(w * t)));
///     solve_constants(x, f, {x(0) - x0, parse("x'(0)", context) - v0}, {A, B});
[[nodiscard]] SolutionSet solve_constants(const UnknownFunction& name, const Function& general, const ExprList& given,
                                          const ExprList& constants, const SolveOptions& options = {});

/// The branches of the inverse of a function of one argument, and how they were found: conditions, whether there are
/// others.
struct InverseFunctions {
  std::vector<Function> branches;
  SolutionSet solutions;
};
[[nodiscard]] InverseFunctions inverse(const Function& f, const SolveOptions& options = {});

enum class StationaryKind : std::uint8_t { minimum, maximum, saddle, undecided };
[[nodiscard]] const char* to_string(StationaryKind k) noexcept;

struct StationaryPoint {
  Solution at;
  Expr value;                                       ///< of the function
  StationaryKind kind = StationaryKind::undecided;  ///< by the signs of the leading minors of the Hessian
};

struct StationarySet {
  std::vector<StationaryPoint> points;
  SolutionSet solutions;  ///< of gradient = 0: whether they are all, free unknowns, evidence
};

/// Where all derivatives by the unknowns are zero, and what is there. Undecided: a determinant of the Hessian is zero,
/// or its sign depends on parameters, or the point is complex.
[[nodiscard]] StationarySet stationary_points(const Expr& f, const ExprList& unknowns,
                                              const SolveOptions& options = {});

}  // namespace BOREON_API
