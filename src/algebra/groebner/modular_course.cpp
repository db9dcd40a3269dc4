// SPDX-License-Identifier: MIT
#include "algebra/groebner/modular_course.hpp"

#include "algebra/polynomial/prime_field.hpp"
#include "boreon/error.hpp"

namespace boreon::poly {
namespace {

constexpr std::uint32_t before_first_prime = 2000000000;
constexpr int most_unlucky = 3;     // of the primes that follow, before the first one is doubted
constexpr int most_courses = 4;     // first primes
constexpr int primes_to_agree = 2;  // that have no part in a reconstruction

}  // namespace

ModularCourse::ModularCourse(MonomialTable& table, std::span<const IntegerPolynomial> generators, int course)
    : basis_(table, generators), prime_(before_first_prime + static_cast<std::uint32_t>(course) * 10000000U) {
  learn();
}

std::uint32_t ModularCourse::next() {
  prime_ = static_cast<std::uint32_t>(next_prime(prime_));
  return prime_;
}

void ModularCourse::learn() {
  while (!basis_.learn(next())) {
  }
  learned_from_ = prime_;
}

RationalLift ModularCourse::lifted(const FromImage& f) {
  for (int course = 0; course < most_courses; ++course) {
    if (course > 0) {
      const Supports before = supports();
      learn();
      // what was derived from their form does not hold: only for primes that are unlucky one after the other
      if (supports() != before) break;
    }
    RationalLift lift;
    const auto first = f(learned_from_, basis_.coefficients(), true);
    if (!first) continue;
    lift.add(learned_from_, *first);
    int unlucky = 0;
    int agreed = 0;
    bool reconstructed = false;
    std::size_t next_try = 1;
    ModularCoefficients image;
    while (unlucky <= most_unlucky) {
      const std::uint32_t p = next();
      std::optional<ModularCoefficients> lists;
      if (basis_.follow(p, image)) lists = f(p, image, false);
      if (!lists) {
        ++unlucky;
        continue;
      }
      if (!reconstructed && lift.primes() >= next_try) {
        reconstructed = lift.reconstruct();
        if (!reconstructed) next_try = lift.primes() + 1 + lift.primes() / 4;
      }
      if (reconstructed && lift.agrees(p, *lists)) {
        if (++agreed == primes_to_agree) return lift;
        continue;
      }
      reconstructed = false;
      agreed = 0;
      lift.add(p, *lists);
    }
  }
  throw Error(ErrorKind::limit, "no prime led to a Groebner basis over the rationals");
}

}  // namespace boreon::poly
