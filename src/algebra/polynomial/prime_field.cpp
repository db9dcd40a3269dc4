// SPDX-License-Identifier: MIT
#include "algebra/polynomial/prime_field.hpp"

#include <gmpxx.h>

#include <mutex>
#include <vector>

namespace boreon::poly {

Residue next_prime(Residue n) {
  mpz_class r;
  mpz_nextprime(r.get_mpz_t(), mpz_class(static_cast<unsigned long>(n)).get_mpz_t());
  return r.get_ui();
}

Residue large_prime(unsigned k) {
  static std::mutex mutex;
  static std::vector<Residue> known;
  const std::scoped_lock lock(mutex);
  while (known.size() <= k)
    known.push_back(next_prime(known.empty() ? (Residue{1} << 60) + 12345678901U : known.back()));
  return known[k];
}

}  // namespace boreon::poly
