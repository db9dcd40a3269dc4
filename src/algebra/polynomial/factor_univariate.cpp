// SPDX-License-Identifier: MIT
// Factors modulo a prime are lifted to a power of it (von zur Gathen and Gerhard, Modern Computer Algebra, section
// 15.5) and recombined: few of them by trying subsets, many by lattice reduction (van Hoeij 2002) on the coefficients
// of f*g'/g, which add up over the factors of a product (Hart, van Hoeij and Novocin 2011). Trial division decides.
#include "algebra/polynomial/factor_univariate.hpp"
#include "algebra/polynomial/work.hpp"

#include <algorithm>
#include <bitset>
#include <cmath>
#include <optional>

#include "algebra/polynomial/lattice.hpp"
#include "algebra/polynomial/univariate_mod.hpp"

namespace boreon::poly {
namespace {

BigUni product(const BigUni& a, const BigUni& b, const mpz_class* modulus = nullptr) {
  if (a.empty() || b.empty()) return {};
  charge(4 * a.size() * b.size());
  BigUni r(a.size() + b.size() - 1);
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a[i] == 0) continue;
    for (std::size_t j = 0; j < b.size(); ++j) mpz_addmul(r[i + j].get_mpz_t(), a[i].get_mpz_t(), b[j].get_mpz_t());
  }
  if (modulus != nullptr) {
    for (mpz_class& c : r) mpz_fdiv_r(c.get_mpz_t(), c.get_mpz_t(), modulus->get_mpz_t());
  }
  trim(r);
  return r;
}

BigUni combine(const BigUni& a, const BigUni& b, int sign, const mpz_class& modulus) {
  BigUni r(std::max(a.size(), b.size()));
  for (std::size_t i = 0; i < r.size(); ++i) {
    if (i < a.size()) r[i] = a[i];
    if (i < b.size()) r[i] += sign * b[i];
    mpz_fdiv_r(r[i].get_mpz_t(), r[i].get_mpz_t(), modulus.get_mpz_t());
  }
  trim(r);
  return r;
}

// a = q*b + r modulo m; b is monic.
void divide_monic(BigUni a, const BigUni& b, const mpz_class& m, BigUni& q, BigUni& r) {
  q.assign(a.size() >= b.size() ? a.size() - b.size() + 1 : 0, 0);
  for (std::size_t i = a.size(); i-- > 0 && i + 1 >= b.size();) {
    mpz_class c;
    mpz_fdiv_r(c.get_mpz_t(), a[i].get_mpz_t(), m.get_mpz_t());
    q[i + 1 - b.size()] = c;
    if (c == 0) continue;
    for (std::size_t j = 0; j < b.size(); ++j)
      mpz_submul(a[i + 1 - b.size() + j].get_mpz_t(), c.get_mpz_t(), b[j].get_mpz_t());
  }
  if (a.size() >= b.size()) a.resize(b.size() - 1);
  for (mpz_class& c : a) mpz_fdiv_r(c.get_mpz_t(), c.get_mpz_t(), m.get_mpz_t());
  trim(a);
  trim(q);
  r = std::move(a);
}

BigUni to_big(const Uni& u) {
  BigUni r;
  for (const Residue c : u) r.emplace_back(static_cast<unsigned long>(c));
  return r;
}

Uni to_mod(const BigUni& a, Residue p) {
  Uni r;
  for (const mpz_class& c : a) r.push_back(mpz_fdiv_ui(c.get_mpz_t(), p));
  poly::trim(r);
  return r;
}

std::optional<BigUni> divide(BigUni a, const BigUni& b) {
  if (a.size() < b.size()) return std::nullopt;
  BigUni q(a.size() - b.size() + 1);
  for (std::size_t i = a.size(); i-- > 0 && i + 1 >= b.size();) {
    if (a[i] == 0) continue;
    if (mpz_divisible_p(a[i].get_mpz_t(), b.back().get_mpz_t()) == 0) return std::nullopt;
    mpz_class c;
    mpz_divexact(c.get_mpz_t(), a[i].get_mpz_t(), b.back().get_mpz_t());
    for (std::size_t j = 0; j < b.size(); ++j)
      mpz_submul(a[i + 1 - b.size() + j].get_mpz_t(), c.get_mpz_t(), b[j].get_mpz_t());
    q[i + 1 - b.size()] = c;
  }
  trim(a);
  if (!a.empty()) return std::nullopt;
  return q;
}

void make_primitive(BigUni& a) {
  mpz_class g;
  for (const mpz_class& c : a) g = gcd(g, c);
  if (a.back() < 0) g = -g;
  for (mpz_class& c : a) mpz_divexact(c.get_mpz_t(), c.get_mpz_t(), g.get_mpz_t());
}

// Lifting: f = lc*product of monic factors modulo p^k. The factors are the leaves of a tree that is lifted from the
// root, each step squaring the modulus.
struct Tree {
  BigUni value;  // monic
  BigUni s, t;   // s*left + t*right = 1
  int left = -1;
  int right = -1;
};

class Lifting {
 public:
  Lifting(const PrimeField& f, const std::vector<Uni>& factors) : field_(f) {
    std::vector<int> leaves;
    for (const Uni& u : factors) {
      leaves.push_back(static_cast<int>(nodes_.size()));
      nodes_.push_back({to_big(u), {}, {}, -1, -1});
      small_.push_back(u);
    }
    leaves_ = leaves;
    while (leaves.size() > 1) {
      std::vector<int> above;
      for (std::size_t i = 0; i + 1 < leaves.size(); i += 2) {
        const auto l = static_cast<std::size_t>(leaves[i]);
        const auto r = static_cast<std::size_t>(leaves[i + 1]);
        Uni s;
        Uni t;
        (void)extended_gcd(f, small_[l], small_[r], s, t);
        above.push_back(static_cast<int>(nodes_.size()));
        small_.push_back(multiply(f, small_[l], small_[r]));
        nodes_.push_back({to_big(small_.back()), to_big(s), to_big(t), leaves[i], leaves[i + 1]});
      }
      if (leaves.size() % 2 == 1) above.push_back(leaves.back());
      leaves = std::move(above);
    }
    root_ = leaves[0];
  }

  /// Lifts until the modulus exceeds `bound`; returns the modulus.
  mpz_class lift(const BigUni& f, const mpz_class& bound) {
    mpz_class m = static_cast<unsigned long>(field_.prime());
    while (m <= bound) {
      m *= m;
      mpz_class inverse;
      mpz_invert(inverse.get_mpz_t(), f.back().get_mpz_t(), m.get_mpz_t());
      BigUni monic = f;
      for (mpz_class& c : monic) {
        c *= inverse;
        mpz_fdiv_r(c.get_mpz_t(), c.get_mpz_t(), m.get_mpz_t());
      }
      nodes_[static_cast<std::size_t>(root_)].value = std::move(monic);
      step(root_, m);
    }
    return m;
  }
  [[nodiscard]] std::vector<BigUni> factors() const {
    std::vector<BigUni> out;
    for (const int l : leaves_) out.push_back(nodes_[static_cast<std::size_t>(l)].value);
    return out;
  }

 private:
  void step(int at, const mpz_class& m) {
    Tree& node = nodes_[static_cast<std::size_t>(at)];
    if (node.left < 0) return;
    BigUni& g = nodes_[static_cast<std::size_t>(node.left)].value;
    BigUni& h = nodes_[static_cast<std::size_t>(node.right)].value;
    BigUni q;
    BigUni r;
    const BigUni e = combine(node.value, product(g, h, &m), -1, m);
    divide_monic(product(node.s, e, &m), h, m, q, r);
    g = combine(g, combine(product(node.t, e, &m), product(q, g, &m), 1, m), 1, m);
    h = combine(h, r, 1, m);
    const BigUni b = combine(combine(product(node.s, g, &m), product(node.t, h, &m), 1, m), BigUni{1}, -1, m);
    divide_monic(product(node.s, b, &m), h, m, q, r);
    node.s = combine(node.s, r, -1, m);
    node.t = combine(node.t, combine(product(node.t, b, &m), product(q, g, &m), 1, m), -1, m);
    step(node.left, m);
    step(node.right, m);
  }

  PrimeField field_;
  std::vector<Tree> nodes_;
  std::vector<Uni> small_;
  std::vector<int> leaves_;
  int root_ = 0;
};

constexpr std::size_t most_degree = 4096;
using DegreeSet = std::bitset<most_degree>;

class Recombination {
 public:
  Recombination(BigUni f, std::vector<BigUni> factors, mpz_class modulus, const DegreeSet& possible)
      : f_(std::move(f)), factors_(std::move(factors)), modulus_(std::move(modulus)), possible_(possible) {}

  std::vector<BigUni> run() {
    constexpr std::size_t few = 9;
    if (factors_.size() > few) by_lattice();
    by_subsets();
    return std::move(found_);
  }

 private:
  BigUni balanced(BigUni a) const {
    const mpz_class half = modulus_ / 2;
    for (mpz_class& c : a) {
      if (c > half) c -= modulus_;
    }
    return a;
  }

  // The primitive integer polynomial that belongs to a product of lifted factors.
  BigUni candidate(const std::vector<std::size_t>& members) const {
    BigUni g{f_.back()};
    for (const std::size_t i : members) g = product(g, factors_[i], &modulus_);
    g = balanced(std::move(g));
    make_primitive(g);
    return g;
  }

  bool try_members(const std::vector<std::size_t>& members) {
    charge(members.size());
    std::size_t degree = 0;
    for (const std::size_t i : members) degree += factors_[i].size() - 1;
    if (degree < most_degree && !possible_[degree]) return false;
    // The constant term first: it must divide that of lc*f.
    mpz_class c = f_.back();
    for (const std::size_t i : members) {
      c *= factors_[i][0];
      mpz_fdiv_r(c.get_mpz_t(), c.get_mpz_t(), modulus_.get_mpz_t());
    }
    if (c > modulus_ / 2) c -= modulus_;
    const mpz_class last = f_.back() * f_[0];
    if (c != 0 && last != 0 && mpz_divisible_p(last.get_mpz_t(), c.get_mpz_t()) == 0) return false;
    const BigUni g = candidate(members);
    const auto q = divide(f_, g);
    if (!q) return false;
    found_.push_back(g);
    f_ = *q;
    std::vector<BigUni> left;
    for (std::size_t i = 0; i < factors_.size(); ++i) {
      if (std::find(members.begin(), members.end(), i) == members.end()) left.push_back(factors_[i]);
    }
    factors_ = std::move(left);
    return true;
  }

  void by_subsets() {
    std::size_t size = 1;
    while (factors_.size() >= 2 * size) {
      std::vector<std::size_t> members(size);
      for (std::size_t i = 0; i < size; ++i) members[i] = i;
      bool hit = false;
      for (;;) {
        if (try_members(members)) {
          hit = true;
          break;
        }
        std::size_t i = size;
        while (i-- > 0 && members[i] == factors_.size() - size + i) {
        }
        if (i == static_cast<std::size_t>(-1)) break;
        ++members[i];
        for (std::size_t j = i + 1; j < size; ++j) members[j] = members[j - 1] + 1;
      }
      if (!hit) ++size;
    }
    if (f_.size() > 1) found_.push_back(f_);
  }

  // Narrows the combinations of factors down to a lattice of few, short vectors.
  void by_lattice() {
    const std::size_t r = factors_.size();
    const std::size_t n = f_.size() - 1;
    // f*g'/g for each lifted factor
    std::vector<BigUni> logarithmic;
    mpz_class norm;
    for (const mpz_class& c : f_) norm += c * c;
    mpz_class bound = sqrt(norm) + 1;
    bound = (bound * static_cast<unsigned long>(n)) << n;  // coefficients of (f/g)*g' (Mignotte 1974)
    for (const BigUni& g : factors_) {
      BigUni d;
      for (std::size_t i = 1; i < g.size(); ++i) d.push_back(g[i] * static_cast<unsigned long>(i));
      BigUni q;
      BigUni rest;
      divide_monic(f_, g, modulus_, q, rest);
      BigUni x = product(q, d, &modulus_);
      x.resize(n);
      logarithmic.push_back(std::move(x));
    }
    constexpr unsigned bits = 40;  // of each column that go into the lattice
    mpz_class cut = modulus_ >> bits;
    if (cut <= 2 * bound) cut = 2 * bound;
    mpz_class wrapped = modulus_ / cut;
    if (wrapped < 1024) return;
    LatticeBasis basis(r, std::vector<LatticeEntry>(r, 0));
    for (std::size_t i = 0; i < r; ++i) basis[i][i] = 1;
    const LatticeEntry scale = static_cast<LatticeEntry>(1 + r / 4);
    // Columns taken at once must hold enough bits to part the short vectors from all others: about three for each
    // modular factor, and more as reduced bases get worse with the dimension.
    const std::size_t batch =
        2 + static_cast<std::size_t>(static_cast<double>(r) * (3.5 + 0.04 * static_cast<double>(r))) / bits;
    std::size_t stale = 0;
    for (std::size_t start = 0; start < n && basis.size() > 1 && stale < 4; start += batch) {
      // Low and high coefficients in turn: they are sharper than the middle ones.
      std::vector<std::size_t> columns;
      for (std::size_t k = start; k < std::min(n, start + batch); ++k)
        columns.push_back(k % 2 == 0 ? k / 2 : n - 1 - k / 2);
      LatticeBasis rows;
      for (const auto& b : basis) {
        std::vector<LatticeEntry> row;
        for (const LatticeEntry x : b) row.push_back(scale * x);
        for (const std::size_t c : columns) {
          mpz_class sum;
          for (std::size_t i = 0; i < r; ++i) sum += logarithmic[i][c] * static_cast<long>(b[i]);
          mpz_fdiv_r(sum.get_mpz_t(), sum.get_mpz_t(), modulus_.get_mpz_t());
          if (sum > modulus_ / 2) sum -= modulus_;
          mpz_class y = 2 * sum + cut;
          mpz_fdiv_q(y.get_mpz_t(), y.get_mpz_t(), mpz_class(2 * cut).get_mpz_t());
          row.push_back(static_cast<LatticeEntry>(y.get_si()));
        }
        rows.push_back(std::move(row));
      }
      for (std::size_t k = 0; k < columns.size(); ++k) {
        std::vector<LatticeEntry> row(r + columns.size(), 0);
        row[r + k] = static_cast<LatticeEntry>(wrapped.get_si());
        rows.push_back(std::move(row));
      }
      const std::vector<long double> length = reduce_lattice(rows);
      // A true combination has entries 0 and 1 and sums that are small: rounding, and the wrap that is no whole number.
      const long double rounding = static_cast<long double>(r) / 2 + 2;
      const long double most = static_cast<long double>(scale * scale) * static_cast<long double>(r) +
                               static_cast<long double>(columns.size()) * rounding * rounding;
      std::size_t keep = rows.size();
      while (keep > 0 && length[keep - 1] > most) --keep;
      const std::size_t before = basis.size();
      basis.clear();
      for (std::size_t i = 0; i < keep; ++i) {
        std::vector<LatticeEntry> b(rows[i].begin(), rows[i].begin() + static_cast<std::ptrdiff_t>(r));
        for (LatticeEntry& x : b) x /= scale;
        basis.push_back(std::move(b));
      }
      stale = basis.size() < before ? 0 : stale + 1;
      if (basis.size() < before && accept(basis)) return;
    }
  }

  // Whether the lattice is spanned by disjoint 0-1 vectors whose products all divide.
  bool accept(const LatticeBasis& basis) {
    // Columns that are equal in every basis vector belong to the same factor.
    const std::size_t r = factors_.size();
    std::vector<std::vector<std::size_t>> groups;
    for (std::size_t i = 0; i < r; ++i) {
      bool placed = false;
      for (auto& g : groups) {
        if (std::all_of(basis.begin(), basis.end(), [&](const auto& b) { return b[g[0]] == b[i]; })) {
          g.push_back(i);
          placed = true;
          break;
        }
      }
      if (!placed) groups.push_back({i});
    }
    if (groups.size() != basis.size()) return false;
    std::vector<BigUni> found;
    BigUni rest = f_;
    for (const auto& g : groups) {
      BigUni c = candidate(g);
      const auto q = divide(rest, c);
      if (!q) return false;
      found.push_back(std::move(c));
      rest = *q;
    }
    if (rest.size() != 1) return false;
    found_.insert(found_.end(), found.begin(), found.end());
    f_ = rest;
    factors_.clear();
    return true;
  }

  BigUni f_;
  std::vector<BigUni> factors_;
  mpz_class modulus_;
  DegreeSet possible_;
  std::vector<BigUni> found_;
};

}  // namespace

std::vector<BigUni> factor_square_free(const BigUni& f) {
  const std::size_t n = f.size() - 1;
  if (n == 1) return {f};
  // A few primes: the one with the fewest factors, and the degrees that all of them allow.
  std::vector<Uni> best;
  Residue best_prime = 0;
  DegreeSet possible;
  possible.set();
  unsigned tried = 0;
  for (Residue p = 11; tried < 7; p = next_prime(p)) {
    const PrimeField field(p);
    if (mpz_divisible_ui_p(f.back().get_mpz_t(), p) != 0) continue;
    const Uni u = monic(field, to_mod(f, p));
    if (degree_of(gcd(field, u, derivative(field, u))) != 0) continue;
    std::vector<Uni> factors = factor_square_free(field, u);
    ++tried;
    DegreeSet sums;
    sums[0] = true;
    for (const Uni& g : factors) sums |= sums << static_cast<std::size_t>(degree_of(g));
    possible &= sums;
    if (best.empty() || factors.size() < best.size()) {
      best = std::move(factors);
      best_prime = p;
    }
    if (best.size() == 1) return {f};
    if (n < most_degree && possible.count() == 2) return {f};
  }
  const PrimeField field(best_prime);
  mpz_class norm;
  for (const mpz_class& c : f) norm += c * c;
  // Mignotte's bound for the coefficients of factors, times the leading coefficient; more where the lattice needs it.
  mpz_class bound = ((sqrt(norm) + 1) * f.back()) << (n + 2);
  if (best.size() > 9) bound = (bound * static_cast<unsigned long>(n)) << (best.size() + 50);
  Lifting lifting(field, best);
  const mpz_class modulus = lifting.lift(f, bound);
  return Recombination(f, lifting.factors(), modulus, possible).run();
}

}  // namespace boreon::poly
