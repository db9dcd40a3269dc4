// SPDX-License-Identifier: MIT
// Products of sparse polynomials. The sums of products are kept in 128 or 192 bits where that is provably enough.
#include <bit>

#include "algebra/polynomial/polynomial.hpp"
#include "algebra/polynomial/product_kernel.hpp"
#include "algebra/polynomial/wide_sum.hpp"
#include "algebra/polynomial/work.hpp"

namespace boreon::poly {
namespace {

struct SumBig {
  mpz_class value;
  void add_product(const Integer& a, const Integer& b) { Integer::add_product(value, a, b); }
  [[nodiscard]] bool is_zero() const { return sgn(value) == 0; }
};

}  // namespace

Poly multiply(const Poly& a, const Poly& b) {
  if (a.size() < b.size()) return multiply(b, a);
  charge(static_cast<std::uint64_t>(a.size()) * b.size() + 8);
  const Layout layout = product_layout(a, b);
  if (b.is_zero()) return Poly(layout);
  if (!(a.layout == layout)) return multiply(a.repacked(layout), b.repacked(layout));
  if (!(b.layout == layout)) return multiply(a, b.repacked(layout));
  if (b.size() == 1) {
    Poly out(layout);
    out.reserve(a.size());
    std::vector<std::uint64_t> m(layout.words());
    for (std::size_t i = 0; i < a.size(); ++i) {
      for (std::size_t k = 0; k < m.size(); ++k) m[k] = a.monomial(i)[k] + b.exponents[k];
      out.push(m.data(), a.coefficients[i] * b.coefficients[0]);
    }
    return out;
  }
  std::size_t bits_a = 0;
  std::size_t bits_b = 0;
  for (const Integer& c : a.coefficients) bits_a = std::max(bits_a, c.bit_length());
  for (const Integer& c : b.coefficients) bits_b = std::max(bits_b, c.bit_length());
  // what large coefficients cost beyond machine words
  if (bits_a + bits_b > 64)
    spend(static_cast<std::uint64_t>(a.size()) * b.size() * (6 + (bits_a / 64 + 1) * (bits_b / 64 + 1)));
  if (bits_a > 62 || bits_b > 62)
    return product<SumBig>(a, b, a.coefficients, b.coefficients, layout,
                           [](const SumBig& s) { return Integer(s.value); });
  std::vector<std::int64_t> ca(a.size());
  std::vector<std::int64_t> cb(b.size());
  for (std::size_t i = 0; i < a.size(); ++i) ca[i] = a.coefficients[i].small();
  for (std::size_t i = 0; i < b.size(); ++i) cb[i] = b.coefficients[i].small();
  const auto additions = static_cast<std::size_t>(std::bit_width(b.size()));
  if (bits_a + bits_b + additions < 127)
    return product<Sum128>(a, b, ca, cb, layout, [](const Sum128& s) { return s.integer(); });
  return product<Sum192>(a, b, ca, cb, layout, [](const Sum192& s) { return s.integer(); });
}

double terms_of_power(std::size_t terms, std::uint64_t n) {
  double count = 1;
  for (std::size_t k = 1; k < std::min<std::size_t>(terms, 80) && count < 1e15; ++k)
    count *= (static_cast<double>(n) + static_cast<double>(k)) / static_cast<double>(k);
  return count;
}

Poly power(const Poly& a, unsigned n) {
  if (n == 0) return constant(a.vars(), 1);
  if (n == 1 || a.is_zero()) return a;
  if (a.size() == 1) {
    const Layout layout = Layout::for_degree(a.vars(), std::uint64_t{a.largest_degree()} * n);
    const Poly wide = a.repacked(layout);
    Poly out(layout);
    std::vector<std::uint64_t> m(layout.words(), 0);
    for (unsigned v = 0; v < layout.vars; ++v) layout.set(m.data(), v, wide.exponent(0, v) * n);
    out.push(m.data(), power(a.coefficients[0], n));
    return out;
  }
  if (a.vars() == 1 && a.size() > a.largest_degree() / 2 && n > 2) {  // dense in one variable: squares
    const Poly half = power(a, n / 2);
    const Poly square = multiply(half, half);
    return n % 2 == 0 ? square : multiply(square, a);
  }
  // a = first + rest: sum over k of binomial(n, k)*first^(n - k)*rest^k
  const Layout layout = Layout::for_degree(a.vars(), std::uint64_t{a.largest_degree()} * n);
  Poly rest(layout);
  Poly first(layout);
  const Poly wide = a.repacked(layout);
  // The last term: a constant where there is one, which keeps its powers free.
  for (std::size_t i = 0; i + 1 < wide.size(); ++i) rest.push(wide.monomial(i), wide.coefficients[i]);
  first.push(wide.monomial(wide.size() - 1), wide.coefficients.back());
  Poly out(layout);
  Poly rest_power = constant(a.vars(), 1);
  Integer binomial = 1;
  for (unsigned k = 0;; ++k) {
    const Poly part = scale(multiply(rest_power, power(first, n - k)), binomial).repacked(layout);
    out.exponents.insert(out.exponents.end(), part.exponents.begin(), part.exponents.end());
    out.coefficients.insert(out.coefficients.end(), part.coefficients.begin(), part.coefficients.end());
    if (k == n) break;
    rest_power = multiply(rest_power, rest);
    (void)Integer::divide(binomial * Integer(n - k), Integer(k + 1), binomial);
  }
  out.normalise([](Integer& x, const Integer& y) { x += y; }, [](const Integer& x) { return x.is_zero(); });
  return out;
}

}  // namespace boreon::poly
