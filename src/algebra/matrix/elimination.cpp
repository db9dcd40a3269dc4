// SPDX-License-Identifier: MIT
// Elimination over the field of quotients: echelon form, rank, inverse, LU, linear equations.
#include <algorithm>
#include <map>

#include "algebra/matrix/fraction_matrix.hpp"
#include "algebra/matrix/shared_elimination.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/error.hpp"
#include "boreon/linear_algebra.hpp"

namespace boreon {
namespace {

constexpr RingOptions field_options{.roots = true, .pythagoras = true};

std::size_t weight(const Fraction& f) { return f.numerator.size() + f.denominator.size(); }

// Whether answers are written out: quotients of determinants are readable up to three unknowns, and numbers stay
// numbers.
bool written_out(const Matrix& a, AnswerForm form) {
  constexpr Eigen::Index readable = 3;
  if (form != AnswerForm::automatic) return form == AnswerForm::written_out;
  return a.rows() <= readable ||
         std::none_of(a.data(), a.data() + a.size(), [](const Expr& e) { return e.has_symbols(); });
}

std::vector<std::map<std::size_t, Expr>> rows_of(const Matrix& a) {
  std::vector<std::map<std::size_t, Expr>> rows(static_cast<std::size_t>(a.rows()));
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    for (Eigen::Index j = 0; j < a.cols(); ++j) {
      if (!a(i, j).is_integer(0)) rows[static_cast<std::size_t>(i)].emplace(static_cast<std::size_t>(j), a(i, j));
    }
  }
  return rows;
}

}  // namespace

void require_square(const Matrix& a, const char* what) {
  if (a.rows() != a.cols()) {
    throw Error(ErrorKind::shape, std::string(what) + " needs a square matrix; this one has " +
                                      std::to_string(a.rows()) + " rows and " + std::to_string(a.cols()) + " columns");
  }
}

FractionMatrix FractionMatrix::of(const Matrix& a, RingOptions options) {
  std::vector<Expr> list;
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    for (Eigen::Index j = 0; j < a.cols(); ++j) list.push_back(a(i, j));
  }
  FractionMatrix m;
  m.ring = std::make_shared<const KernelRing>(list, options);
  m.rows = a.rows();
  m.cols = a.cols();
  for (const Expr& e : list) m.entries.push_back(m.ring->fraction_of(e));
  return m;
}

Matrix FractionMatrix::expressions() const {
  Matrix out(rows, cols);
  for (Eigen::Index i = 0; i < rows; ++i) {
    for (Eigen::Index j = 0; j < cols; ++j) {
      const Fraction& f = at(i, j);
      out(i, j) = f.denominator.is_constant() ? ring->expression(f)
                                              : ring->expression(f.numerator) / ring->factored(f.denominator);
    }
  }
  return out;
}

Eigen::Index FractionMatrix::simplest_pivot(Eigen::Index first, Eigen::Index column) const {
  Eigen::Index best = -1;
  for (Eigen::Index i = first; i < rows; ++i) {
    if (!at(i, column).is_zero() && (best < 0 || weight(at(i, column)) < weight(at(best, column)))) best = i;
  }
  return best;
}

void FractionMatrix::swap_rows(Eigen::Index i, Eigen::Index j) {
  for (Eigen::Index c = 0; c < cols && i != j; ++c) std::swap(at(i, c), at(j, c));
}

std::vector<Eigen::Index> FractionMatrix::reduce_rows(Eigen::Index limit) {
  std::vector<Eigen::Index> pivots;
  Eigen::Index row = 0;
  for (Eigen::Index c = 0; c < limit && row < rows; ++c) {
    const Eigen::Index best = simplest_pivot(row, c);  // keeps the fractions short
    if (best < 0) continue;
    swap_rows(row, best);
    const Fraction inverse = divide(fraction(Number(1), ring->vars()), at(row, c));
    for (Eigen::Index j = c; j < cols; ++j) at(row, j) = ring->reduced(multiply(at(row, j), inverse));
    for (Eigen::Index i = 0; i < rows; ++i) {
      if (i == row || at(i, c).is_zero()) continue;
      const Fraction m = at(i, c);
      for (Eigen::Index j = c; j < cols; ++j) {
        if (!at(row, j).is_zero()) at(i, j) = ring->reduced(subtract(at(i, j), multiply(m, at(row, j))));
      }
    }
    pivots.push_back(c);
    ++row;
  }
  return pivots;
}

Matrix identity_matrix(Eigen::Index n) {
  Matrix m(n, n);
  for (Eigen::Index i = 0; i < n; ++i) {
    for (Eigen::Index j = 0; j < n; ++j) m(i, j) = i == j ? 1 : 0;
  }
  return m;
}

Matrix inverse(const Matrix& a, AnswerForm form) {
  const poly::WorkLimit limit(poly::work_of_call());
  require_square(a, "the inverse");
  const Eigen::Index n = a.rows();
  if (!written_out(a, form)) {
    std::vector<std::vector<Expr>> right(static_cast<std::size_t>(n),
                                         std::vector<Expr>(static_cast<std::size_t>(n), 0));
    for (std::size_t i = 0; i < right.size(); ++i) right[i][i] = 1;
    const auto columns = eliminate_shared(rows_of(a), std::move(right));
    Matrix out(n, n);
    for (Eigen::Index j = 0; j < n; ++j) {
      for (Eigen::Index i = 0; i < n; ++i)
        out(i, j) = columns[static_cast<std::size_t>(j)][static_cast<std::size_t>(i)];
    }
    return out;
  }
  Matrix both(n, 2 * n);
  both << a, identity_matrix(n);
  FractionMatrix m = FractionMatrix::of(both, field_options);
  if (static_cast<Eigen::Index>(m.reduce_rows(n).size()) < n)
    throw Error(ErrorKind::domain, "the matrix is singular for all values of its symbols and has no inverse");
  return m.expressions().rightCols(n);
}

Eigen::Index rank(const Matrix& a) {
  const poly::WorkLimit limit(poly::work_of_call());
  if (a.size() == 0) return 0;
  FractionMatrix m = FractionMatrix::of(a, field_options);
  return static_cast<Eigen::Index>(m.reduce_rows(a.cols()).size());
}

Matrix reduced_row_echelon_form(const Matrix& a) {
  const poly::WorkLimit limit(poly::work_of_call());
  if (a.size() == 0) return a;
  FractionMatrix m = FractionMatrix::of(a, field_options);
  (void)m.reduce_rows(a.cols());
  return m.expressions();
}

Matrix null_space(const Matrix& a) {
  const poly::WorkLimit limit(poly::work_of_call());
  FractionMatrix m = FractionMatrix::of(a, field_options);
  const std::vector<Eigen::Index> pivots = m.reduce_rows(a.cols());
  const Matrix r = m.expressions();
  const Eigen::Index free = a.cols() - static_cast<Eigen::Index>(pivots.size());
  Matrix out(a.cols(), free);
  Eigen::Index k = 0;
  for (Eigen::Index c = 0; c < a.cols(); ++c) {
    if (std::find(pivots.begin(), pivots.end(), c) != pivots.end()) continue;
    for (Eigen::Index i = 0; i < a.cols(); ++i) out(i, k) = i == c ? 1 : 0;
    for (std::size_t p = 0; p < pivots.size(); ++p) out(pivots[p], k) = -r(static_cast<Eigen::Index>(p), c);
    ++k;
  }
  return out;
}

LU lu_decomposition(const Matrix& a) {
  const poly::WorkLimit limit(poly::work_of_call());
  FractionMatrix m = FractionMatrix::of(a, field_options);
  const Eigen::Index n = a.rows();
  LU out;
  for (Eigen::Index i = 0; i < n; ++i) out.permutation.push_back(i);
  FractionMatrix lower = m;
  lower.cols = n;
  lower.entries.assign(static_cast<std::size_t>(n * n), fraction(Number(0), m.ring->vars()));
  Eigen::Index row = 0;
  for (Eigen::Index c = 0; c < a.cols() && row < n; ++c) {
    const Eigen::Index best = m.simplest_pivot(row, c);
    if (best < 0) continue;
    if (best != row) {
      m.swap_rows(row, best);
      lower.swap_rows(row, best);
      std::swap(out.permutation[static_cast<std::size_t>(row)], out.permutation[static_cast<std::size_t>(best)]);
      out.sign = -out.sign;
    }
    for (Eigen::Index i = row + 1; i < n; ++i) {
      if (m.at(i, c).is_zero()) continue;
      const Fraction q = m.ring->reduced(divide(m.at(i, c), m.at(row, c)));
      lower.at(i, row) = q;
      for (Eigen::Index j = c; j < a.cols(); ++j)
        m.at(i, j) = m.ring->reduced(subtract(m.at(i, j), multiply(q, m.at(row, j))));
    }
    ++row;
  }
  for (Eigen::Index i = 0; i < n; ++i) lower.at(i, i) = fraction(Number(1), m.ring->vars());
  out.lower = lower.expressions();
  out.upper = m.expressions();
  return out;
}

Vector solve_linear(const Matrix& a, const Vector& b, AnswerForm form) {
  const poly::WorkLimit limit(poly::work_of_call());
  require_square(a, "a linear system");
  if (b.size() != a.rows())
    throw Error(ErrorKind::shape, "the right-hand side has " + std::to_string(b.size()) +
                                      " components, the matrix has " + std::to_string(a.rows()) + " rows");
  const Eigen::Index n = a.rows();
  if (!written_out(a, form)) {
    const auto x = eliminate_shared(rows_of(a), {{b.data(), b.data() + b.size()}})[0];
    Vector out(n);
    std::copy(x.begin(), x.end(), out.data());
    return out;
  }
  Matrix both(n, n + 1);
  both << a, b;
  FractionMatrix m = FractionMatrix::of(both, field_options);
  const auto pivots = m.reduce_rows(n);
  if (static_cast<Eigen::Index>(pivots.size()) < n) {
    throw Error(ErrorKind::domain, "the linear system is singular: its matrix has rank " +
                                       std::to_string(pivots.size()) + ", not " + std::to_string(n));
  }
  return m.expressions().col(n);
}

}  // namespace boreon
