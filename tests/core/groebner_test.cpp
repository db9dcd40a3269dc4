// SPDX-License-Identifier: MIT
// Systems of polynomials: numbers of solutions known from the literature, unlucky primes, and random systems whose real
// solutions a search with Newton's method from many places finds too.
#include <doctest/doctest.h>

#include <Eigen/LU>

#include <cmath>
#include <complex>
#include <random>

#include "algebra/groebner/exact_reduction.hpp"
#include "algebra/groebner/groebner.hpp"
#include "algebra/groebner/modular_basis.hpp"
#include "algebra/groebner/rational_lift.hpp"
#include "algebra/linear_terms.hpp"
#include "boreon/boreon.hpp"
#include "calculus/integral/integrator.hpp"
#include "polynomial_systems.hpp"

using namespace boreon;

namespace {

using test::cyclic;
using test::economic;
using test::katsura;
using test::PolynomialSystem;

std::vector<poly::Poly> polynomials(const PolynomialSystem& s) {
  const auto vars = static_cast<unsigned>(s.unknowns.size());
  std::vector<poly::Poly> out;
  for (const Expr& e : s.equations) {
    poly::Poly sum = poly::constant(vars, poly::Integer(0));
    for (const Expr& t : terms_of(expand(e))) {
      poly::Poly term = poly::constant(vars, poly::Integer::from(leading_number(t).number()));
      for (unsigned v = 0; v < vars; ++v) {
        const auto c = polynomial_in(t, Symbol::from(s.unknowns[v]), 100);
        if (c->size() > 1)
          term = poly::multiply(term, poly::variable(vars, v, static_cast<poly::Degree>(c->size() - 1)));
      }
      sum = poly::add(sum, term);
    }
    out.push_back(sum);
  }
  return out;
}

std::size_t groebner_dimension(const std::vector<Expr>& equations, const std::vector<Expr>& unknowns) {
  return poly::groebner_basis(polynomials({equations, unknowns}), poly::MonomialOrder::degree).dimension.value_or(0);
}

std::size_t zeros_counted(const PolynomialSystem& s) {
  const auto zeros = poly::zeros_of_system(polynomials(s));
  REQUIRE(zeros.has_value());
  CHECK(zeros->complete);
  return zeros->dimension;
}

}  // namespace

TEST_CASE("systems whose number of solutions is known") {
  CHECK(zeros_counted(cyclic(5)) == 70);
  CHECK(zeros_counted(katsura(5)) == 32);
  CHECK(zeros_counted(economic(8)) == 64);
  const auto six = poly::groebner_basis(polynomials(cyclic(6)), poly::MonomialOrder::degree);
  CHECK(six.dimension == 156);
  CHECK(six.verified);
  const auto eight = poly::groebner_basis(polynomials(katsura(8)), poly::MonomialOrder::degree);
  CHECK(eight.dimension == 256);
  CHECK(!poly::groebner_basis(polynomials(cyclic(4)), poly::MonomialOrder::degree).dimension.has_value());
}

TEST_CASE("two orders have the same ideal") {
  for (const PolynomialSystem& s : {cyclic(5), katsura(3), economic(5)}) {
    CAPTURE(to_text(s.equations[0]));
    const auto by_degree = groebner_basis(s.equations, s.unknowns, BasisOrder::degree);
    const auto lexicographic = groebner_basis(s.equations, s.unknowns);
    // each basis together with the other has the same reduced basis
    std::vector<Expr> both = by_degree;
    both.insert(both.end(), lexicographic.begin(), lexicographic.end());
    CHECK((groebner_basis(both, s.unknowns, BasisOrder::degree) == by_degree));
    CHECK((groebner_basis(both, s.unknowns) == lexicographic));
    // the last unknown stands alone in the first element
    for (std::size_t k = 0; k + 1 < s.unknowns.size(); ++k) CHECK(!depends_on(lexicographic[0], s.unknowns[k]));
  }
}

TEST_CASE("a prime that divides a leading coefficient, or changes the course, is left out") {
  // the product of the primes that are tried first
  mpz_class first = 2000000000;
  mpz_class product = 1;
  for (int k = 0; k < 3; ++k) {
    mpz_nextprime(first.get_mpz_t(), first.get_mpz_t());
    product *= first;
  }
  const Expr p(Number::parse(product.get_str()));
  const Symbol x("x"), y("y");
  const SolutionSet linear = solve({p * x + y - 3, x - y - 5}, {x, y});
  REQUIRE(linear.solutions.size() == 1);
  CHECK((linear.solutions[0].values.find(x)->number() == Number(8) / (p.number() + Number(1))));
  // modulo these primes the two curves are one
  const auto basis = groebner_basis({x * x + y - 2, x * x + y - 2 + p * (y * y - 3)}, {x, y});
  CHECK((basis == std::vector<Expr>{y * y - 3, x * x + y - 2}));
  // modulo these primes the equations contradict each other
  const SolutionSet far = solve({x, x + p * y - 1}, {x, y});
  REQUIRE(far.solutions.size() == 1);
  CHECK((*far.solutions[0].values.find(y) == 1 / p));
  const SolutionSet bent = solve({x * x, x * y + p * y * y - 1}, {x, y});
  CHECK(bent.solutions.size() == 2);
  // the prime numbers stand in the answer
  const SolutionSet s = solve({x * y - p, x + y - p - 1}, {x, y});
  CHECK(s.solutions.size() == 2);
  CHECK(s.complete);
}

TEST_CASE("what is no Groebner basis is seen") {
  poly::MonomialTable table(2, poly::MonomialOrder::degree);
  const auto monomial = [&](poly::Exponent a, poly::Exponent b) { return table.id(std::vector<poly::Exponent>{a, b}); };
  const poly::IntegerPolynomial circle{{monomial(2, 0), monomial(0, 2), monomial(0, 0)}, {1, 1, -5}};
  const poly::IntegerPolynomial hyperbola{{monomial(1, 1), monomial(0, 0)}, {1, -2}};
  const poly::IntegerPolynomial third{{monomial(0, 3), monomial(1, 0), monomial(0, 1)}, {1, 2, -5}};
  const poly::IntegerPolynomial wrong{{monomial(0, 3), monomial(1, 0), monomial(0, 1)}, {1, 2, -4}};
  CHECK(poly::is_groebner_basis(table, std::vector{circle, hyperbola, third}));
  CHECK_FALSE(poly::is_groebner_basis(table, std::vector{circle, hyperbola}));
  CHECK_FALSE(poly::is_groebner_basis(table, std::vector{circle, hyperbola, wrong}));
  CHECK(poly::remainder(table, third, std::vector{circle, hyperbola, third}).monomials.empty());
  CHECK_FALSE(poly::remainder(table, wrong, std::vector{circle, hyperbola, third}).monomials.empty());
}

TEST_CASE("rational numbers come back from residues, and not before there are enough") {
  mpq_class a("123456789012345678901/98765432109876543");
  a.canonicalize();
  const mpq_class b("-7/3");
  poly::RationalLift lift;
  mpz_class p = 2000000000;
  bool found = false;
  for (int k = 0; k < 12 && !found; ++k) {
    mpz_nextprime(p.get_mpz_t(), p.get_mpz_t());
    const auto residue = [&](const mpq_class& q) {
      mpz_class r;
      mpz_invert(r.get_mpz_t(), q.get_den_mpz_t(), p.get_mpz_t());
      r *= q.get_num();
      return static_cast<std::uint32_t>(mpz_fdiv_ui(r.get_mpz_t(), p.get_ui()));
    };
    const std::vector<std::vector<std::uint32_t>> residues{{residue(a), residue(b)}};
    found = lift.reconstruct() && lift.primes() > 0 && lift.agrees(static_cast<std::uint32_t>(p.get_ui()), residues);
    if (!found) lift.add(static_cast<std::uint32_t>(p.get_ui()), residues);
  }
  REQUIRE(found);
  CHECK(lift.primes() >= 4);
  const auto& list = lift.lists()[0];
  CHECK((mpq_class(list.numerators[0]) == a * list.denominator));
  CHECK((mpq_class(list.numerators[1]) == b * list.denominator));
}

TEST_CASE("zeros that are not simple, and none, and too many") {
  const Symbol x("x"), y("y"), z("z");
  const SolutionSet fat = solve({x * x, y * y, x * y}, {x, y});
  REQUIRE(fat.solutions.size() == 1);
  CHECK(fat.complete);
  CHECK(fat.solutions[0].multiplicity == 3);
  // the multiplicities of all zeros are as many as the dimension of the quotient ring
  for (const auto& [equations, most] :
       std::vector<std::pair<std::vector<Expr>, unsigned>>{{{power(x - 1, 2), power(y, 3) * (y - 2), (x - 1) * y}, 4},
                                                           {{power(x - y, 2), x + y - 2}, 2},
                                                           {{power(x, 2) * (x - 1), power(y, 2) * (y + 1)}, 4},
                                                           {{power(power(x, 2) - 2, 2), power(y, 2) - y}, 2}}) {
    const SolutionSet s = solve(equations, {x, y});
    unsigned sum = 0;
    unsigned largest = 0;
    for (const Solution& one : s.solutions) {
      sum += one.multiplicity;
      largest = std::max(largest, one.multiplicity);
    }
    CHECK(sum == groebner_dimension(equations, {x, y}));
    CHECK(largest == most);
  }
  const SolutionSet touching = solve({power(x, 2) + power(y, 2) - 1, y - 1}, {x, y});
  CHECK(touching.solutions.size() == 1);
  CHECK(solve({x + y - 1, x + y - 2, z - 1}, {x, y, z}).solutions.empty());
  // two spheres and a plane with a double intersection, and many solutions with a common first coordinate
  const SolutionSet many = solve({power(x, 3) - x, power(y, 3) - 2 * y, power(z, 2) - 3}, {x, y, z});
  CHECK(many.solutions.size() == 18);
  CHECK(many.complete);
  const SolutionSet curve = solve({x * z - y, y * y - x * x * z * z}, {x, y, z});
  CHECK(!curve.free.empty());
}

// All solutions are solutions, as many as the dimension says, and every real one that Newton's method finds is there.
TEST_CASE("random systems of polynomials: nothing wrong, nothing missing") {
  std::mt19937 dice(20261130);
  const auto below = [&](int n) { return static_cast<int>(dice() % static_cast<unsigned>(n)); };
  int solved = 0;
  int reached = 0;
  for (int trial = 0; trial < 60; ++trial) {
    const std::size_t n = 2 + (trial % 3 == 0 ? 1 : 0);
    PolynomialSystem s;
    for (std::size_t v = 0; v < n; ++v) s.unknowns.push_back(Symbol(std::string(1, static_cast<char>('x' + v))));
    for (std::size_t i = 0; i < n; ++i) {
      Expr e = below(9) - 4;
      const int degree = n == 3 ? 1 + below(2) : 1 + below(3);
      for (int k = 0; k < 4; ++k) {
        Expr term = below(11) - 5;
        for (int d = 0; d < degree; ++d)
          term *= below(3) == 0 ? Expr(1) : s.unknowns[static_cast<std::size_t>(below(static_cast<int>(n)))];
        e += term;
      }
      s.equations.push_back(e);
    }
    if (std::any_of(s.unknowns.begin(), s.unknowns.end(), [&](const Expr& u) {
          return std::none_of(s.equations.begin(), s.equations.end(), [&](const Expr& e) { return depends_on(e, u); });
        }))
      continue;
    CAPTURE(to_text(s.equations[0]));
    CAPTURE(to_text(s.equations[1]));
    const SolutionSet found = solve(s.equations, s.unknowns);
    REQUIRE(found.status == SolveStatus::exact);
    if (!found.free.empty()) continue;
    CHECK(found.complete);
    ++solved;
    std::vector<std::vector<std::complex<double>>> places;
    for (const Solution& one : found.solutions) {
      Bindings at;
      places.emplace_back();
      for (const Expr& u : s.unknowns) places.back().push_back(evaluate_complex(*one.values.find(u)));
      for (const Expr& e : s.equations) {
        double size = 0;
        for (const Expr& t : terms_of(e))
          size += std::abs(evaluate_complex(substitute(t, one.values, Unused::allowed)));
        CHECK(std::abs(evaluate_complex(substitute(e, one.values, Unused::allowed))) <= 1e-9 * (1 + size));
      }
    }
    // the witness
    std::vector<Symbol> symbols;
    std::vector<Expr> outputs = s.equations;
    for (const Expr& u : s.unknowns) symbols.push_back(Symbol::from(u));
    for (const Expr& e : s.equations) {
      for (const Symbol& u : symbols) outputs.push_back(derivative(e, u));
    }
    const Kernel kernel = compile({OutputGroup("f", outputs)}, {{"x", symbols}});
    for (int start = 0; start < 200; ++start) {
      std::vector<double> x(n);
      for (double& v : x) v = (below(2001) - 1000) / 150.0;
      std::vector<double> f(outputs.size());
      double step = 1;
      for (int k = 0; k < 60 && step > 1e-13; ++k) {
        kernel({std::span<const double>(x)}, {std::span<double>(f)});
        Eigen::MatrixXd j(n, n);
        Eigen::VectorXd r(n);
        for (std::size_t i = 0; i < n; ++i) {
          r(static_cast<Eigen::Index>(i)) = f[i];
          for (std::size_t v = 0; v < n; ++v)
            j(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(v)) = f[n + i * n + v];
        }
        const Eigen::VectorXd d = j.fullPivLu().solve(r);
        step = 0;
        for (std::size_t v = 0; v < n; ++v) {
          x[v] -= d(static_cast<Eigen::Index>(v));
          step = std::max(step, std::abs(d(static_cast<Eigen::Index>(v))) / (1 + std::abs(x[v])));
        }
        if (!std::isfinite(step)) break;
      }
      if (!(step <= 1e-13)) continue;
      kernel({std::span<const double>(x)}, {std::span<double>(f)});
      Eigen::MatrixXd slopes(n, n);
      double residual = 0;
      for (std::size_t i = 0; i < n; ++i) {
        residual = std::max(residual, std::abs(f[i]));
        for (std::size_t v = 0; v < n; ++v)
          slopes(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(v)) = f[n + i * n + v];
      }
      if (residual > 1e-9 || std::abs(slopes.determinant()) < 1e-4) continue;  // no root, or no simple one
      ++reached;
      double nearest = 1e300;
      for (const auto& p : places) {
        double distance = 0;
        for (std::size_t v = 0; v < n; ++v) distance = std::max(distance, std::abs(p[v] - x[v]) / (1 + std::abs(x[v])));
        nearest = std::min(nearest, distance);
      }
      CHECK(nearest <= 1e-6);
    }
  }
  CHECK(solved >= 40);
  CHECK(reached > 2000);
}
