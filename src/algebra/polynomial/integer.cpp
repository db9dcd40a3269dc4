// SPDX-License-Identifier: MIT
#include "algebra/polynomial/integer.hpp"

#include <bit>
#include <numeric>

#include "expr/big_number.hpp"

namespace boreon::poly {

Integer Integer::from(const Number& n) {
  if (const auto w = n.word()) return {*w};
  return Integer(to_mpq(n).get_num());
}

Number Integer::number() const { return is_small() ? Number(small()) : from_mpq(mpq_class(*big())); }

std::size_t Integer::bit_length() const noexcept {
  if (!is_small()) return mpz_sizeinbase(big()->get_mpz_t(), 2);
  const std::int64_t v = small();
  return static_cast<std::size_t>(std::bit_width(static_cast<std::uint64_t>(v < 0 ? -v : v)));
}

std::uint64_t Integer::mod(std::uint64_t p) const {
  if (!is_small()) return mpz_fdiv_ui(big()->get_mpz_t(), p);
  const std::int64_t v = small();
  if (v >= 0) return static_cast<std::uint64_t>(v) % p;
  const std::uint64_t r = static_cast<std::uint64_t>(-v) % p;
  return r == 0 ? 0 : p - r;
}

bool Integer::divide(const Integer& a, const Integer& b, Integer& quotient) {
  if (b.is_zero()) return false;
  if (a.is_small() && b.is_small()) {
    if (a.small() % b.small() != 0) return false;
    quotient = Integer(a.small() / b.small());
    return true;
  }
  const mpz_class n = a.mpz();
  const mpz_class d = b.mpz();
  if (mpz_divisible_p(n.get_mpz_t(), d.get_mpz_t()) == 0) return false;
  mpz_class q;
  mpz_divexact(q.get_mpz_t(), n.get_mpz_t(), d.get_mpz_t());
  quotient = Integer(q);
  return true;
}

Integer Integer::gcd(const Integer& a, const Integer& b) {
  if (a.is_small() && b.is_small()) return {std::gcd(a.small(), b.small())};
  mpz_class g;
  mpz_gcd(g.get_mpz_t(), a.mpz().get_mpz_t(), b.mpz().get_mpz_t());
  return Integer(g);
}

Integer power(const Integer& base, unsigned exponent) {
  mpz_class r;
  mpz_pow_ui(r.get_mpz_t(), base.mpz().get_mpz_t(), exponent);
  return Integer(r);
}

}  // namespace boreon::poly
