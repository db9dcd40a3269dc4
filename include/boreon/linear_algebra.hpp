// SPDX-License-Identifier: MIT
// Exact linear algebra on matrices of expressions. Entries are quotients of polynomials in whatever they are made of
// (see algebra.hpp), with sin^2 + cos^2 = 1 and squares of roots known, so that a pivot that only looks nonzero is not
// taken for one. Results are exact and not simplified further.
#pragma once

#include <span>
#include <utility>
#include <vector>

#include "boreon/export.hpp"
#include "boreon/expr.hpp"
#include "boreon/list.hpp"
#include "boreon/matrix.hpp"

namespace boreon BOREON_API {

/// Determinant of an n by n matrix, written out. Minors of growing size, each computed once (Laplace expansion with
/// memory, 2^n at worst and far fewer for banded matrices); beyond that many, fraction-free elimination (Bareiss 1968).
/// A determinant with too many terms to be written out is returned as nested minors. Throws Error(shape) unless square.
[[nodiscard]] Expr determinant(const Matrix& a);
/// The matrix of cofactors, transposed: a*adjugate(a) = determinant(a)*identity.
[[nodiscard]] Matrix adjugate(const Matrix& a);
/// How the answers of linear equations are written.
enum class AnswerForm {
  automatic,  ///< written out up to 3 unknowns and where the matrix has no symbols, otherwise shared
  shared,  ///< quotients within quotients that share their parts, as elimination makes them: O(n^3) operations and as
           ///< many digits as elimination in numbers. For numeric functions.
  written_out,  ///< quotients of determinants, cancelled: readable, but for n unknowns of n! terms, which lose digits
};

/// Throws Error(domain) if the determinant is zero.
[[nodiscard]] Matrix inverse(const Matrix& a, AnswerForm form = AnswerForm::automatic);
/// For generic values of the symbols.
[[nodiscard]] Eigen::Index rank(const Matrix& a);
[[nodiscard]] Matrix reduced_row_echelon_form(const Matrix& a);
/// Columns that span the vectors x with a*x = 0.
[[nodiscard]] Matrix null_space(const Matrix& a);

/// rows of a in the order `permutation` = lower*upper; the diagonal of lower is 1. Pivots are never zero: the simplest
/// entry of the column that is not zero is taken.
struct LU {
  Matrix lower;
  Matrix upper;
  std::vector<Eigen::Index> permutation;
  int sign = 1;  ///< of the permutation
};
[[nodiscard]] LU lu_decomposition(const Matrix& a);

/// x with a*x = b, n by n. Throws Error(domain) if a is singular for all values of its symbols. Pivots by Markowitz'
/// rule, which keeps the rows short.
[[nodiscard]] Vector solve_linear(const Matrix& a, const Vector& b, AnswerForm form = AnswerForm::automatic);
/// The same for a sparse matrix; answers share their parts.
[[nodiscard]] std::vector<Expr> solve_linear(const SparseMatrix& a, const ExprList& b);

/// det(x*identity - a), written out in powers of x (Faddeev and Le Verrier).
[[nodiscard]] Expr characteristic_polynomial(const Matrix& a, const Expr& x);

struct Eigenvalues {
  std::vector<std::pair<Expr, unsigned>> values;  ///< with algebraic multiplicity
  /// Factors of the characteristic polynomial in `variable` of degree three and more, with multiplicity.
  std::vector<std::pair<Expr, unsigned>> rest;
  Expr variable;
};
/// By the irreducible factors of the characteristic polynomial; those of degree one and two are solved.
[[nodiscard]] Eigenvalues eigenvalues(const Matrix& a);

[[nodiscard]] Expr trace(const Matrix& a);
[[nodiscard]] Matrix kronecker(const Matrix& a, const Matrix& b);
[[nodiscard]] Vector cross(const Vector& a, const Vector& b);  ///< of three components
[[nodiscard]] Expr dot(const Vector& a, const Vector& b);
[[nodiscard]] Expr norm(const Vector& a);  ///< square root of the sum of squares of absolute values
[[nodiscard]] Expr frobenius_norm(const Matrix& a);
[[nodiscard]] Expr row_sum_norm(const Matrix& a);  ///< largest sum of absolute values of a row
[[nodiscard]] Expr column_sum_norm(const Matrix& a);
/// Every entry simplified.
[[nodiscard]] Matrix simplify(const Matrix& a);
[[nodiscard]] Matrix identity_matrix(Eigen::Index n);

}  // namespace boreon
