// SPDX-License-Identifier: MIT
#include "algebra/groebner/quotient_ring.hpp"

#include <algorithm>
#include <unordered_map>

#include "algebra/polynomial/prime_field.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/error.hpp"

namespace boreon::poly {
namespace {

constexpr std::size_t most_dimensions = 4000;

// to += factor*from, both below the prime.
void add_multiple(Residues& to, const Residues& from, std::uint64_t factor, std::uint32_t p) {
  for (std::size_t k = 0; k < from.size(); ++k) to[k] = static_cast<std::uint32_t>((to[k] + factor * from[k]) % p);
}

}  // namespace

bool QuotientBasis::finite(const MonomialTable& table, const Supports& supports) {
  std::vector<bool> bounded(table.vars(), false);
  for (const auto& s : supports) {
    const auto e = table.exponents(s[0]);
    if (table.degree(s[0]) == 0) return true;
    for (unsigned v = 0; v < table.vars(); ++v) {
      if (e[v] == table.degree(s[0])) bounded[v] = true;
    }
  }
  return std::all_of(bounded.begin(), bounded.end(), [](bool b) { return b; });
}

QuotientBasis::QuotientBasis(MonomialTable& table, const Supports& supports) : vars_(table.vars()) {
  const auto is_standard = [&](MonomialId m) {
    return std::none_of(supports.begin(), supports.end(), [&](const auto& s) { return table.divides(s[0], m); });
  };
  std::unordered_map<MonomialId, std::uint32_t> at;
  // ascending in degree, each times all variables
  std::vector<MonomialId> open;
  if (is_standard(table.one())) open.push_back(table.one());
  std::unordered_map<MonomialId, bool> met;
  for (std::size_t i = 0; i < open.size(); ++i) {
    if (i >= most_dimensions)
      throw Error(ErrorKind::limit, "the equations have more than 4000 solutions, counted with multiplicities");
    charge(20 * supports.size());
    for (unsigned v = 0; v < vars_; ++v) {
      const MonomialId m = table.product(open[i], table.variable(v));
      if (!met.emplace(m, true).second) continue;
      if (is_standard(m)) open.push_back(m);
    }
  }
  std::sort(open.begin(), open.end(), [&](MonomialId a, MonomialId b) { return table.larger(b, a); });
  standard_ = std::move(open);
  for (std::size_t i = 0; i < standard_.size(); ++i) at[standard_[i]] = static_cast<std::uint32_t>(i);
  std::vector<MonomialId> border;
  for (const MonomialId s : standard_) {
    for (unsigned v = 0; v < vars_; ++v) {
      const MonomialId m = table.product(s, table.variable(v));
      if (!at.contains(m)) border.push_back(m);
    }
  }
  std::sort(border.begin(), border.end());
  border.erase(std::unique(border.begin(), border.end()), border.end());
  std::sort(border.begin(), border.end(), [&](MonomialId a, MonomialId b) { return table.larger(b, a); });
  std::unordered_map<MonomialId, std::uint32_t> on_border;
  std::unordered_map<MonomialId, std::uint32_t> leads;
  for (std::size_t k = 0; k < supports.size(); ++k) leads[supports[k][0]] = static_cast<std::uint32_t>(k);
  for (const MonomialId m : border) {
    const auto index = static_cast<std::uint32_t>(border_.size());
    if (const auto l = leads.find(m); l != leads.end()) {
      border_.push_back({true, l->second, 0});
    } else {
      for (unsigned v = 0; v < vars_; ++v) {
        if (table.exponents(m)[v] == 0) continue;
        const auto before = on_border.find(table.quotient(m, table.variable(v)));
        if (before == on_border.end()) continue;
        border_.push_back({false, before->second, v});
        break;
      }
    }
    on_border[m] = index;
  }
  products_.resize(vars_);
  for (unsigned v = 0; v < vars_; ++v) {
    for (const MonomialId s : standard_) {
      const MonomialId m = table.product(s, table.variable(v));
      const auto inside = at.find(m);
      products_[v].push_back(inside != at.end() ? Place{true, inside->second} : Place{false, on_border.at(m)});
    }
  }
  for (const auto& s : supports) {
    std::vector<std::uint32_t> tail;
    for (std::size_t k = 1; k < s.size(); ++k) tail.push_back(at.at(s[k]));
    tails_.push_back(std::move(tail));
  }
}

QuotientModulo::QuotientModulo(const QuotientBasis& basis, std::uint32_t prime, const ModularCoefficients& coefficients)
    : basis_(basis), prime_(prime) {
  border_.reserve(basis_.border_.size());
  for (const QuotientBasis::Border& b : basis_.border_) {
    if (!b.leads) {
      border_.push_back(times(border_[b.element], b.variable));
      continue;
    }
    Residues v(dimension(), 0);
    const std::vector<std::uint32_t>& tail = basis_.tails_[b.element];
    for (std::size_t k = 0; k < tail.size(); ++k) {
      const std::uint32_t c = coefficients[b.element][k + 1];
      v[tail[k]] = c == 0 ? 0 : prime_ - c;
    }
    border_.push_back(std::move(v));
  }
}

Residues QuotientModulo::one() const {
  Residues out(dimension(), 0);
  if (!out.empty()) out[0] = 1;
  return out;
}

Residues QuotientModulo::times(const Residues& v, unsigned variable) const {
  const std::size_t n = dimension();
  const std::int64_t square = std::int64_t{prime_} * prime_;
  std::vector<std::int64_t> sum(n, 0);
  std::uint64_t work = n;
  for (std::size_t i = 0; i < n; ++i) {
    if (v[i] == 0) continue;
    const QuotientBasis::Place& p = basis_.products_[variable][i];
    if (p.standard) {
      sum[p.index] -= v[i];
      continue;
    }
    const Residues& column = border_[p.index];
    const std::int64_t factor = v[i];
    for (std::size_t k = 0; k < n; ++k) {
      std::int64_t t = sum[k] - factor * column[k];
      t += (t >> 63) & square;
      sum[k] = t;
    }
    work += n;
  }
  charge(work);
  Residues out(n);
  for (std::size_t k = 0; k < n; ++k) {
    const std::int64_t r = -sum[k] % std::int64_t{prime_};
    out[k] = static_cast<std::uint32_t>(r < 0 ? r + prime_ : r);
  }
  return out;
}

Residues QuotientModulo::times(const Residues& v, const std::vector<int>& form) const {
  Residues out(dimension(), 0);
  for (unsigned k = 0; k < form.size(); ++k) {
    if (form[k] == 0) continue;
    add_multiple(out, times(v, k), static_cast<std::uint64_t>(form[k] < 0 ? form[k] + std::int64_t{prime_} : form[k]),
                 prime_);
  }
  return out;
}

std::optional<Residues> Dependence::add(Residues v) {
  Residues combination(rows_.size() + 1, 0);
  combination.back() = 1;
  for (const Row& r : rows_) {
    if (v[r.pivot] == 0) continue;
    const std::uint64_t c = prime_ - v[r.pivot];
    add_multiple(v, r.values, c, prime_);
    add_multiple(combination, r.combination, c, prime_);
  }
  charge(rows_.size() * (dimension_ + rows_.size()));
  const auto pivot = std::find_if(v.begin(), v.end(), [](std::uint32_t c) { return c != 0; });
  if (pivot == v.end()) {
    combination.pop_back();
    for (std::uint32_t& c : combination) c = c == 0 ? 0 : prime_ - c;
    return combination;
  }
  const std::uint64_t by = PrimeField(prime_).inv(*pivot);
  for (std::uint32_t& c : v) c = static_cast<std::uint32_t>(c * by % prime_);
  for (std::uint32_t& c : combination) c = static_cast<std::uint32_t>(c * by % prime_);
  rows_.push_back({static_cast<std::size_t>(pivot - v.begin()), std::move(v), std::move(combination)});
  return std::nullopt;
}

}  // namespace boreon::poly
