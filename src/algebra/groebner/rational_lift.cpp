// SPDX-License-Identifier: MIT
#include "algebra/groebner/rational_lift.hpp"

#include "algebra/polynomial/prime_field.hpp"
#include "algebra/polynomial/work.hpp"

namespace boreon::poly {
namespace {

std::uint32_t residue(const mpz_class& n, std::uint32_t p) {
  return static_cast<std::uint32_t>(mpz_fdiv_ui(n.get_mpz_t(), p));
}

// n/d = x modulo m with |n| and d at most the root of m/2; false if there is none.
bool rational(const mpz_class& x, const mpz_class& m, const mpz_class& bound, mpz_class& n, mpz_class& d) {
  mpz_class r0 = m;
  mpz_class r1 = x;
  mpz_class s0 = 0;
  mpz_class s1 = 1;
  mpz_class q;
  mpz_class t;
  while (r1 > bound) {
    mpz_fdiv_qr(q.get_mpz_t(), t.get_mpz_t(), r0.get_mpz_t(), r1.get_mpz_t());
    swap(r0, r1);
    swap(r1, t);
    mpz_submul(s0.get_mpz_t(), q.get_mpz_t(), s1.get_mpz_t());
    swap(s0, s1);
    charge(2 * mpz_size(m.get_mpz_t()));
  }
  if (s1 == 0 || abs(s1) > bound) return false;
  n = s1 < 0 ? mpz_class(-r1) : r1;
  d = abs(s1);
  mpz_gcd(t.get_mpz_t(), n.get_mpz_t(), d.get_mpz_t());
  return t == 1;
}

}  // namespace

void RationalLift::add(std::uint32_t prime, const std::vector<std::vector<std::uint32_t>>& residues) {
  if (primes_ == 0) {
    known_.resize(residues.size());
    for (std::size_t i = 0; i < residues.size(); ++i) known_[i].assign(residues[i].begin(), residues[i].end());
  } else {
    const std::uint64_t inverse = PrimeField(prime).inv(residue(modulus_, prime));
    const std::size_t limbs = mpz_size(modulus_.get_mpz_t());
    for (std::size_t i = 0; i < residues.size(); ++i) {
      charge(residues[i].size() * (8 + 2 * limbs));
      for (std::size_t k = 0; k < residues[i].size(); ++k) {
        mpz_class& x = known_[i][k];
        const std::uint64_t difference = (std::uint64_t{residues[i][k]} + prime - residue(x, prime)) % prime;
        const std::uint64_t by = difference * inverse % prime;
        if (by != 0) mpz_addmul_ui(x.get_mpz_t(), modulus_.get_mpz_t(), by);
      }
    }
  }
  modulus_ *= prime;
  ++primes_;
}

bool RationalLift::reconstruct(std::size_t list) {
  List& out = lists_[list];
  out.numerators.assign(known_[list].size(), 0);
  out.denominator = 1;
  mpz_class bound = modulus_ / 2;
  mpz_sqrt(bound.get_mpz_t(), bound.get_mpz_t());
  mpz_class x;
  mpz_class d;
  for (std::size_t k = 0; k < known_[list].size(); ++k) {
    x = known_[list][k] * out.denominator;
    mpz_fdiv_r(x.get_mpz_t(), x.get_mpz_t(), modulus_.get_mpz_t());
    mpz_class& n = out.numerators[k];
    n = x * 2 > modulus_ ? mpz_class(x - modulus_) : x;
    charge(4 + mpz_size(modulus_.get_mpz_t()));
    if (abs(n) <= bound) continue;
    if (!rational(x, modulus_, bound, n, d)) return false;
    out.denominator *= d;
    if (out.denominator > bound) return false;
    for (std::size_t j = 0; j < k; ++j) out.numerators[j] *= d;
  }
  return true;
}

bool RationalLift::reconstruct() {
  lists_.resize(known_.size());
  if (known_.empty()) return true;
  if (!reconstruct(hardest_)) return false;
  for (std::size_t i = 0; i < known_.size(); ++i) {
    if (i != hardest_ && !reconstruct(i)) {
      hardest_ = i;
      return false;
    }
  }
  return true;
}

bool RationalLift::agrees(std::uint32_t prime, const std::vector<std::vector<std::uint32_t>>& residues) const {
  for (std::size_t i = 0; i < lists_.size(); ++i) {
    const std::uint64_t d = residue(lists_[i].denominator, prime);
    if (d == 0) return false;
    for (std::size_t k = 0; k < residues[i].size(); ++k) {
      if (residue(lists_[i].numerators[k], prime) != d * residues[i][k] % prime) return false;
    }
  }
  return true;
}

}  // namespace boreon::poly
