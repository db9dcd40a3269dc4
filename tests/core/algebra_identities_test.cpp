// SPDX-License-Identifier: MIT
// Identities over random input: what holds for all polynomials, matrices and waves must hold for these.
#include <doctest/doctest.h>

#include <thread>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "boreon/evaluate.hpp"
#include "boreon/functions.hpp"
#include "boreon/linear_algebra.hpp"
#include "boreon/matrix.hpp"
#include "boreon/rewrite.hpp"
#include "boreon/simplify.hpp"
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "core/random_expression.hpp"

using namespace boreon;

namespace {

class Random {
 public:
  explicit Random(std::uint64_t seed) : source_(seed, {Symbol("x")}) {}
  std::int64_t integer(std::int64_t low, std::int64_t high) {
    return low + static_cast<std::int64_t>(source_.pick(static_cast<std::size_t>(high - low + 1)));
  }
  Expr rational() { return Expr(Number(integer(-9, 9), integer(1, 5))); }
  // Sparse: a few terms of random exponents.
  Expr sparse(const std::vector<Expr>& x, int terms, int degree) {
    Expr s = 0;
    for (int k = 0; k < terms; ++k) {
      Expr m = integer(1, 20) * (integer(0, 1) == 0 ? 1 : -1);
      for (const Expr& v : x) m *= pow(v, integer(0, degree));
      s += m;
    }
    return s.is_integer(0) ? x[0] : s;
  }

 private:
  test::RandomExpression source_;
};

const std::vector<Expr>& variables() {
  static const std::vector<Expr> x{Symbol("x"), Symbol("y"), Symbol("z")};
  return x;
}

// Equal up to a number in front.
bool associated(const Expr& a, const Expr& b) { return combine_fractions(a / b).is_number(); }

}  // namespace

TEST_CASE("identities: greatest common divisors of random polynomials") {
  Random random(1);
  for (int k = 0; k < 80; ++k) {
    const Expr g = random.sparse(variables(), 4, 3);
    const Expr a = random.sparse(variables(), 4, 3);
    const Expr b = random.sparse(variables(), 5, 2);
    INFO(to_text(g) << "; " << to_text(a) << "; " << to_text(b));
    const Expr found = greatest_common_divisor(expand(g * a), expand(g * b));
    // gcd(g*a, g*b) = g*gcd(a, b)
    CHECK(associated(found, g * greatest_common_divisor(a, b)));
    CHECK(associated(greatest_common_divisor(expand(g * a), g), g));
    CHECK(greatest_common_divisor(a, b) == greatest_common_divisor(b, a));
  }
}

TEST_CASE("identities: factors of sparse products with leading coefficients that are polynomials") {
  Random random(2);
  for (int k = 0; k < 60; ++k) {
    const Expr a = random.sparse(variables(), 3, 3) * variables()[0] + 1;
    const Expr b = random.sparse(variables(), 3, 2) * variables()[1] + 3;
    const Expr c = random.sparse(variables(), 3, 2) + pow(variables()[2], 4);
    const Expr product = expand(a * b * c);
    INFO(to_text(product));
    const Expr f = factor(product);
    CHECK(expand(f) == product);
    // Each of the three divides the product of the factors: what is common to both is all of it.
    for (const Expr& part : {a, b, c})
      CHECK(associated(greatest_common_divisor(expand(f), expand(part)), expand(part)));
    CHECK(f.is(Kind::product));
  }
}

TEST_CASE("identities: resultants multiply") {
  Random random(3);
  const std::vector<Expr> two{variables()[0], variables()[1]};
  const Expr& x = variables()[0];
  for (int k = 0; k < 30; ++k) {
    const Expr a = random.sparse(two, 3, 2) + pow(x, 3);
    const Expr b = random.sparse(two, 3, 2) + pow(x, 3);
    const Expr c = random.sparse(two, 3, 2) + pow(x, 3);
    CHECK(expand(resultant(expand(a * b), c, x) - resultant(a, c, x) * resultant(b, c, x)).is_integer(0));
  }
}

TEST_CASE("identities: quotients obey the rules of fractions") {
  Random random(4);
  for (int k = 0; k < 60; ++k) {
    const Expr a = random.sparse(variables(), 3, 2) / random.sparse(variables(), 2, 2);
    const Expr b = random.sparse(variables(), 3, 1) / random.sparse(variables(), 2, 1);
    const Expr c = random.sparse(variables(), 2, 2) / random.sparse(variables(), 2, 1);
    INFO(to_text(a) << "; " << to_text(b) << "; " << to_text(c));
    CHECK(combine_fractions(a * (b + c) - a * b - a * c).is_integer(0));
    CHECK(combine_fractions((a + b) + c) == combine_fractions(a + (b + c)));
    CHECK(combine_fractions(combine_fractions(a + b) * combine_fractions(c)) == combine_fractions((a + b) * c));
    const Quotient q = quotient(a + b);
    CHECK(greatest_common_divisor(q.numerator, q.denominator) == 1);
    // derivatives of both forms are the same function
    CHECK(combine_fractions(derivative(combine_fractions(a), variables()[0]) - derivative(a, variables()[0]))
              .is_integer(0));
  }
}

TEST_CASE("identities: random waves are recognised as zero") {
  Random random(5);
  const Symbol x("x"), y("y");
  for (int k = 0; k < 60; ++k) {
    const auto angle = [&] {
      return random.integer(-3, 3) * x + random.integer(-2, 2) * y + random.integer(0, 1) * pi() / random.integer(1, 3);
    };
    const Expr u = angle();
    const Expr v = angle();
    const Expr wave = random.rational() * pow(sin(u), random.integer(0, 3)) * pow(cos(v), random.integer(0, 3)) +
                      random.rational() * sin(u) * sin(v);
    INFO(to_text(wave));
    CHECK(equivalent(wave, expand_angles(wave)).verdict == Equivalence::proved);
    CHECK(equivalent(wave, combine_angles(wave)).verdict == Equivalence::proved);
    CHECK(simplify(wave - combine_angles(wave)) == 0);
    if (!wave.is_integer(0))
      CHECK(equivalent(wave, wave + Expr(Number(1, 1000000000)) * x).verdict == Equivalence::refuted);
  }
}

TEST_CASE("identities: hyperbolic waves and exponentials") {
  Random random(6);
  const Symbol x("x"), y("y");
  for (int k = 0; k < 40; ++k) {
    const Expr u = random.integer(-2, 2) * x + random.integer(1, 2) * y;
    const Expr v = random.integer(-1, 2) * x;
    const Expr e =
        random.rational() * pow(cosh(u), random.integer(1, 3)) * sinh(v) + random.rational() * exp(u) * pow(sinh(u), 2);
    INFO(to_text(e));
    CHECK(equivalent(e, in_exponentials(e)).verdict == Equivalence::proved);
    CHECK(equivalent(e, expand_angles(e)).verdict == Equivalence::proved);
  }
}

TEST_CASE("identities: simplify undoes what expand and fractions do") {
  Random random(7);
  const Symbol x("x"), y("y");
  int reached = 0;
  for (int k = 0; k < 60; ++k) {
    const Expr a = random.integer(1, 5) * x + random.integer(1, 5);
    const Expr b = random.integer(1, 5) * y - random.integer(1, 5) * x;
    const Expr target = pow(a, random.integer(2, 4)) * pow(b, random.integer(1, 3));
    const Expr s = simplify(expand(target));
    INFO(to_text(target) << " -> " << to_text(s));
    CHECK(expand(s) == expand(target));
    reached += written_cost(s) <= written_cost(factor(target)) ? 1 : 0;
  }
  CHECK(reached == 60);
}

TEST_CASE("identities: determinants multiply, inverses invert, ranks add up") {
  Random random(8);
  const Symbol t("t");
  for (int k = 0; k < 25; ++k) {
    const Eigen::Index n = 2 + static_cast<Eigen::Index>(random.integer(0, 2));
    const auto matrix = [&] {
      Matrix m(n, n);
      for (Eigen::Index i = 0; i < m.size(); ++i)
        m.data()[i] = random.integer(0, 2) == 0 ? Expr(random.integer(-3, 3)) * t : random.rational();
      return m;
    };
    const Matrix a = matrix();
    const Matrix b = matrix();
    const Matrix ab = a * b;
    CHECK(expand(determinant(ab) - determinant(a) * determinant(b)).is_integer(0));
    const Matrix transposed = a.transpose();
    CHECK(expand(determinant(transposed) - determinant(a)).is_integer(0));
    CHECK(rank(a) + null_space(a).cols() == n);
    if (!determinant(a).is_integer(0)) {
      const Matrix inv = inverse(a);
      CHECK(combine_fractions(determinant(inv) * determinant(a)) == 1);
      CHECK(expand(trace(ab) - trace(Matrix(b * a))).is_integer(0));
    }
    // similar matrices have one characteristic polynomial
    const Symbol s("s");
    CHECK(expand(characteristic_polynomial(ab, s) - characteristic_polynomial(Matrix(b * a), s)).is_integer(0));
  }
}

TEST_CASE("identities: eigenvalues add up to the trace and multiply to the determinant") {
  Random random(9);
  for (int k = 0; k < 30; ++k) {
    Matrix m(2, 2);
    for (Eigen::Index i = 0; i < 4; ++i) m.data()[i] = random.integer(-6, 6);
    const Eigenvalues e = eigenvalues(m);
    Expr sum = 0;
    Expr product = 1;
    for (const auto& [value, n] : e.values) {
      sum += Expr(n) * value;
      product *= power(value, Expr(n));
    }
    CHECK(expand(sum - trace(m)).is_integer(0));
    CHECK(expand(product - determinant(m)).is_integer(0));
  }
}

TEST_CASE("identities: rules that keep the value keep it everywhere") {
  const auto rules = parse_rules(
      "sin(u)^2 becomes 1 - cos(u)^2 for any u\n"
      "exp(u)*exp(v) becomes exp(u + v) for any u, v\n"
      "cosh(u) becomes exp(u)/2 + exp(-u)/2 for any u\n"
      "u^n*v^n becomes (u*v)^n for any u, v, n where n integer\n");
  test::RandomExpression grow(10, {Symbol("x"), Symbol("y")});
  for (int k = 0; k < 300; ++k) {
    const Expr e = pow(sin(grow(3)), 2) + grow(6) * exp(grow(2)) * exp(cosh(grow(2)));
    INFO(to_text(e));
    const Rewritten r = rewrite_with_report(e, rules);
    CHECK(!r.limit_reached);
    CHECK(compare(e, r.expression).agrees);
    // nothing is left to do
    CHECK(rewrite_with_report(r.expression, rules).applications == 0);
  }
}

TEST_CASE("simplify, factor and rewrite may run in several threads at once") {
  const Symbol x("x"), y("y");
  const Expr e = expand(pow(x + y, 3) * (x - y)) + pow(sin(x), 2) + pow(cos(x), 2) - 1;
  const Expr simple = simplify(e);
  const Expr factors = factor(pow(x, 12) - pow(y, 12));
  std::vector<std::thread> threads;
  std::vector<int> wrong(4, 0);
  for (std::size_t t = 0; t < 4; ++t) {
    threads.emplace_back([&, t] {
      for (int k = 0; k < 3; ++k) {
        if (!(simplify(e) == simple)) ++wrong[t];
        if (!(factor(pow(x, 12) - pow(y, 12)) == factors)) ++wrong[t];
      }
    });
  }
  for (std::thread& t : threads) t.join();
  for (const int w : wrong) CHECK(w == 0);
}
