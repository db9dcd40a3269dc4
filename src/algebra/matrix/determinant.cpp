// SPDX-License-Identifier: MIT
// Determinants and what is made of them.
#include <algorithm>
#include <bit>
#include <map>
#include <optional>

#include "algebra/linear_terms.hpp"
#include "algebra/matrix/fraction_matrix.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/algebra.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/simplify.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"

namespace boreon {
namespace {

using poly::Poly;

constexpr std::size_t most_minors = 20000;
constexpr std::size_t most_terms = 600000;  // of all minors of a determinant that is written out

// Determinants of the first k rows on all sets of k columns that are not zero by structure, for k = 1 ... n.
// `Value` is a polynomial or an expression.
template <class Value, class Entry, class Sum>
std::optional<Value> by_minors(Eigen::Index n, const std::vector<Eigen::Index>& row_order, Entry entry, Sum sum,
                               Value one) {
  std::map<std::uint64_t, Value> level{{0, std::move(one)}};
  std::size_t count = 0;
  for (const Eigen::Index row : row_order) {
    std::map<std::uint64_t, std::vector<std::pair<Value, bool>>> parts;
    for (const auto& [mask, minor] : level) {
      for (Eigen::Index c = 0; c < n; ++c) {
        const std::uint64_t bit = std::uint64_t{1} << static_cast<unsigned>(c);
        if ((mask & bit) != 0) continue;
        std::optional<Value> product = entry(row, c, minor);
        if (!product) continue;
        // Columns already taken to the right of this one give the sign.
        const bool negative = std::popcount(mask & ~((bit << 1U) - 1)) % 2 != 0;
        parts[mask | bit].emplace_back(std::move(*product), negative);
      }
    }
    level.clear();
    for (auto& [mask, list] : parts) level.emplace(mask, sum(list));
    count += level.size();
    if (count > most_minors) return std::nullopt;
  }
  if (level.empty()) return sum(std::vector<std::pair<Value, bool>>{});
  return level.begin()->second;
}

// Rows with few entries first: fewer sets of columns stay alive. Returns the sign of the reordering.
std::vector<Eigen::Index> sparse_rows_first(const Matrix& a, bool& negative) {
  std::vector<Eigen::Index> rows;
  for (Eigen::Index i = 0; i < a.rows(); ++i) rows.push_back(i);
  const auto count = [&](Eigen::Index i) {
    Eigen::Index n = 0;
    for (Eigen::Index j = 0; j < a.cols(); ++j) n += a(i, j).is_integer(0) ? 0 : 1;
    return n;
  };
  // A band stays a band: reorder only where the rows differ much.
  Eigen::Index low = a.cols();
  Eigen::Index high = 0;
  for (const Eigen::Index i : rows) {
    low = std::min(low, count(i));
    high = std::max(high, count(i));
  }
  if (high == a.cols() && low < high)
    std::stable_sort(rows.begin(), rows.end(), [&](Eigen::Index x, Eigen::Index y) { return count(x) < count(y); });
  negative = false;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    for (std::size_t j = i + 1; j < rows.size(); ++j) negative = negative != (rows[i] > rows[j]);
  }
  return rows;
}

// Fraction-free elimination over a ring without relations: every division is exact.
Expr by_elimination(const Matrix& a) {
  FractionMatrix m = FractionMatrix::of(a, {.term_limit = 100000});
  const Eigen::Index n = a.rows();
  Fraction previous = fraction(Number(1), m.ring->vars());
  bool negative = false;
  for (Eigen::Index k = 0; k + 1 < n; ++k) {
    const Eigen::Index p = m.simplest_pivot(k, k);
    if (p < 0) return 0;
    if (p != k) {
      negative = !negative;
      m.swap_rows(k, p);
    }
    for (Eigen::Index i = k + 1; i < n; ++i) {
      for (Eigen::Index j = k + 1; j < n; ++j) {
        m.at(i, j) = m.ring->reduced(
            divide(subtract(multiply(m.at(i, j), m.at(k, k)), multiply(m.at(i, k), m.at(k, j))), previous));
      }
    }
    previous = m.at(k, k);
  }
  const Expr d = m.ring->expression(m.at(n - 1, n - 1));
  return negative ? -d : d;
}

// Nested minors, nothing written out.
std::optional<Expr> nested(const Matrix& a) {
  bool negative = false;
  const auto rows = sparse_rows_first(a, negative);
  const auto d = by_minors<Expr>(
      a.rows(), rows,
      [&](Eigen::Index i, Eigen::Index j, const Expr& minor) -> std::optional<Expr> {
        if (a(i, j).is_integer(0) || minor.is_integer(0)) return std::nullopt;
        return a(i, j) * minor;
      },
      [](const std::vector<std::pair<Expr, bool>>& list) {
        std::vector<Expr> terms;
        for (const auto& [e, minus] : list) terms.push_back(minus ? -e : e);
        return terms.empty() ? Expr(0) : add(terms);
      },
      Expr(1));
  if (!d) return std::nullopt;
  return negative ? -*d : *d;
}

std::optional<Expr> written_out(const Matrix& a) {
  const FractionMatrix m = FractionMatrix::of(a, {.pythagoras = true});
  const KernelRing& ring = *m.ring;
  // Rows over their common denominators.
  std::vector<Poly> entries;
  Poly denominator = poly::constant(ring.vars(), 1);
  for (Eigen::Index i = 0; i < m.rows; ++i) {
    Poly common = poly::constant(ring.vars(), 1);
    for (Eigen::Index j = 0; j < m.cols; ++j) {
      const Poly& d = m.at(i, j).denominator;
      if (!poly::is_one(d)) common = poly::multiply(common, *poly::divide_exactly(d, poly::gcd(common, d)));
    }
    for (Eigen::Index j = 0; j < m.cols; ++j) {
      const Fraction& f = m.at(i, j);
      entries.push_back(poly::is_one(common)
                            ? f.numerator
                            : poly::multiply(f.numerator, *poly::divide_exactly(common, f.denominator)));
    }
    denominator = poly::multiply(denominator, common);
  }
  bool negative = false;
  std::size_t total = 0;  // terms of all minors so far
  const auto rows = sparse_rows_first(a, negative);
  const auto d = by_minors<Poly>(
      m.rows, rows,
      [&](Eigen::Index i, Eigen::Index j, const Poly& minor) -> std::optional<Poly> {
        const Poly& e = entries[static_cast<std::size_t>(i * m.cols + j)];
        if (e.is_zero() || minor.is_zero()) return std::nullopt;
        if (static_cast<double>(e.size()) * static_cast<double>(minor.size()) > 5e6)
          throw Error(ErrorKind::limit, "the determinant has too many terms to be written out");
        return poly::multiply(e, minor);
      },
      [&](const std::vector<std::pair<Poly, bool>>& list) {
        // Merged two by two: all are in order already.
        std::vector<Poly> terms;
        for (const auto& [p, minus] : list) terms.push_back(minus ? poly::negate(p) : p);
        while (terms.size() > 1) {
          std::vector<Poly> merged;
          for (std::size_t i = 0; i + 1 < terms.size(); i += 2) merged.push_back(poly::add(terms[i], terms[i + 1]));
          if (terms.size() % 2 != 0) merged.push_back(std::move(terms.back()));
          terms = std::move(merged);
        }
        if (terms.empty()) return poly::constant(ring.vars(), 0);
        const Fraction s = ring.reduced(fraction(terms[0]));
        total += s.numerator.size();
        if (!s.is_polynomial() || total > most_terms)
          throw Error(ErrorKind::limit, "the determinant has too many terms to be written out");
        return s.numerator;
      },
      poly::constant(ring.vars(), 1));
  if (!d) return std::nullopt;
  return ring.expression(ring.reduced(fraction(negative ? poly::negate(*d) : *d, denominator)));
}

}  // namespace

Expr determinant(const Matrix& a) {
  const poly::WorkLimit limit(poly::work_of_call());
  require_square(a, "the determinant");
  const Eigen::Index n = a.rows();
  if (n == 0) return 1;
  if (n == 1) return a(0, 0);
  try {
    if (n <= 62) {
      if (const auto d = written_out(a)) return *d;
    }
    return by_elimination(a);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit || n > 62) throw;
    const auto d = nested(a);
    if (!d) throw;
    return *d;
  }
}

Matrix adjugate(const Matrix& a) {
  require_square(a, "the adjugate");
  const Eigen::Index n = a.rows();
  Matrix out(n, n);
  Matrix minor(n - 1, n - 1);
  for (Eigen::Index i = 0; i < n; ++i) {
    for (Eigen::Index j = 0; j < n; ++j) {
      for (Eigen::Index r = 0; r < n - 1; ++r) {
        for (Eigen::Index c = 0; c < n - 1; ++c) minor(r, c) = a(r < i ? r : r + 1, c < j ? c : c + 1);
      }
      const Expr d = determinant(minor);
      out(j, i) = (i + j) % 2 == 0 ? d : -d;
    }
  }
  return out;
}

Expr characteristic_polynomial(const Matrix& a, const Expr& x) {
  const poly::WorkLimit limit(poly::work_of_call());
  require_square(a, "the characteristic polynomial");
  const FractionMatrix m = FractionMatrix::of(a, {});
  const KernelRing& ring = *m.ring;
  const Eigen::Index n = a.rows();
  // c_n = 1; M_1 = I; c_(n-k) = -tr(a*M_k)/k; M_(k+1) = a*M_k + c_(n-k)*I
  const Fraction zero = fraction(Number(0), ring.vars());
  std::vector<Fraction> state(static_cast<std::size_t>(n * n), zero);
  for (Eigen::Index i = 0; i < n; ++i) state[static_cast<std::size_t>(i * n + i)] = fraction(Number(1), ring.vars());
  std::vector<Expr> terms{power(x, Expr(n))};
  for (Eigen::Index k = 1; k <= n; ++k) {
    std::vector<Fraction> product(static_cast<std::size_t>(n * n), zero);
    Fraction trace = zero;
    for (Eigen::Index i = 0; i < n; ++i) {
      for (Eigen::Index j = 0; j < n; ++j) {
        std::vector<Fraction> s;
        for (Eigen::Index l = 0; l < n; ++l) {
          const Fraction& y = state[static_cast<std::size_t>(l * n + j)];
          if (!m.at(i, l).is_zero() && !y.is_zero()) s.push_back(multiply(m.at(i, l), y));
        }
        product[static_cast<std::size_t>(i * n + j)] = ring.reduced(sum(s, ring.vars()));
      }
      trace = add(trace, product[static_cast<std::size_t>(i * n + i)]);
    }
    const Fraction c = ring.reduced(multiply(trace, fraction(Number(-1, k), ring.vars())));
    terms.push_back(ring.expression(c) * power(x, Expr(n - k)));
    for (Eigen::Index i = 0; i < n; ++i)
      product[static_cast<std::size_t>(i * n + i)] = add(product[static_cast<std::size_t>(i * n + i)], c);
    state = std::move(product);
  }
  return add(terms);
}

Eigenvalues eigenvalues(const Matrix& a) {
  require_square(a, "eigenvalues");
  // A name that the matrix does not use.
  std::vector<Expr> entries;
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    for (Eigen::Index j = 0; j < a.cols(); ++j) entries.push_back(a(i, j));
  }
  std::string name = "lambda";
  const auto symbols = free_symbols(entries);
  while (std::any_of(symbols.begin(), symbols.end(), [&](const Symbol& s) { return s.name() == name; })) name += "_";
  Eigenvalues out;
  out.variable = Symbol(name, Assumptions::none());
  const Expr f = factor(characteristic_polynomial(a, out.variable));
  for_each_factor(f, [&](const Expr& base, const Expr& exponent) {
    const auto n = exponent.word();
    if (!depends_on(base, out.variable) || !n || *n < 0) return;
    const auto multiplicity = static_cast<unsigned>(*n);
    const std::vector<Expr> c = coefficients(base, out.variable);
    if (c.size() == 2) {
      out.values.emplace_back(simplify(-c[0] / c[1]), multiplicity);
    } else if (c.size() == 3) {
      const Expr d = simplify(c[1] * c[1] - 4 * c[0] * c[2]);
      // Both roots are taken, so that their order does not matter and |u| may be u.
      Expr root = simplify(sqrt(d));
      Rebuild plain([](const Expr&, Expr&) { return false; },
                    [](const Expr& e) { return e.is(Kind::call) && e.function().name == "abs" ? e.operands()[0] : e; });
      if (const Expr signless = plain(root); expand(signless * signless - d).is_integer(0)) root = signless;
      out.values.emplace_back(simplify((-c[1] - root) / (2 * c[2])), multiplicity);
      out.values.emplace_back(simplify((-c[1] + root) / (2 * c[2])), multiplicity);
    } else {
      out.rest.emplace_back(base, multiplicity);
    }
  });
  return out;
}

Expr trace(const Matrix& a) {
  require_square(a, "the trace");
  Expr s = 0;
  for (Eigen::Index i = 0; i < a.rows(); ++i) s += a(i, i);
  return s;
}

Matrix kronecker(const Matrix& a, const Matrix& b) {
  Matrix out(a.rows() * b.rows(), a.cols() * b.cols());
  for (Eigen::Index i = 0; i < out.rows(); ++i) {
    for (Eigen::Index j = 0; j < out.cols(); ++j)
      out(i, j) = a(i / b.rows(), j / b.cols()) * b(i % b.rows(), j % b.cols());
  }
  return out;
}

namespace {
void require_equal_size(const Vector& a, const Vector& b, const char* what) {
  if (a.size() != b.size())
    throw Error(ErrorKind::shape, std::string(what) + " of vectors with " + std::to_string(a.size()) + " and " +
                                      std::to_string(b.size()) + " components");
}
}  // namespace

Vector cross(const Vector& a, const Vector& b) {
  require_equal_size(a, b, "the cross product");
  if (a.size() != 3)
    throw Error(ErrorKind::shape, "the cross product needs three components, not " + std::to_string(a.size()));
  Vector c(3);
  for (Eigen::Index i = 0; i < 3; ++i) c(i) = a((i + 1) % 3) * b((i + 2) % 3) - a((i + 2) % 3) * b((i + 1) % 3);
  return c;
}

Expr dot(const Vector& a, const Vector& b) {
  require_equal_size(a, b, "the scalar product");
  Expr s = 0;
  for (Eigen::Index i = 0; i < a.size(); ++i) s += a(i) * b(i);
  return s;
}

namespace {
Expr squared(const Expr& e) { return is_real(e) ? e * e : power(abs(e), 2); }
}  // namespace

Expr norm(const Vector& a) {
  Expr s = 0;
  for (Eigen::Index i = 0; i < a.size(); ++i) s += squared(a(i));
  return sqrt(s);
}

Expr frobenius_norm(const Matrix& a) {
  Expr s = 0;
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    for (Eigen::Index j = 0; j < a.cols(); ++j) s += squared(a(i, j));
  }
  return sqrt(s);
}

Expr row_sum_norm(const Matrix& a) {
  std::vector<Expr> sums;
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    Expr s = 0;
    for (Eigen::Index j = 0; j < a.cols(); ++j) s += abs(a(i, j));
    sums.push_back(s);
  }
  if (sums.empty()) return 0;
  return sums.size() == 1 ? sums[0] : call(*find_function("max"), sums);
}

Expr column_sum_norm(const Matrix& a) { return row_sum_norm(a.transpose()); }

Matrix simplify(const Matrix& a) {
  Matrix out(a.rows(), a.cols());
  for (Eigen::Index i = 0; i < a.rows(); ++i) {
    for (Eigen::Index j = 0; j < a.cols(); ++j) out(i, j) = simplify(a(i, j));
  }
  return out;
}

}  // namespace boreon
