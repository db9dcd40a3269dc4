// SPDX-License-Identifier: MIT
#include "algebra/groebner/exact_reduction.hpp"

#include <algorithm>
#include <map>

#include "algebra/groebner/critical_pairs.hpp"
#include "algebra/polynomial/work.hpp"

namespace boreon::poly {
namespace {

struct LargerFirst {
  const MonomialTable* table;
  bool operator()(MonomialId a, MonomialId b) const { return table->larger(a, b); }
};
using Sum = std::map<MonomialId, mpz_class, LargerFirst>;

void add_multiple(MonomialTable& table, Sum& sum, const IntegerPolynomial& p, MonomialId by, const mpz_class& c) {
  for (std::size_t i = 0; i < p.monomials.size(); ++i) {
    auto [at, fresh] = sum.try_emplace(table.product(p.monomials[i], by));
    at->second += c * p.coefficients[i];
    if (at->second == 0) sum.erase(at);
  }
  charge(60 * p.monomials.size());
}

void remove_content(Sum& rest, IntegerPolynomial& out) {
  mpz_class g = 0;
  for (const auto& [m, c] : rest) {
    mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), c.get_mpz_t());
    if (g == 1) return;
  }
  for (const mpz_class& c : out.coefficients) {
    mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), c.get_mpz_t());
    if (g == 1) return;
  }
  if (g == 0) return;
  for (auto& [m, c] : rest) mpz_divexact(c.get_mpz_t(), c.get_mpz_t(), g.get_mpz_t());
  for (mpz_class& c : out.coefficients) mpz_divexact(c.get_mpz_t(), c.get_mpz_t(), g.get_mpz_t());
}

// Fraction-free; all terms are reduced, not the leading one alone.
IntegerPolynomial reduced(MonomialTable& table, Sum rest, std::span<const IntegerPolynomial> basis) {
  IntegerPolynomial out;
  int steps = 0;
  while (!rest.empty()) {
    const auto top = rest.begin();
    const IntegerPolynomial* by = nullptr;
    for (const IntegerPolynomial& b : basis) {
      if (table.divides(b.monomials[0], top->first) && (by == nullptr || b.monomials.size() < by->monomials.size()))
        by = &b;
    }
    charge(10 + 2 * basis.size());
    if (by == nullptr) {
      out.monomials.push_back(top->first);
      out.coefficients.push_back(std::move(top->second));
      rest.erase(top);
      continue;
    }
    mpz_class g;
    mpz_gcd(g.get_mpz_t(), top->second.get_mpz_t(), by->coefficients[0].get_mpz_t());
    const mpz_class mine = by->coefficients[0] / g;
    const mpz_class theirs = -top->second / g;
    const MonomialId shift = table.quotient(top->first, by->monomials[0]);
    if (mine != 1) {
      for (auto& [m, c] : rest) c *= mine;
      for (mpz_class& c : out.coefficients) c *= mine;
      charge(10 * (rest.size() + out.coefficients.size()) * (1 + mpz_size(mine.get_mpz_t())));
    }
    add_multiple(table, rest, *by, shift, theirs);
    if (++steps % 16 == 0) remove_content(rest, out);
  }
  make_primitive(out);
  return out;
}

}  // namespace

void make_primitive(IntegerPolynomial& p) {
  if (p.coefficients.empty()) return;
  mpz_class g = abs(p.coefficients[0]);
  for (const mpz_class& c : p.coefficients) mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), c.get_mpz_t());
  if (p.coefficients[0] < 0) g = -g;
  if (g == 1) return;
  for (mpz_class& c : p.coefficients) mpz_divexact(c.get_mpz_t(), c.get_mpz_t(), g.get_mpz_t());
}

IntegerPolynomial remainder(MonomialTable& table, const IntegerPolynomial& p,
                            std::span<const IntegerPolynomial> basis) {
  Sum rest(LargerFirst{&table});
  add_multiple(table, rest, p, table.one(), 1);
  return reduced(table, std::move(rest), basis);
}

bool is_groebner_basis(MonomialTable& table, std::span<const IntegerPolynomial> basis) {
  CriticalPairs pairs(table);
  for (std::size_t k = 0; k < basis.size(); ++k) pairs.insert(static_cast<std::uint32_t>(k), basis[k].monomials[0]);
  while (!pairs.empty()) {
    for (const PairGroup& g : pairs.take(pairs.least_degree())) {
      for (std::size_t i = 1; i < g.polynomials.size(); ++i) {
        const IntegerPolynomial& a = basis[g.polynomials[0]];
        const IntegerPolynomial& b = basis[g.polynomials[i]];
        Sum difference(LargerFirst{&table});
        add_multiple(table, difference, a, table.quotient(g.lcm, a.monomials[0]), b.coefficients[0]);
        add_multiple(table, difference, b, table.quotient(g.lcm, b.monomials[0]), -a.coefficients[0]);
        if (!reduced(table, std::move(difference), basis).monomials.empty()) return false;
      }
    }
  }
  return true;
}

}  // namespace boreon::poly
