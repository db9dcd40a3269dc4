// SPDX-License-Identifier: MIT
#include "algebra/groebner/univariate_image.hpp"

#include <algorithm>

#include "algebra/polynomial/univariate_mod.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/error.hpp"

namespace boreon::poly {
namespace {

constexpr int most_forms = 30;

Uni wide(const Residues& r) {
  Uni out(r.begin(), r.end());
  trim(out);
  return out;
}

Residues narrow(const Uni& a, std::size_t length) {
  Residues out(length, 0);
  for (std::size_t k = 0; k < a.size(); ++k) out[k] = static_cast<std::uint32_t>(a[k]);
  return out;
}

// The powers of u up to the first that depends on those before it: x^n - sum, coefficients from the constant on.
Residues minimal_polynomial(const QuotientModulo& ring, const std::vector<int>& form, Dependence& powers) {
  Residues power = ring.one();
  while (true) {
    if (auto relation = powers.add(power)) {
      for (std::uint32_t& c : *relation) c = c == 0 ? 0 : ring.prime() - c;
      relation->push_back(1);
      return std::move(*relation);
    }
    power = ring.times(power, form);
  }
}

// Of the k-th trial: each variable alone, the last first, then small numbers.
std::vector<int> form_of_trial(int k, unsigned vars, Dice& dice) {
  std::vector<int> out(vars, 0);
  if (k < static_cast<int>(vars)) {
    out[vars - 1 - static_cast<unsigned>(k)] = 1;
    return out;
  }
  const int range = 1 + (k - static_cast<int>(vars)) * 2;
  for (unsigned v = 0; v < vars; ++v)
    out[v] = static_cast<int>(dice.below(2 * static_cast<std::uint64_t>(range) + 1)) - range;
  return out;
}

std::vector<Poly> in_one_variable(const RationalLift& lift, unsigned vars) {
  std::vector<Poly> out;
  for (unsigned v = 0; v < vars; ++v) {
    const Poly p = from_coefficients(lift.lists()[v].numerators, v, vars);
    Poly free = constant(vars, Integer(1));
    for (const Factor& f : square_free(p).list) free = multiply(free, f.base);
    out.push_back(std::move(free));
  }
  return out;
}

}  // namespace

bool UnivariateImage::choose_form(ModularCourse& course) {
  Dice dice(11);
  bool found = false;
  course.look([&](std::uint32_t prime, const ModularCoefficients& c) {
    const QuotientModulo ring(quotient_, prime, c);
    const PrimeField field(prime);
    for (int k = 0; k < static_cast<int>(ring.vars()) + most_forms && !found; ++k) {
      const std::vector<int> form = form_of_trial(k, ring.vars(), dice);
      Dependence powers(prime, ring.dimension());
      const Uni q = wide(minimal_polynomial(ring, form, powers));
      if (powers.rank() != ring.dimension()) continue;
      found = true;
      form_ = form;
      square_free_ = degree_of(gcd(field, q, derivative(field, q))) == 0;
    }
  });
  return found;
}

std::optional<ModularCoefficients> UnivariateImage::image(std::uint32_t prime, const ModularCoefficients& c) const {
  const QuotientModulo ring(quotient_, prime, c);
  const PrimeField field(prime);
  const std::size_t n = ring.dimension();
  Dependence powers(prime, n);
  const Residues polynomial = minimal_polynomial(ring, form_, powers);
  if (powers.rank() != n) return std::nullopt;
  const Uni q = wide(polynomial);
  const Uni slope = derivative(field, q);
  if (square_free_ && degree_of(gcd(field, q, slope)) != 0) return std::nullopt;
  ModularCoefficients out{polynomial};
  for (unsigned v = 0; v < ring.vars(); ++v) {
    const auto value = powers.add(ring.times(ring.one(), v));
    if (!square_free_) {
      out.push_back(*value);
      continue;
    }
    Uni h = multiply(field, wide(*value), slope);
    reduce(field, h, q);
    out.push_back(narrow(h, n));
  }
  return out;
}

void UnivariateImage::lift(ModularCourse& course, UnivariateZeros& out) const {
  const RationalLift lift =
      course.lifted([this](std::uint32_t p, const ModularCoefficients& c, bool) { return image(p, c); });
  out.primes += lift.primes();
  out.form = form_;
  out.polynomial = lift.lists()[0].numerators;
  out.by_derivative = square_free_;
  // the derivative is that of the monic polynomial
  const mpz_class& leading = lift.lists()[0].denominator;
  for (std::size_t v = 1; v < lift.lists().size(); ++v) {
    std::vector<mpq_class> numerator;
    for (const mpz_class& c : lift.lists()[v].numerators) {
      mpq_class r(square_free_ ? mpz_class(c * leading) : c, lift.lists()[v].denominator);
      r.canonicalize();
      numerator.push_back(std::move(r));
    }
    out.numerators.push_back(std::move(numerator));
  }
  out.distinct = 0;
  for (const Factor& f : square_free(from_coefficients(out.polynomial, 0, 1)).list) out.distinct += f.base.degree(0);
}

Residues characteristic_polynomial(const QuotientModulo& ring, const std::vector<int>& form) {
  const PrimeField f(ring.prime());
  const std::size_t n = ring.dimension();
  std::vector<Uni> h(n, Uni(n, 0));  // by rows
  for (std::size_t j = 0; j < n; ++j) {
    Residues unit(n, 0);
    unit[j] = 1;
    const Residues column = ring.times(unit, form);
    for (std::size_t i = 0; i < n; ++i) h[i][j] = column[i];
  }
  for (std::size_t m = 1; m + 1 < n; ++m) {
    std::size_t pivot = m;
    while (pivot < n && h[pivot][m - 1] == 0) ++pivot;
    if (pivot == n) continue;
    std::swap(h[pivot], h[m]);
    for (Uni& row : h) std::swap(row[pivot], row[m]);
    const Residue inverse = f.inv(h[m][m - 1]);
    for (std::size_t i = m + 1; i < n; ++i) {
      const Residue c = f.mul(h[i][m - 1], inverse);
      if (c == 0) continue;
      for (std::size_t k = m - 1; k < n; ++k) h[i][k] = f.sub(h[i][k], f.mul(c, h[m][k]));
      for (Uni& row : h) row[m] = f.add(row[m], f.mul(c, row[i]));
    }
    charge(4 * n * (n - m));
  }
  // of the leading blocks, each from those before it
  std::vector<Uni> p{{1}};
  for (std::size_t k = 0; k < n; ++k) {
    Uni next(k + 2, 0);
    for (std::size_t i = 0; i <= k; ++i) next[i + 1] = p[k][i];
    for (std::size_t i = 0; i <= k; ++i) next[i] = f.sub(next[i], f.mul(h[k][k], p[k][i]));
    Residue below = 1;
    for (std::size_t i = k; i-- > 0;) {
      below = f.mul(below, h[i + 1][i]);
      const Residue c = f.mul(below, h[i][k]);
      for (std::size_t j = 0; j < p[i].size(); ++j) next[j] = f.sub(next[j], f.mul(c, p[i][j]));
    }
    charge(2 * k * k);
    p.push_back(std::move(next));
  }
  return narrow(p.back(), n + 1);
}

std::vector<Poly> minimal_polynomials(ModularCourse& course, const QuotientBasis& quotient) {
  std::vector<std::size_t> lengths;
  const RationalLift lift = course.lifted(
      [&](std::uint32_t prime, const ModularCoefficients& c, bool first) -> std::optional<ModularCoefficients> {
        const QuotientModulo ring(quotient, prime, c);
        ModularCoefficients out;
        std::vector<std::size_t> found;
        for (unsigned v = 0; v < ring.vars(); ++v) {
          std::vector<int> form(ring.vars(), 0);
          form[v] = 1;
          Dependence powers(prime, ring.dimension());
          out.push_back(minimal_polynomial(ring, form, powers));
          found.push_back(out.back().size());
        }
        if (first) lengths = found;
        if (found != lengths) return std::nullopt;
        return out;
      });
  return in_one_variable(lift, quotient.vars());
}

}  // namespace boreon::poly
