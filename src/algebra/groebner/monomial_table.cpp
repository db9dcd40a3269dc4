// SPDX-License-Identifier: MIT
#include "algebra/groebner/monomial_table.hpp"

#include <algorithm>

#include "algebra/polynomial/prime_field.hpp"
#include "boreon/error.hpp"

namespace boreon::poly {
namespace {

constexpr MonomialId empty_slot = ~MonomialId{0};

// The bit for "at least 1", "at least 2", ... of each variable, as many as there is room for.
std::uint64_t mask_of(std::span<const Exponent> exponents) {
  const auto vars = static_cast<unsigned>(exponents.size());
  if (vars == 0) return 0;
  const unsigned each = std::max(1U, 64 / vars);
  std::uint64_t mask = 0;
  for (unsigned v = 0; v < vars; ++v) {
    for (unsigned k = 0; k < each && k < exponents[v]; ++k) mask |= std::uint64_t{1} << ((v * each + k) % 64);
  }
  return mask;
}

}  // namespace

MonomialTable::MonomialTable(unsigned vars, MonomialOrder order)
    : vars_(vars), order_(order), slots_(1024, empty_slot), scratch_(vars) {
  Dice dice(7);
  for (unsigned v = 0; v < vars; ++v) weights_.push_back(static_cast<std::uint32_t>(dice()) | 1U);
  one_ = id(std::vector<Exponent>(vars, 0));
}

std::uint32_t MonomialTable::hash_of(std::span<const Exponent> exponents) const {
  std::uint32_t h = 0;
  for (unsigned v = 0; v < vars_; ++v) h += weights_[v] * exponents[v];
  return h;
}

MonomialId MonomialTable::id(std::span<const Exponent> exponents) {
  const std::uint32_t h = hash_of(exponents);
  const std::size_t last = slots_.size() - 1;
  std::size_t at = (h ^ (h >> 15U)) & last;
  for (; slots_[at] != empty_slot; at = (at + 1) & last) {
    const MonomialId m = slots_[at];
    if (hash_[m] == h && std::equal(exponents.begin(), exponents.end(), exponents_.begin() + std::ptrdiff_t{m} * vars_))
      return m;
  }
  std::uint32_t degree = 0;
  for (const Exponent e : exponents) degree += e;
  if (degree > 65535) throw Error(ErrorKind::limit, "a polynomial of degree beyond 65535 in a Groebner basis");
  const auto fresh = static_cast<MonomialId>(degree_.size());
  slots_[at] = fresh;
  exponents_.insert(exponents_.end(), exponents.begin(), exponents.end());
  degree_.push_back(degree);
  mask_.push_back(mask_of(exponents));
  hash_.push_back(h);
  if (2 * degree_.size() > slots_.size()) grow();
  return fresh;
}

void MonomialTable::grow() {
  slots_.assign(2 * slots_.size(), empty_slot);
  const std::size_t last = slots_.size() - 1;
  for (MonomialId m = 0; m < degree_.size(); ++m) {
    std::size_t at = (hash_[m] ^ (hash_[m] >> 15U)) & last;
    while (slots_[at] != empty_slot) at = (at + 1) & last;
    slots_[at] = m;
  }
}

MonomialId MonomialTable::variable(unsigned v) {
  std::fill(scratch_.begin(), scratch_.end(), Exponent{0});
  scratch_[v] = 1;
  return id(scratch_);
}

MonomialId MonomialTable::product(MonomialId a, MonomialId b) {
  if (degree_[a] + degree_[b] > 65535)
    throw Error(ErrorKind::limit, "a polynomial of degree beyond 65535 in a Groebner basis");
  const Exponent* const x = exponents_.data() + std::size_t{a} * vars_;
  const Exponent* const y = exponents_.data() + std::size_t{b} * vars_;
  for (unsigned v = 0; v < vars_; ++v) scratch_[v] = static_cast<Exponent>(x[v] + y[v]);
  return id(scratch_);
}

MonomialId MonomialTable::quotient(MonomialId dividend, MonomialId divisor) {
  const Exponent* const x = exponents_.data() + std::size_t{dividend} * vars_;
  const Exponent* const y = exponents_.data() + std::size_t{divisor} * vars_;
  for (unsigned v = 0; v < vars_; ++v) scratch_[v] = static_cast<Exponent>(x[v] - y[v]);
  return id(scratch_);
}

MonomialId MonomialTable::least_common_multiple(MonomialId a, MonomialId b) {
  const Exponent* const x = exponents_.data() + std::size_t{a} * vars_;
  const Exponent* const y = exponents_.data() + std::size_t{b} * vars_;
  for (unsigned v = 0; v < vars_; ++v) scratch_[v] = std::max(x[v], y[v]);
  return id(scratch_);
}

bool MonomialTable::divides(MonomialId divisor, MonomialId m) const {
  if ((mask_[divisor] & ~mask_[m]) != 0) return false;
  const Exponent* const x = exponents_.data() + std::size_t{divisor} * vars_;
  const Exponent* const y = exponents_.data() + std::size_t{m} * vars_;
  for (unsigned v = 0; v < vars_; ++v) {
    if (x[v] > y[v]) return false;
  }
  return true;
}

bool MonomialTable::coprime(MonomialId a, MonomialId b) const {
  const Exponent* const x = exponents_.data() + std::size_t{a} * vars_;
  const Exponent* const y = exponents_.data() + std::size_t{b} * vars_;
  for (unsigned v = 0; v < vars_; ++v) {
    if (x[v] != 0 && y[v] != 0) return false;
  }
  return true;
}

bool MonomialTable::larger(MonomialId a, MonomialId b) const {
  const Exponent* const x = exponents_.data() + std::size_t{a} * vars_;
  const Exponent* const y = exponents_.data() + std::size_t{b} * vars_;
  if (order_ == MonomialOrder::lexicographic) {
    for (unsigned v = 0; v < vars_; ++v) {
      if (x[v] != y[v]) return x[v] > y[v];
    }
    return false;
  }
  if (degree_[a] != degree_[b]) return degree_[a] > degree_[b];
  for (unsigned v = vars_; v-- > 0;) {
    if (x[v] != y[v]) return x[v] < y[v];
  }
  return false;
}

}  // namespace boreon::poly
