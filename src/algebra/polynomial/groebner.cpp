// SPDX-License-Identifier: MIT
#include "algebra/polynomial/groebner.hpp"

#include <algorithm>
#include <map>
#include <numeric>
#include <optional>
#include <set>
#include <utility>

#include "algebra/polynomial/work.hpp"
#include "expr/work.hpp"

namespace boreon::poly {
namespace {

using Monomial = std::vector<Degree>;

// Which of two monomials is the larger: by the first variable in which they differ, or by the degree and then the
// smaller power of the last one.
struct LargerFirst {
  bool by_degree = false;
  bool operator()(const Monomial& a, const Monomial& b) const {
    if (!by_degree) return a > b;
    const Degree da = std::accumulate(a.begin(), a.end(), Degree{0});
    const Degree db = std::accumulate(b.begin(), b.end(), Degree{0});
    if (da != db) return da > db;
    for (std::size_t i = a.size(); i-- > 0;) {
      if (a[i] != b[i]) return a[i] < b[i];
    }
    return false;
  }
};
using Sum = std::map<Monomial, mpz_class, LargerFirst>;

struct MonomialTerm {
  Monomial m;
  mpz_class c;
};
using TermList = std::vector<MonomialTerm>;  // descending, no zero

Monomial least_common_multiple(const Monomial& a, const Monomial& b) {
  Monomial out(a.size());
  for (std::size_t i = 0; i < a.size(); ++i) out[i] = std::max(a[i], b[i]);
  return out;
}

bool divides(const Monomial& a, const Monomial& b) {
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a[i] > b[i]) return false;
  }
  return true;
}

bool coprime(const Monomial& a, const Monomial& b) {
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a[i] != 0 && b[i] != 0) return false;
  }
  return true;
}

Monomial quotient_of(const Monomial& b, const Monomial& a) {
  Monomial out(a.size());
  for (std::size_t i = 0; i < a.size(); ++i) out[i] = b[i] - a[i];
  return out;
}

void make_primitive(TermList& p) {
  if (p.empty()) return;
  mpz_class g = abs(p[0].c);
  for (std::size_t i = 1; i < p.size() && g != 1; ++i) mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), p[i].c.get_mpz_t());
  if (p[0].c < 0) g = -g;
  if (g == 1) return;
  for (MonomialTerm& t : p) mpz_divexact(t.c.get_mpz_t(), t.c.get_mpz_t(), g.get_mpz_t());
}

TermList list_of(const Poly& p, LargerFirst order) {
  TermList out;
  for (std::size_t i = 0; i < p.size(); ++i) {
    Monomial m(p.vars());
    for (unsigned v = 0; v < p.vars(); ++v) m[v] = p.exponent(i, v);
    out.push_back({std::move(m), p.coefficients[i].mpz()});
  }
  std::sort(out.begin(), out.end(), [&](const MonomialTerm& a, const MonomialTerm& b) { return order(a.m, b.m); });
  make_primitive(out);
  return out;
}

Poly poly_of(const TermList& p, unsigned vars) {
  Poly out = constant(vars, Integer(0));
  for (const MonomialTerm& t : p) {
    Poly term = constant(vars, Integer(t.c));
    for (unsigned v = 0; v < vars; ++v) {
      if (t.m[v] != 0) term = multiply(term, variable(vars, v, t.m[v]));
    }
    out = add(out, term);
  }
  return out;
}

class Buchberger {
 public:
  explicit Buchberger(LargerFirst order) : order_(order) {}

  std::vector<TermList> run(std::vector<TermList> generators) {
    std::sort(generators.begin(), generators.end(),
              [&](const TermList& a, const TermList& b) { return order_(b[0].m, a[0].m); });
    for (TermList& g : generators) insert(normal_form(std::move(g)));
    while (!pairs_.empty()) {
      const Pair p = *pairs_.begin();
      pairs_.erase(pairs_.begin());
      done_.insert({p.i, p.j});
      if (unnecessary(p)) continue;
      insert(normal_form(difference(basis_[p.i], basis_[p.j], p.lcm)));
    }
    return reduced();
  }

 private:
  struct Pair {
    Degree degree;
    Monomial lcm;
    std::size_t i, j;
    bool operator<(const Pair& o) const { return std::tie(degree, lcm, i, j) < std::tie(o.degree, o.lcm, o.i, o.j); }
  };

  void insert(TermList p) {
    if (p.empty()) return;
    const std::size_t j = basis_.size();
    for (std::size_t i = 0; i < j; ++i) {
      if (dropped_[i]) continue;
      Monomial lcm = least_common_multiple(basis_[i][0].m, p[0].m);
      if (coprime(basis_[i][0].m, p[0].m)) {
        done_.insert({i, j});
        continue;
      }
      const Degree degree = std::accumulate(lcm.begin(), lcm.end(), Degree{0});
      pairs_.insert({degree, std::move(lcm), i, j});
    }
    basis_.push_back(std::move(p));
    dropped_.push_back(false);
  }

  // Buchberger's second criterion: another leading monomial divides the common multiple, and both pairs with it are
  // done.
  [[nodiscard]] bool unnecessary(const Pair& p) const {
    for (std::size_t k = 0; k < basis_.size(); ++k) {
      if (k == p.i || k == p.j || !divides(basis_[k][0].m, p.lcm)) continue;
      if (done_.contains(std::minmax(k, p.i)) && done_.contains(std::minmax(k, p.j))) return true;
    }
    return false;
  }

  [[nodiscard]] TermList difference(const TermList& a, const TermList& b, const Monomial& lcm) const {
    Sum sum(order_);
    mpz_class g;
    mpz_gcd(g.get_mpz_t(), a[0].c.get_mpz_t(), b[0].c.get_mpz_t());
    add_multiple(sum, a, quotient_of(lcm, a[0].m), b[0].c / g);
    add_multiple(sum, b, quotient_of(lcm, b[0].m), -a[0].c / g);
    return taken_from(sum);
  }

  static void add_multiple(Sum& sum, const TermList& p, const Monomial& by, const mpz_class& c) {
    for (const MonomialTerm& t : p) {
      charge(40);
      Monomial m = t.m;
      for (std::size_t i = 0; i < m.size(); ++i) m[i] += by[i];
      auto [at, fresh] = sum.try_emplace(std::move(m));
      at->second += c * t.c;
      if (at->second == 0) sum.erase(at);
    }
  }

  static TermList taken_from(Sum& sum) {
    TermList out;
    for (auto& [m, c] : sum) out.push_back({m, std::move(c)});
    make_primitive(out);
    return out;
  }

  // Fraction-free; all terms are reduced, not the leading one alone.
  TermList normal_form(TermList p, std::size_t without = ~std::size_t{0}) const {
    Sum rest(order_);
    for (MonomialTerm& t : p) rest.emplace(std::move(t.m), std::move(t.c));
    TermList out;
    int steps = 0;
    while (!rest.empty()) {
      const auto top = rest.begin();
      const TermList* by = nullptr;
      for (std::size_t k = 0; k < basis_.size(); ++k) {
        if (k == without || dropped_[k] || !divides(basis_[k][0].m, top->first)) continue;
        if (by == nullptr || basis_[k].size() < by->size()) by = &basis_[k];
      }
      if (by == nullptr) {
        out.push_back({top->first, std::move(top->second)});
        rest.erase(top);
        continue;
      }
      mpz_class g;
      mpz_gcd(g.get_mpz_t(), top->second.get_mpz_t(), (*by)[0].c.get_mpz_t());
      const mpz_class mine = (*by)[0].c / g;
      const mpz_class theirs = -top->second / g;
      const Monomial shift = quotient_of(top->first, (*by)[0].m);
      if (mine != 1) {
        for (auto& [m, c] : rest) c *= mine;
        for (MonomialTerm& t : out) t.c *= mine;
        charge(10 * (rest.size() + out.size()) * (1 + mpz_sizeinbase(mine.get_mpz_t(), 2) / 64));
      }
      add_multiple(rest, *by, shift, theirs);
      if (++steps % 16 == 0) remove_content(rest, out);
    }
    make_primitive(out);
    return out;
  }

  static void remove_content(Sum& rest, TermList& out) {
    mpz_class g = 0;
    for (const auto& [m, c] : rest) {
      mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), c.get_mpz_t());
      if (g == 1) return;
    }
    for (const MonomialTerm& t : out) {
      mpz_gcd(g.get_mpz_t(), g.get_mpz_t(), t.c.get_mpz_t());
      if (g == 1) return;
    }
    if (g == 0) return;
    for (auto& [m, c] : rest) mpz_divexact(c.get_mpz_t(), c.get_mpz_t(), g.get_mpz_t());
    for (MonomialTerm& t : out) mpz_divexact(t.c.get_mpz_t(), t.c.get_mpz_t(), g.get_mpz_t());
  }

  std::vector<TermList> reduced() {
    for (std::size_t i = 0; i < basis_.size(); ++i) {
      for (std::size_t k = 0; k < basis_.size() && !dropped_[i]; ++k) {
        if (k != i && !dropped_[k] && divides(basis_[k][0].m, basis_[i][0].m)) dropped_[i] = true;
      }
    }
    std::vector<TermList> out;
    for (std::size_t i = 0; i < basis_.size(); ++i) {
      if (!dropped_[i]) out.push_back(normal_form(basis_[i], i));
    }
    std::sort(out.begin(), out.end(), [&](const TermList& a, const TermList& b) { return order_(b[0].m, a[0].m); });
    return out;
  }

  LargerFirst order_;
  std::vector<TermList> basis_;
  std::vector<bool> dropped_;
  std::set<Pair> pairs_;
  std::set<std::pair<std::size_t, std::size_t>> done_;
};

// Whether a power of each variable leads one of the polynomials: then there are finitely many common zeros.
bool finitely_many_zeros(const std::vector<TermList>& basis, unsigned vars) {
  std::vector<bool> bounded(vars, false);
  for (const TermList& p : basis) {
    std::size_t used = 0;
    std::size_t last = 0;
    for (std::size_t v = 0; v < vars; ++v) {
      if (p[0].m[v] == 0) continue;
      ++used;
      last = v;
    }
    if (used == 1) bounded[last] = true;
  }
  return std::all_of(bounded.begin(), bounded.end(), [](bool b) { return b; });
}

// From a basis by degree to the lexicographic one, by linear algebra in the quotient ring, whose dimension is the
// number of zeros with their multiplicities (Faugere, Gianni, Lazard and Mora 1993).
class ChangeOfOrder {
 public:
  ChangeOfOrder(const std::vector<TermList>& basis, unsigned vars) : basis_(basis), vars_(vars) {
    enumerate();
    multiply_.resize(vars_);
    for (unsigned v = 0; v < vars_; ++v) {
      for (const Monomial& s : standard_) multiply_[v].push_back(reduced(s, v));
    }
  }

  std::vector<TermList> lexicographic() {
    std::vector<TermList> out;
    std::vector<Monomial> leading;
    std::map<Monomial, Vector> open;  // ascending: monomials to look at with their normal forms
    Vector one(standard_.size());
    one[place_.at(Monomial(vars_, 0))] = 1;
    open.emplace(Monomial(vars_, 0), one);
    while (!open.empty()) {
      const auto at = open.begin();
      const Monomial m = at->first;
      const Vector v = std::move(at->second);
      open.erase(at);
      if (std::any_of(leading.begin(), leading.end(), [&](const Monomial& l) { return divides(l, m); })) continue;
      if (auto relation = dependence(m, v)) {
        leading.push_back(m);
        out.push_back(std::move(*relation));
        continue;
      }
      for (unsigned k = 0; k < vars_; ++k) {
        Monomial next = m;
        ++next[k];
        if (!open.contains(next)) open.emplace(std::move(next), times(v, k));
      }
    }
    return out;
  }

 private:
  using Vector = std::vector<mpq_class>;

  void enumerate() {
    std::vector<Monomial> open{Monomial(vars_, 0)};
    std::set<Monomial> seen;
    while (!open.empty()) {
      Monomial m = std::move(open.back());
      open.pop_back();
      if (!seen.insert(m).second) continue;
      if (std::any_of(basis_.begin(), basis_.end(), [&](const TermList& g) { return divides(g[0].m, m); })) continue;
      charge(100);
      place_.emplace(m, standard_.size());
      standard_.push_back(m);
      for (unsigned v = 0; v < vars_; ++v) {
        Monomial next = m;
        ++next[v];
        open.push_back(std::move(next));
      }
    }
  }

  // The normal form of a standard monomial times a variable.
  Vector reduced(const Monomial& s, unsigned v) const {
    Monomial m = s;
    ++m[v];
    std::map<Monomial, mpq_class, LargerFirst> rest(LargerFirst{true});
    rest[m] = 1;
    Vector out(standard_.size());
    while (!rest.empty()) {
      const auto top = rest.begin();
      if (const auto at = place_.find(top->first); at != place_.end()) {
        out[at->second] = top->second;
        rest.erase(top);
        continue;
      }
      const TermList* by = nullptr;
      for (const TermList& g : basis_) {
        if (divides(g[0].m, top->first) && (by == nullptr || g.size() < by->size())) by = &g;
      }
      const Monomial shift = quotient_of(top->first, (*by)[0].m);
      const mpq_class c = top->second / (*by)[0].c;
      charge(60 * by->size());
      for (const MonomialTerm& t : *by) {
        Monomial n = t.m;
        for (std::size_t i = 0; i < n.size(); ++i) n[i] += shift[i];
        auto [at, fresh] = rest.try_emplace(std::move(n));
        at->second -= c * t.c;
        if (at->second == 0) rest.erase(at);
      }
    }
    return out;
  }

  Vector times(const Vector& v, unsigned variable) const {
    Vector out(v.size());
    for (std::size_t i = 0; i < v.size(); ++i) {
      if (v[i] == 0) continue;
      const Vector& column = multiply_[variable][i];
      for (std::size_t k = 0; k < column.size(); ++k) {
        if (column[k] != 0) out[k] += v[i] * column[k];
      }
      charge(30 * column.size());
    }
    return out;
  }

  // The monomial as a combination of those before it, if it is one; else it is kept for those after it.
  std::optional<TermList> dependence(const Monomial& m, Vector v) {
    Vector combination(kept_.size() + 1);
    combination.back() = 1;
    for (const Row& r : rows_) {
      if (v[r.pivot] == 0) continue;
      const mpq_class c = v[r.pivot];
      for (std::size_t k = 0; k < v.size(); ++k) {
        if (r.values[k] != 0) v[k] -= c * r.values[k];
      }
      for (std::size_t k = 0; k < r.combination.size(); ++k) combination[k] -= c * r.combination[k];
      charge(40 * v.size());
    }
    const auto pivot = std::find_if(v.begin(), v.end(), [](const mpq_class& c) { return c != 0; });
    kept_.push_back(m);
    if (pivot != v.end()) {
      const mpq_class c = *pivot;
      for (mpq_class& k : v) k /= c;
      for (mpq_class& k : combination) k /= c;
      const auto place = static_cast<std::size_t>(pivot - v.begin());
      rows_.push_back({place, std::move(v), std::move(combination)});
      return std::nullopt;
    }
    mpz_class common = 1;
    for (const mpq_class& k : combination) mpz_lcm(common.get_mpz_t(), common.get_mpz_t(), k.get_den_mpz_t());
    TermList out;
    for (std::size_t k = 0; k < combination.size(); ++k) {
      const mpq_class scaled = combination[k] * common;
      if (scaled != 0) out.push_back({kept_[k], scaled.get_num()});
    }
    kept_.pop_back();
    std::sort(out.begin(), out.end(), [](const MonomialTerm& a, const MonomialTerm& b) { return a.m > b.m; });
    make_primitive(out);
    return out;
  }

  struct Row {
    std::size_t pivot;
    Vector values;
    Vector combination;  // of the kept monomials
  };
  const std::vector<TermList>& basis_;
  unsigned vars_;
  std::vector<Monomial> standard_;
  std::map<Monomial, std::size_t> place_;
  std::vector<std::vector<Vector>> multiply_;  // by variable, by standard monomial
  std::vector<Monomial> kept_;
  std::vector<Row> rows_;
};

}  // namespace

std::vector<Poly> groebner_basis(const std::vector<Poly>& generators) {
  unsigned vars = 0;
  for (const Poly& p : generators) vars = std::max(vars, p.vars());
  const auto lists = [&](LargerFirst order) {
    std::vector<TermList> out;
    for (const Poly& p : generators) {
      if (!p.is_zero()) out.push_back(list_of(p, order));
    }
    return out;
  };
  const LargerFirst by_degree{true};
  std::vector<TermList> basis = Buchberger(by_degree).run(lists(by_degree));
  if (finitely_many_zeros(basis, vars)) {
    basis = ChangeOfOrder(basis, vars).lexicographic();
  } else if (!(basis.size() == 1 && basis[0].size() == 1)) {
    basis = Buchberger({}).run(lists({}));
  }
  std::vector<Poly> out;
  for (const TermList& p : basis) out.push_back(poly_of(p, vars));
  return out;
}

}  // namespace boreon::poly
