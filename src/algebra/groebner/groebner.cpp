// SPDX-License-Identifier: MIT
#include "algebra/groebner/groebner.hpp"

#include <algorithm>

#include "algebra/groebner/exact_reduction.hpp"
#include "algebra/groebner/modular_course.hpp"
#include "algebra/groebner/quotient_ring.hpp"
#include "algebra/groebner/univariate_image.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/error.hpp"

namespace boreon::poly {
namespace {

constexpr std::uint64_t work_of_proof = 300000000;  // about a second

// Polynomials that are not zero, of the same variables.
std::vector<Poly> kept(const std::vector<Poly>& generators, unsigned& vars) {
  std::vector<Poly> out;
  vars = 0;
  for (const Poly& p : generators) vars = std::max(vars, p.vars());
  for (const Poly& p : generators) {
    if (!p.is_zero()) out.push_back(p);
  }
  return out;
}

std::vector<IntegerPolynomial> with_numbers(MonomialTable& table, const std::vector<Poly>& generators) {
  std::vector<IntegerPolynomial> out;
  std::vector<Exponent> e(table.vars());
  for (const Poly& p : generators) {
    std::vector<std::pair<MonomialId, mpz_class>> terms;
    for (std::size_t i = 0; i < p.size(); ++i) {
      std::fill(e.begin(), e.end(), Exponent{0});
      for (unsigned v = 0; v < p.vars(); ++v) {
        if (p.exponent(i, v) > 65535)
          throw Error(ErrorKind::limit, "a polynomial of degree beyond 65535 in a Groebner basis");
        e[v] = static_cast<Exponent>(p.exponent(i, v));
      }
      terms.emplace_back(table.id(e), p.coefficients[i].mpz());
    }
    std::sort(terms.begin(), terms.end(), [&](const auto& a, const auto& b) { return table.larger(a.first, b.first); });
    IntegerPolynomial q;
    for (auto& [m, c] : terms) {
      q.monomials.push_back(m);
      q.coefficients.push_back(std::move(c));
    }
    make_primitive(q);
    out.push_back(std::move(q));
  }
  return out;
}

Poly poly_of(const MonomialTable& table, const IntegerPolynomial& p) {
  Degree degree = 0;
  for (const MonomialId m : p.monomials) degree = std::max(degree, Degree{table.degree(m)});
  Poly out(Layout::for_degree(table.vars(), degree));
  std::vector<std::uint64_t> word(out.layout.words());
  for (std::size_t i = 0; i < p.monomials.size(); ++i) {
    std::fill(word.begin(), word.end(), 0);
    for (unsigned v = 0; v < table.vars(); ++v) out.layout.set(word.data(), v, table.exponents(p.monomials[i])[v]);
    out.push(word.data(), Integer(p.coefficients[i]));
  }
  out.normalise([](Integer& a, const Integer& b) { a += b; }, [](const Integer& c) { return c.is_zero(); });
  return out;
}

std::vector<IntegerPolynomial> elements_of(const Supports& supports, const RationalLift& lift) {
  std::vector<IntegerPolynomial> out;
  for (std::size_t i = 0; i < supports.size(); ++i) {
    IntegerPolynomial p;
    for (std::size_t k = 0; k < supports[i].size(); ++k) {
      const mpz_class& c = lift.lists()[i].numerators[k];
      if (c == 0) continue;
      p.monomials.push_back(supports[i][k]);
      p.coefficients.push_back(c);
    }
    make_primitive(p);
    out.push_back(std::move(p));
  }
  return out;
}

enum class Proof : std::uint8_t {
  complete,
  of_generators,  ///< they are combinations of the basis; whether it is one was too much to prove
  refuted,        ///< all primes were unlucky
};

Proof proof_of(MonomialTable& table, const std::vector<IntegerPolynomial>& generators,
               const std::vector<IntegerPolynomial>& basis) {
  for (const IntegerPolynomial& g : generators) {
    if (!remainder(table, g, basis).monomials.empty()) return Proof::refuted;
  }
  try {
    const WorkLimit limit(work_of_proof);
    return is_groebner_basis(table, basis) ? Proof::complete : Proof::refuted;
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::limit) throw;
    return Proof::of_generators;
  }
}

// The first result that is not refuted, each time with other primes.
template <class F>
auto with_other_primes(const F& f) {
  constexpr int most = 3;
  for (int course = 0; course < most; ++course) {
    if (auto out = f(course)) return *out;
  }
  throw Error(ErrorKind::limit, "a Groebner basis from modular images does not hold over the rationals");
}

// The course of the first prime in one order of the monomials.
struct LearnedBasis {
  MonomialTable table;
  std::vector<IntegerPolynomial> generators;
  ModularCourse course;
  LearnedBasis(unsigned vars, const std::vector<Poly>& from, MonomialOrder order, int primes)
      : table(vars, order), generators(with_numbers(table, from)), course(table, generators, primes) {}
};

std::optional<ModularCoefficients> as_it_is(std::uint32_t, const ModularCoefficients& image, bool) { return image; }

// The lexicographic basis from that by degrees, modulo primes of which the first decides its form.
class ChangedOrder {
 public:
  explicit ChangedOrder(const QuotientBasis& quotient)
      : quotient_(quotient), lexicographic_(quotient.vars(), MonomialOrder::lexicographic) {}

  std::optional<ModularCoefficients> operator()(std::uint32_t prime, const ModularCoefficients& image, bool first) {
    const QuotientModulo ring(quotient_, prime, image);
    Supports form;
    ModularCoefficients out;
    Dependence dependence(prime, ring.dimension());
    std::vector<MonomialId> kept;
    const auto smaller = [this](const Open& a, const Open& b) { return lexicographic_.larger(b.monomial, a.monomial); };
    std::vector<Open> open{{lexicographic_.one(), ring.one()}};
    while (!open.empty()) {
      const auto least = std::min_element(open.begin(), open.end(), smaller);
      const Open now = std::move(*least);
      open.erase(least);
      if (std::any_of(form.begin(), form.end(),
                      [&](const auto& s) { return lexicographic_.divides(s[0], now.monomial); }))
        continue;
      if (auto relation = dependence.add(now.value)) {
        std::vector<MonomialId> support{now.monomial};
        std::vector<std::uint32_t> c{1};
        for (std::size_t k = kept.size(); k-- > 0;) {
          support.push_back(kept[k]);
          c.push_back((*relation)[k] == 0 ? 0 : prime - (*relation)[k]);
        }
        form.push_back(std::move(support));
        out.push_back(std::move(c));
        continue;
      }
      kept.push_back(now.monomial);
      for (unsigned v = 0; v < ring.vars(); ++v) {
        const MonomialId m = lexicographic_.product(now.monomial, lexicographic_.variable(v));
        if (std::none_of(open.begin(), open.end(), [&](const Open& o) { return o.monomial == m; }))
          open.push_back({m, ring.times(now.value, v)});
      }
    }
    if (first) supports_ = form;
    if (form != supports_) return std::nullopt;
    return out;
  }

  [[nodiscard]] const Supports& supports() const { return supports_; }
  [[nodiscard]] MonomialTable& table() { return lexicographic_; }

 private:
  struct Open {
    MonomialId monomial;
    Residues value;
  };
  const QuotientBasis& quotient_;
  MonomialTable lexicographic_;
  Supports supports_;
};

GroebnerBasis result(MonomialTable& table, const std::vector<IntegerPolynomial>& elements) {
  GroebnerBasis out;
  for (const IntegerPolynomial& p : elements) out.elements.push_back(poly_of(table, p));
  return out;
}

bool is_constant(const Supports& supports, const MonomialTable& table) {
  return supports.size() == 1 && table.degree(supports[0][0]) == 0;
}

// The basis itself, put together and verified.
std::optional<GroebnerBasis> put_together(LearnedBasis& b) {
  const RationalLift lift = b.course.lifted(as_it_is);
  const auto elements = elements_of(b.course.supports(), lift);
  const Proof proof = proof_of(b.table, b.generators, elements);
  if (proof == Proof::refuted) return std::nullopt;
  GroebnerBasis out = result(b.table, elements);
  out.primes = lift.primes();
  out.verified = proof == Proof::complete;
  return out;
}

// The product of the degrees: no more zeros than that if there are finitely many, and not so many if there is more than
// points (Bezout; Heintz 1983).
mpz_class bezout(const MonomialTable& table, const std::vector<IntegerPolynomial>& generators) {
  mpz_class out = 1;
  for (const IntegerPolynomial& g : generators) out *= std::max(1U, table.degree(g.monomials[0]));
  return out;
}

std::optional<GroebnerBasis> basis_of(unsigned vars, const std::vector<Poly>& from, MonomialOrder order, int primes) {
  LearnedBasis b(vars, from, MonomialOrder::degree, primes);
  const Supports& supports = b.course.supports();
  const bool finite = QuotientBasis::finite(b.table, supports);
  if (order == MonomialOrder::degree || is_constant(supports, b.table)) {
    auto out = put_together(b);
    if (out && finite) out->dimension = QuotientBasis(b.table, supports).dimension();
    return out;
  }
  if (!finite) {
    LearnedBasis in_order(vars, from, order, primes);
    return put_together(in_order);
  }
  const QuotientBasis quotient(b.table, supports);
  ChangedOrder changed(quotient);
  const RationalLift lift =
      b.course.lifted([&](std::uint32_t p, const ModularCoefficients& c, bool first) { return changed(p, c, first); });
  const auto elements = elements_of(changed.supports(), lift);
  const Proof proof = proof_of(changed.table(), with_numbers(changed.table(), from), elements);
  if (proof == Proof::refuted) return std::nullopt;
  GroebnerBasis out = result(changed.table(), elements);
  out.primes = lift.primes();
  out.dimension = quotient.dimension();
  out.verified = proof == Proof::complete;
  return out;
}

// Zeros of one round, or polynomials that make them simple.
struct Round {
  std::optional<UnivariateZeros> zeros;
  std::vector<Poly> more;
  std::size_t dimension = 0;
};

std::optional<Round> round_of_zeros(unsigned vars, const std::vector<Poly>& from, int primes) {
  Round out;
  LearnedBasis b(vars, from, MonomialOrder::degree, primes);
  const RationalLift basis = b.course.lifted(as_it_is);
  const Proof proof = proof_of(b.table, b.generators, elements_of(b.course.supports(), basis));
  if (proof == Proof::refuted) return std::nullopt;
  if (!QuotientBasis::finite(b.table, b.course.supports())) return out;
  const QuotientBasis quotient(b.table, b.course.supports());
  out.dimension = quotient.dimension();
  UnivariateImage image(quotient);
  if (quotient.dimension() > 0 && !image.choose_form(b.course)) {
    // with the square-free part of what holds for each variable alone, all zeros are simple
    out.more = minimal_polynomials(b.course, quotient);
    return out;
  }
  UnivariateZeros zeros;
  zeros.complete = proof == Proof::complete;
  zeros.dimension = quotient.dimension();
  zeros.primes = basis.primes();
  if (quotient.dimension() > 0) {
    image.lift(b.course, zeros);
    if (!zeros.complete && zeros.distinct == zeros.dimension)
      zeros.complete = bezout(b.table, b.generators) == zeros.distinct;
  }
  out.zeros = std::move(zeros);
  return out;
}

}  // namespace

GroebnerBasis groebner_basis(const std::vector<Poly>& generators, MonomialOrder order) {
  unsigned vars = 0;
  const std::vector<Poly> from = kept(generators, vars);
  if (from.empty()) return {};
  return with_other_primes([&](int primes) { return basis_of(vars, from, order, primes); });
}

std::optional<UnivariateZeros> zeros_of_system(const std::vector<Poly>& generators) {
  unsigned vars = 0;
  std::vector<Poly> from = kept(generators, vars);
  if (from.empty()) return std::nullopt;
  const auto round = [&] { return with_other_primes([&](int primes) { return round_of_zeros(vars, from, primes); }); };
  Round first = round();
  if (first.more.empty()) return std::move(first.zeros);
  const std::vector<Poly> given = from;
  for (Poly& p : first.more) from.push_back(std::move(p));
  Round second = round();
  if (!second.zeros) return std::nullopt;
  second.zeros->dimension = first.dimension;
  LearnedBasis b(vars, given, MonomialOrder::degree, 0);
  const QuotientBasis quotient(b.table, b.course.supports());
  b.course.look([&](std::uint32_t prime, const ModularCoefficients& c) {
    second.zeros->characteristic = characteristic_polynomial(QuotientModulo(quotient, prime, c), second.zeros->form);
    second.zeros->prime = prime;
  });
  return std::move(second.zeros);
}

std::optional<std::size_t> count_of_zeros(const std::vector<Poly>& generators) {
  unsigned vars = 0;
  const std::vector<Poly> from = kept(generators, vars);
  if (from.empty()) return std::nullopt;
  LearnedBasis b(vars, from, MonomialOrder::degree, 0);
  if (is_constant(b.course.supports(), b.table)) return 0;
  if (!QuotientBasis::finite(b.table, b.course.supports())) return std::nullopt;
  return QuotientBasis(b.table, b.course.supports()).dimension();
}

}  // namespace boreon::poly
