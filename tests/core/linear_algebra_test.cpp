// SPDX-License-Identifier: MIT
// Determinants, inverses, ranks, linear equations, eigenvalues, norms.
#include <doctest/doctest.h>

#include <Eigen/LU>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/matrix.hpp"
#include "boreon/program.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

Matrix generic(int n, int band = 100, const char* name = "a") {
  Matrix m(n, n);
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < n; ++j)
      m(i, j) = std::abs(i - j) <= band ? Expr(Symbol(name + std::to_string(i) + "_" + std::to_string(j))) : Expr(0);
  }
  return m;
}

// Numbers for all symbols of a matrix, and the matrix of their values.
Eigen::MatrixXd values(const Matrix& m, test::RandomExpression& random, Bindings& b) {
  std::vector<Expr> all(m.data(), m.data() + m.size());
  for (const Symbol& s : free_symbols(all)) {
    if (b.find(s) == nullptr) b.set(s, random.number(-2, 2));
  }
  Eigen::MatrixXd v(m.rows(), m.cols());
  for (Eigen::Index i = 0; i < m.rows(); ++i) {
    for (Eigen::Index j = 0; j < m.cols(); ++j) v(i, j) = evaluate(m(i, j), b, Unused::allowed);
  }
  return v;
}

bool is_zero_matrix(const Matrix& m) {
  for (Eigen::Index i = 0; i < m.size(); ++i) {
    if (!simplify(m.data()[i]).is_integer(0)) return false;
  }
  return true;
}

}  // namespace

TEST_CASE("determinants: generic and banded against numbers") {
  test::RandomExpression random(5, {Symbol("x")});
  for (const auto& [n, band] :
       std::vector<std::pair<int, int>>{{2, 9}, {3, 9}, {5, 9}, {7, 9}, {12, 1}, {12, 2}, {10, 9}}) {
    const Matrix m = generic(n, band);
    const Expr d = determinant(m);
    Bindings b;
    const Eigen::MatrixXd v = values(m, random, b);
    CHECK(evaluate(d, b) == doctest::Approx(v.determinant()).epsilon(1e-9));
  }
  CHECK(determinant(generic(8)).operands().size() / 2 == 40320);
  CHECK(determinant(identity_matrix(40)) == 1);
  CHECK(determinant(Matrix(0, 0)) == 1);
  CHECK_THROWS_WITH_AS((void)determinant(Matrix(2, 3)), doctest::Contains("square"), Error);
}

TEST_CASE("determinants: structure is recognised") {
  const Symbol x("x"), y("y"), z("z"), w("w");
  const std::vector<Expr> nodes{x, y, z, w};
  Matrix vandermonde(4, 4);
  for (int i = 0; i < 4; ++i) {
    for (int j = 0; j < 4; ++j) vandermonde(i, j) = pow(nodes[static_cast<std::size_t>(i)], j);
  }
  Expr product = 1;
  for (std::size_t i = 0; i < 4; ++i) {
    for (std::size_t j = 0; j < i; ++j) product *= nodes[i] - nodes[j];
  }
  CHECK(expand(determinant(vandermonde) - product).is_integer(0));
  // Rotations: the zero is seen although no entry looks like one.
  Matrix rotation(2, 2);
  rotation << cos(x), -sin(x), sin(x), cos(x);
  CHECK(determinant(rotation) == 1);
  Matrix same(2, 2);
  same << pow(sin(x), 2), 1 - pow(cos(x), 2), 1, 1;
  CHECK(determinant(same) == 0);
  CHECK(rank(same) == 1);
  CHECK_THROWS_WITH_AS((void)inverse(same), doctest::Contains("singular"), Error);
  Matrix hilbert(5, 5);
  for (int i = 0; i < 5; ++i) {
    for (int j = 0; j < 5; ++j) hilbert(i, j) = Expr(Number(1, i + j + 1));
  }
  CHECK(determinant(hilbert) == Expr(Number(1, 266716800000)));
  CHECK(is_zero_matrix(hilbert * inverse(hilbert) - identity_matrix(5)));
}

TEST_CASE("inverse and adjugate") {
  for (const int n : {1, 2, 3, 4}) {
    const Matrix m = generic(n);
    const Matrix inv = inverse(m);
    for (Eigen::Index i = 0; i < n; ++i) {
      for (Eigen::Index j = 0; j < n; ++j) {
        Expr s = 0;
        for (Eigen::Index k = 0; k < n; ++k) s += m(i, k) * inv(k, j);
        CHECK(combine_fractions(s) == (i == j ? 1 : 0));
      }
    }
  }
  const Matrix m = generic(3);
  const Matrix product = m * adjugate(m);
  const Expr d = determinant(m);
  for (Eigen::Index i = 0; i < 3; ++i) {
    for (Eigen::Index j = 0; j < 3; ++j) CHECK(expand(product(i, j) - (i == j ? d : Expr(0))).is_integer(0));
  }
}

TEST_CASE("LU: pivots that only look nonzero are not taken") {
  const Symbol x("x");
  Matrix m(3, 3);
  m << pow(x + 1, 2) - pow(x, 2) - 2 * x - 1, 2, 1,  // the first entry is zero in disguise
      1, x, 3, 2, 1, x;
  const LU f = lu_decomposition(m);
  Matrix rows(3, 3);
  for (Eigen::Index i = 0; i < 3; ++i) rows.row(i) = m.row(f.permutation[static_cast<std::size_t>(i)]);
  CHECK(is_zero_matrix(f.lower * f.upper - rows));
  Expr diagonal = f.sign;
  for (Eigen::Index i = 0; i < 3; ++i) {
    CHECK(f.lower(i, i) == 1);
    diagonal *= f.upper(i, i);
  }
  CHECK(combine_fractions(diagonal - determinant(m)).is_integer(0));
}

TEST_CASE("rank, echelon form, null space") {
  Matrix m(3, 4);
  m << 1, 2, 3, 4, 2, 4, 6, 8, 1, 0, 1, 0;
  CHECK(rank(m) == 2);
  const Matrix r = reduced_row_echelon_form(m);
  CHECK(r(0, 0) == 1);
  CHECK(r(1, 1) == 1);
  CHECK(r(2, 3) == 0);
  const Matrix n = null_space(m);
  CHECK(n.cols() == 2);
  CHECK(is_zero_matrix(m * n));
  CHECK(rank(generic(4)) == 4);
  CHECK(null_space(generic(3)).cols() == 0);
}

TEST_CASE("linear equations, dense and sparse") {
  const Matrix m = generic(4);
  Vector b(4);
  for (Eigen::Index i = 0; i < 4; ++i) b(i) = Symbol("b" + std::to_string(i));
  const Vector x = solve_linear(m, b);
  const Vector written = solve_linear(m, b, AnswerForm::written_out);
  for (const Vector& answer : {x, written}) {
    const Vector residual = m * answer - b;
    for (Eigen::Index i = 0; i < 4; ++i) CHECK(combine_fractions(residual(i)).is_integer(0));
  }
  Matrix singular(2, 2);
  singular << 1, 2, 2, 4;
  CHECK_THROWS_WITH_AS((void)solve_linear(singular, Vector(b.head(2))), doctest::Contains("rank 1"), Error);
  CHECK_THROWS_WITH_AS((void)solve_linear(m, Vector(b.head(2))), doctest::Contains("right-hand side"), Error);

  // A chain of diffusion cells: sparse, symbolic coupling.
  const Symbol d("d", {Assumption::positive});
  const int n = 60;
  std::vector<Expr> unknowns;
  std::vector<Expr> equations;
  for (int i = 0; i < n; ++i) unknowns.push_back(Symbol("u" + std::to_string(i)));
  for (int i = 0; i < n; ++i) {
    const auto at = [&](int k) { return k < 0 || k >= n ? Expr(0) : unknowns[static_cast<std::size_t>(k)]; };
    equations.push_back((1 + 2 * d) * at(i) - d * (at(i - 1) + at(i + 1)));
  }
  const SparseMatrix a = sparse_jacobian(equations, unknowns);
  std::vector<Expr> right(static_cast<std::size_t>(n), 1);
  const std::vector<Expr> u = solve_linear(a, right);
  const Matrix dense = a.dense();
  for (int i = 0; i < n; i += 7) {
    Expr s = 0;
    for (int j = 0; j < n; ++j) s += dense(i, j) * u[static_cast<std::size_t>(j)];
    CHECK(evaluate(s, {{d, 0.7}}, Unused::allowed) == doctest::Approx(1).epsilon(1e-10));
  }
}

TEST_CASE("characteristic polynomial and eigenvalues") {
  const Symbol l("l"), a("a"), b("b"), x("x");
  const Matrix m = generic(3);
  // Every matrix is a root of its characteristic polynomial.
  const auto c = coefficients(characteristic_polynomial(m, l), l);
  Matrix p = Matrix::Constant(3, 3, Expr(0));
  Matrix power_of_m = identity_matrix(3);
  for (const Expr& k : c) {
    p += power_of_m * k;
    power_of_m = power_of_m * m;
  }
  for (Eigen::Index i = 0; i < 9; ++i) CHECK(expand(p.data()[i]).is_integer(0));

  Matrix s(2, 2);
  s << a, b, b, a;
  const Eigenvalues e = eigenvalues(s);
  REQUIRE(e.values.size() == 2);
  CHECK(expand(e.values[0].first + e.values[1].first - 2 * a).is_integer(0));
  CHECK(expand(e.values[0].first * e.values[1].first - (a * a - b * b)).is_integer(0));
  Matrix jordan(3, 3);
  jordan << 2, 1, 0, 0, 2, 1, 0, 0, 2;
  const Eigenvalues j = eigenvalues(jordan);
  REQUIRE(j.values.size() == 1);
  CHECK(j.values[0].first == 2);
  CHECK(j.values[0].second == 3);
  Matrix hard(3, 3);
  hard << 0, 0, 1, 1, 0, 1, 0, 1, 0;
  const Eigenvalues h = eigenvalues(hard);
  CHECK(h.values.empty());
  REQUIRE(h.rest.size() == 1);
  CHECK(expand(h.rest[0].first - (pow(h.variable, 3) - h.variable - 1)).is_integer(0));
}

TEST_CASE("products and norms") {
  const Matrix a = generic(2, 9, "a");
  const Matrix b = generic(2, 9, "b");
  const Matrix k = kronecker(a, b);
  CHECK(k.rows() == 4);
  CHECK(expand(determinant(k) - pow(determinant(a), 2) * pow(determinant(b), 2)).is_integer(0));
  Vector u(3);
  Vector v(3);
  for (Eigen::Index i = 0; i < 3; ++i) {
    u(i) = Symbol("u" + std::to_string(i));
    v(i) = Symbol("v" + std::to_string(i));
  }
  const Vector w = cross(u, v);
  CHECK(expand(dot(u, w)).is_integer(0));
  CHECK(expand(dot(w, w) + pow(dot(u, v), 2) - dot(u, u) * dot(v, v)).is_integer(0));
  CHECK(norm(Vector(Vector::Constant(4, Expr(3)))) == 6);
  CHECK(trace(a) == a(0, 0) + a(1, 1));
  Matrix n(2, 2);
  n << 1, -2, 3, 4;
  CHECK(row_sum_norm(n) == 7);
  CHECK(column_sum_norm(n) == 6);
  CHECK(frobenius_norm(n) == sqrt(Expr(30)));
  CHECK_THROWS_AS((void)cross(Vector(u.head(2)), Vector(v.head(2))), Error);
  CHECK_THROWS_AS((void)dot(u, Vector(v.head(2))), Error);
}

TEST_CASE("generic code for numbers accepts expressions") {
  // A routine of Eigen, templated on its scalar.
  const Matrix m = generic(3);
  const Matrix two = m + m;
  CHECK(two(0, 0) == 2 * m(0, 0));
  CHECK(expand((m * m.transpose()).trace() - m.squaredNorm()).is_integer(0));
}

TEST_CASE(
    "the accelerations of chains of pendulums: shared answers are short, and have the digits of elimination in "
    "numbers") {
  for (const Eigen::Index n : {4, 6, 8}) {
    CAPTURE(n);
    std::vector<Expr> angles;
    for (Eigen::Index i = 0; i < n; ++i) angles.push_back(Symbol("a" + std::to_string(i)));
    const Symbol g("g");
    Matrix m(n, n);
    Vector b(n);
    for (Eigen::Index i = 0; i < n; ++i) {
      for (Eigen::Index j = 0; j < n; ++j)
        m(i, j) =
            Expr(n - std::max(i, j)) * cos(angles[static_cast<std::size_t>(i)] - angles[static_cast<std::size_t>(j)]);
      b(i) = -Expr(n - i) * g * sin(angles[static_cast<std::size_t>(i)]);
    }
    const Vector x = solve_linear(m, b);
    const Matrix inverted = inverse(m);
    std::vector<Expr> values(x.data(), x.data() + n);
    const std::vector<OutputGroup> outputs{OutputGroup("x", values), OutputGroup("inverse", inverted),
                                           OutputGroup("m", m),
                                           OutputGroup("b", std::vector<Expr>(b.data(), b.data() + n))};
    const Program p = make_program(outputs, std::vector<InputGroup>{{"angles", angles}, {"g", {g}}});
    CHECK(p.code_size() < static_cast<std::size_t>(4 * n * n * n + 40 * n));
    std::vector<double> at;
    for (Eigen::Index i = 0; i < n; ++i)
      at.push_back(0.3 * static_cast<double>(i) - 0.5 + 0.1 * std::sin(static_cast<double>(7 * i)));
    const auto got = Kernel(p).evaluate({at, {9.81}});
    const Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>> mass(got[2].data(),
                                                                                                        n, n);
    const Eigen::Map<const Eigen::VectorXd> right(got[3].data(), n);
    const Eigen::PartialPivLU<Eigen::MatrixXd> lu(mass);
    const Eigen::VectorXd expected = lu.solve(right);
    const Eigen::MatrixXd inverse_expected = lu.inverse();
    const double condition = 1 / lu.rcond();
    for (Eigen::Index i = 0; i < n; ++i)
      CHECK(std::abs(got[0][static_cast<std::size_t>(i)] - expected(i)) <= 1e-15 * condition * expected.norm());
    for (Eigen::Index i = 0; i < n * n; ++i)
      CHECK(std::abs(got[1][static_cast<std::size_t>(i)] - inverse_expected(i / n, i % n)) <=
            1e-15 * condition * inverse_expected.norm());
  }
}
