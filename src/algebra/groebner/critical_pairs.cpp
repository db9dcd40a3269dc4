// SPDX-License-Identifier: MIT
#include "algebra/groebner/critical_pairs.hpp"

#include <algorithm>

#include "algebra/polynomial/work.hpp"

namespace boreon::poly {

void CriticalPairs::insert(std::uint32_t polynomial, MonomialId leading) {
  if (leading_.size() <= polynomial) leading_.resize(polynomial + std::size_t{1}, 0);
  leading_[polynomial] = leading;
  // a pair is replaced by the two with the new element, where its common multiple is larger than theirs
  std::erase_if(pairs_, [&](const Pair& p) {
    return table_.divides(leading, p.lcm) && table_.least_common_multiple(leading_[p.i], leading) != p.lcm &&
           table_.least_common_multiple(leading_[p.j], leading) != p.lcm;
  });
  charge(10 * (pairs_.size() + active_.size()));
  struct Fresh {
    Pair pair;
    bool coprime;
  };
  std::vector<Fresh> fresh;
  for (const std::uint32_t i : active_) {
    fresh.push_back(
        {{table_.least_common_multiple(leading_[i], leading), i, polynomial}, table_.coprime(leading_[i], leading)});
  }
  // smaller common multiples first; among equal ones a coprime pair, which stands for the others and is not needed
  std::stable_sort(fresh.begin(), fresh.end(), [&](const Fresh& a, const Fresh& b) {
    if (a.pair.lcm == b.pair.lcm) return a.coprime && !b.coprime;
    const std::uint32_t da = table_.degree(a.pair.lcm);
    const std::uint32_t db = table_.degree(b.pair.lcm);
    return da != db ? da < db : a.pair.lcm < b.pair.lcm;
  });
  std::vector<MonomialId> kept;
  for (const Fresh& f : fresh) {
    charge(4 * kept.size());
    if (std::any_of(kept.begin(), kept.end(), [&](MonomialId k) { return table_.divides(k, f.pair.lcm); })) continue;
    kept.push_back(f.pair.lcm);
    if (!f.coprime) pairs_.push_back(f.pair);
  }
  std::erase_if(active_, [&](std::uint32_t i) { return table_.divides(leading, leading_[i]); });
  active_.push_back(polynomial);
}

std::uint32_t CriticalPairs::least_degree() const {
  std::uint32_t least = ~std::uint32_t{0};
  for (const Pair& p : pairs_) least = std::min(least, table_.degree(p.lcm));
  return least;
}

std::vector<PairGroup> CriticalPairs::take(std::uint32_t degree) {
  std::vector<Pair> taken;
  std::erase_if(pairs_, [&](const Pair& p) {
    if (table_.degree(p.lcm) != degree) return false;
    taken.push_back(p);
    return true;
  });
  std::stable_sort(taken.begin(), taken.end(),
                   [&](const Pair& a, const Pair& b) { return table_.larger(b.lcm, a.lcm); });
  std::vector<PairGroup> out;
  for (const Pair& p : taken) {
    if (out.empty() || out.back().lcm != p.lcm) out.push_back({p.lcm, {}});
    for (const std::uint32_t k : {p.i, p.j}) {
      std::vector<std::uint32_t>& list = out.back().polynomials;
      if (std::find(list.begin(), list.end(), k) == list.end()) list.push_back(k);
    }
  }
  return out;
}

std::optional<std::uint32_t> CriticalPairs::divisor_of(MonomialId m) const {
  for (const std::uint32_t k : active_) {
    if (table_.divides(leading_[k], m)) return k;
  }
  return std::nullopt;
}

}  // namespace boreon::poly
