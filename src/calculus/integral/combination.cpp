// SPDX-License-Identifier: MIT
// f as a combination of derivatives with constant coefficients: linear equations for the coefficients of all monomials
// in the functions that depend on x. Solved modulo a prime first, which tells whether there is a solution and which
// equations and unknowns matter.
#include <algorithm>
#include <map>

#include "algebra/kernel_ring.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/error.hpp"
#include "calculus/integral/undetermined.hpp"

namespace boreon {
namespace {

using poly::Poly;
using poly::Residue;

constexpr std::size_t most_parameters_unknowns = 40;

class Combination {
 public:
  Combination(const Expr& f, const std::vector<Candidate>& candidates, const Symbol& x)
      : ring_(roots(f, candidates), tower_options()), dice_(20260101) {
    for (unsigned v = 0; v < ring_.vars(); ++v) (depends_on(ring_.kernels()[v], x) ? varying_ : fixed_).push_back(v);
    const Fraction right = ring_.reduced(ring_.fraction_of(f));
    std::vector<Fraction> columns;
    for (const Candidate& c : candidates) columns.push_back(ring_.reduced(ring_.fraction_of(c.slope)));
    Poly common = right.denominator;
    for (const Fraction& c : columns) {
      const Poly g = poly::gcd(common, c.denominator);
      common = poly::multiply(common, *poly::divide_exactly(c.denominator, g));
      if (common.size() > 3000) throw Error(ErrorKind::limit, "the common denominator grows too large");
    }
    unknowns_ = columns.size();
    for (std::size_t j = 0; j <= unknowns_; ++j) {
      const Fraction& c = j < unknowns_ ? columns[j] : right;
      const Fraction whole =
          ring_.reduced(fraction(poly::multiply(c.numerator, *poly::divide_exactly(common, c.denominator))));
      if (!whole.denominator.is_constant())
        throw Error(ErrorKind::unsupported, "relations do not reduce to polynomials");
      if (!poly::is_one(whole.denominator)) throw Error(ErrorKind::unsupported, "fractions in relations");
      enter(whole.numerator, j);
    }
  }

  std::optional<std::vector<Fraction>> solve() {
    if (!modulo_prime()) return std::nullopt;
    return exactly();
  }

  [[nodiscard]] const KernelRing& ring() const { return ring_; }

 private:
  static std::vector<Expr> roots(const Expr& f, const std::vector<Candidate>& candidates) {
    std::vector<Expr> list{f};
    for (const Candidate& c : candidates) list.push_back(c.slope);
    return list;
  }

  // One equation for each monomial in what varies.
  void enter(const Poly& p, std::size_t column) {
    poly::charge(p.size());
    for (std::size_t i = 0; i < p.size(); ++i) {
      std::vector<poly::Degree> key;
      std::vector<poly::Degree> rest;
      for (const unsigned v : varying_) key.push_back(p.exponent(i, v));
      for (const unsigned v : fixed_) rest.push_back(p.exponent(i, v));
      Row& row = rows_[key];
      if (row.empty() || row.back().column != column) row.push_back({column, {}});
      row.back().terms.push_back({std::move(rest), p.coefficients[i]});
    }
  }

  bool modulo_prime() {
    std::vector<Residue> values;
    unsigned attempt = 0;
    while (!residues(poly::PrimeField(poly::large_prime(attempt)), values)) {
      if (++attempt == 200) throw Error(ErrorKind::limit, "no prime was found at which the roots exist");
    }
    const poly::PrimeField field(poly::large_prime(attempt));
    struct Pivot {
      std::size_t column;
      std::vector<Residue> row;  // normalised, dense from its column on
    };
    std::vector<Pivot> pivots;
    std::vector<int> pivot_of(unknowns_, -1);
    // short equations first: they contradict soonest
    std::vector<const Row*> order;
    for (const auto& [key, row] : rows_) order.push_back(&row);
    std::stable_sort(order.begin(), order.end(), [](const Row* a, const Row* b) { return a->size() < b->size(); });
    for (const Row* r : order) {
      std::vector<Residue> line(unknowns_ + 1, 0);
      for (const Entry& e : *r) {
        Residue sum = 0;
        for (const Term& t : e.terms) {
          Residue m = residue(t.coefficient, field);
          for (std::size_t i = 0; i < values.size(); ++i) {
            if (t.exponents[i] != 0) m = field.mul(m, field.pow(values[i], t.exponents[i]));
          }
          sum = field.add(sum, m);
        }
        line[e.column] = sum;
      }
      for (std::size_t c = 0; c < unknowns_; ++c) {
        if (line[c] == 0 || pivot_of[c] < 0) continue;
        const Pivot& p = pivots[static_cast<std::size_t>(pivot_of[c])];
        const Residue k = line[c];
        poly::charge(unknowns_ - c);
        for (std::size_t i = c; i <= unknowns_; ++i) {
          if (p.row[i] != 0) line[i] = field.sub(line[i], field.mul(k, p.row[i]));
        }
      }
      std::size_t c = 0;
      while (c < unknowns_ && line[c] == 0) ++c;
      if (c == unknowns_) {
        if (line[unknowns_] != 0) return false;
        continue;
      }
      const Residue inverse = field.inv(line[c]);
      for (Residue& z : line) z = field.mul(z, inverse);
      pivot_of[c] = static_cast<int>(pivots.size());
      pivots.push_back({c, std::move(line)});
      used_.push_back(r);
      columns_.push_back(c);
    }
    return true;
  }

  // Random values of what does not depend on x, with roots that fulfil their equations; false if a root is missing.
  bool residues(const poly::PrimeField& field, std::vector<Residue>& out) {
    std::vector<std::optional<Residue>> value(ring_.vars());
    std::vector<const KernelRing::Relation*> open;
    for (const unsigned v : fixed_) value[v] = dice_.below(field.prime() - 2) + 1;
    for (const auto& r : ring_.relations()) {
      if (std::find(fixed_.begin(), fixed_.end(), r.variable) == fixed_.end()) continue;
      open.push_back(&r);
      value[r.variable].reset();
    }
    const auto at = [&](const Poly& p) -> std::optional<Residue> {
      Residue sum = 0;
      for (std::size_t i = 0; i < p.size(); ++i) {
        Residue m = residue(p.coefficients[i], field);
        for (unsigned v = 0; v < p.vars(); ++v) {
          if (p.exponent(i, v) == 0) continue;
          if (!value[v]) return std::nullopt;
          m = field.mul(m, field.pow(*value[v], p.exponent(i, v)));
        }
        sum = field.add(sum, m);
      }
      return sum;
    };
    while (!open.empty()) {
      bool progress = false;
      for (auto it = open.begin(); it != open.end(); ++it) {
        const auto n = at((*it)->value.numerator);
        const auto d = at((*it)->value.denominator);
        if (!n || !d) continue;
        if (*d == 0) return false;
        const auto root = root_of(field.mul(*n, field.inv(*d)), (*it)->degree, field);
        if (!root) return false;
        value[(*it)->variable] = *root;
        open.erase(it);
        progress = true;
        break;
      }
      if (!progress) return false;
    }
    out.clear();
    for (const unsigned v : fixed_) out.push_back(*value[v]);
    return true;
  }

  // The n-th root modulo the prime: square roots by Tonelli and Shanks, others where n is prime to p - 1.
  std::optional<Residue> root_of(Residue a, unsigned n, const poly::PrimeField& field) {
    const Residue order = field.prime() - 1;
    if (a == 0) return 0;
    if (n == 2) {
      if (field.pow(a, order / 2) != 1) return std::nullopt;
      Residue q = order;
      unsigned s = 0;
      for (; q % 2 == 0; q /= 2) ++s;
      Residue z = 2;
      while (field.pow(z, order / 2) == 1) ++z;
      Residue c = field.pow(z, q);
      Residue t = field.pow(a, q);
      Residue r = field.pow(a, (q + 1) / 2);
      unsigned m = s;
      while (t != 1) {
        unsigned i = 0;
        for (Residue u = t; u != 1; u = field.mul(u, u)) ++i;
        Residue b = c;
        for (unsigned k = 0; k + i + 1 < m; ++k) b = field.mul(b, b);
        m = i;
        c = field.mul(b, b);
        t = field.mul(t, c);
        r = field.mul(r, b);
      }
      return r;
    }
    if (n % 2 == 0) {
      const auto half = root_of(a, 2, field);
      return half ? root_of(*half, n / 2, field) : std::nullopt;
    }
    if (order % n == 0) return std::nullopt;
    for (unsigned k = 1; k < n; ++k) {  // n*e = 1 + k*order for one k
      if ((order % n * k + 1) % n == 0) return field.pow(a, order / n * k + (order % n * k + 1) / n);
    }
    return std::nullopt;
  }

  static Residue residue(const poly::Integer& c, const poly::PrimeField& field) {
    if (c.is_small()) {
      const std::int64_t s = c.small();
      const Residue m = static_cast<Residue>(s < 0 ? -s : s) % field.prime();
      return s < 0 ? field.neg(m) : m;
    }
    mpz_class r = c.mpz() % mpz_class(static_cast<unsigned long>(field.prime()));
    if (r < 0) r += mpz_class(static_cast<unsigned long>(field.prime()));
    return r.get_ui();
  }

  // Gauss and Jordan on the equations and unknowns that matter.
  std::optional<std::vector<Fraction>> exactly() {
    const std::size_t n = columns_.size();
    const bool numbers = std::all_of(used_.begin(), used_.end(), [](const Row* r) {
      return std::all_of(r->begin(), r->end(), [](const Entry& e) {
        return std::all_of(e.terms.begin(), e.terms.end(), [](const Term& t) {
          return std::all_of(t.exponents.begin(), t.exponents.end(), [](poly::Degree d) { return d == 0; });
        });
      });
    });
    std::vector<Fraction> result(unknowns_, fraction(Number(0), ring_.vars()));
    std::vector<std::size_t> place(unknowns_ + 1, n + 1);
    for (std::size_t i = 0; i < n; ++i) place[columns_[i]] = i;
    place[unknowns_] = n;
    if (numbers) {
      std::vector<std::map<std::size_t, Number>> a(n);
      for (std::size_t i = 0; i < n; ++i) {
        for (const Entry& e : *used_[i]) {
          if (place[e.column] > n) continue;
          Number sum(0);
          for (const Term& t : e.terms) sum = sum + t.coefficient.number();
          if (!sum.is_zero()) a[i][place[e.column]] = sum;
        }
      }
      if (!eliminate(a, n)) return std::nullopt;
      for (std::size_t i = 0; i < n; ++i) {
        const auto right = a[i].find(n);
        if (right == a[i].end()) continue;
        const auto left = a[i].begin();
        result[columns_[left->first]] = fraction(right->second / left->second, ring_.vars());
      }
      return result;
    }
    if (n > most_parameters_unknowns) throw Error(ErrorKind::limit, "too many unknowns with parameters");
    std::vector<std::map<std::size_t, Fraction>> a(n);
    for (std::size_t i = 0; i < n; ++i) {
      for (const Entry& e : *used_[i]) {
        if (place[e.column] > n) continue;
        Fraction sum = fraction(Number(0), ring_.vars());
        for (const Term& t : e.terms) {
          Poly m = poly::constant(ring_.vars(), t.coefficient);
          for (std::size_t k = 0; k < fixed_.size(); ++k) {
            if (t.exponents[k] != 0) m = poly::multiply(m, poly::variable(ring_.vars(), fixed_[k], t.exponents[k]));
          }
          sum = add(sum, fraction(m));
        }
        sum = ring_.reduced(sum);
        if (!sum.is_zero()) a[i].insert_or_assign(place[e.column], sum);
      }
    }
    if (!eliminate(a, n)) return std::nullopt;
    for (std::size_t i = 0; i < n; ++i) {
      const auto right = a[i].find(n);
      if (right == a[i].end()) continue;
      const auto left = a[i].begin();
      result[columns_[left->first]] = ring_.reduced(divide(right->second, left->second));
    }
    return result;
  }

  static Number minus(const Number& a, const Number& b) { return a - b; }
  static Number times(const Number& a, const Number& b) { return a * b; }
  static Number over(const Number& a, const Number& b) { return a / b; }
  static Number negated(const Number& a) { return -a; }
  static bool zero(const Number& a) { return a.is_zero(); }
  static std::size_t weight(const Number& a) { return a.bits(); }
  Fraction minus(const Fraction& a, const Fraction& b) const { return ring_.reduced(subtract(a, b)); }
  Fraction times(const Fraction& a, const Fraction& b) const { return ring_.reduced(multiply(a, b)); }
  Fraction over(const Fraction& a, const Fraction& b) const { return ring_.reduced(divide(a, b)); }
  static Fraction negated(const Fraction& a) { return negate(a); }
  static bool zero(const Fraction& a) { return a.is_zero(); }
  static std::size_t weight(const Fraction& a) { return a.numerator.size() + a.denominator.size(); }

  // After it every row holds one unknown and the right side, or is empty of unknowns with a right side (then false).
  template <class T>
  bool eliminate(std::vector<std::map<std::size_t, T>>& a, std::size_t n) const {
    std::vector<char> done(a.size(), 0);
    for (;;) {
      // the row with the fewest entries, in it the unknown with the lightest coefficient
      std::size_t best = a.size();
      for (std::size_t i = 0; i < a.size(); ++i) {
        if (done[i] != 0 || a[i].empty()) continue;
        if (a[i].begin()->first == n) return false;
        if (best == a.size() || a[i].size() < a[best].size()) best = i;
      }
      if (best == a.size()) return true;
      auto pivot = a[best].end();
      for (auto it = a[best].begin(); it != a[best].end() && it->first < n; ++it) {
        if (pivot == a[best].end() || weight(it->second) < weight(pivot->second)) pivot = it;
      }
      const std::size_t column = pivot->first;
      const T head = pivot->second;
      done[best] = 1;
      for (std::size_t i = 0; i < a.size(); ++i) {
        if (i == best) continue;
        const auto at = a[i].find(column);
        if (at == a[i].end()) continue;
        poly::charge(20 * a[best].size());
        const T k = over(at->second, head);
        a[i].erase(at);
        for (const auto& [c, v] : a[best]) {
          if (c == column) continue;
          const auto old = a[i].find(c);
          if (old == a[i].end()) {
            a[i].insert_or_assign(c, negated(times(v, k)));
          } else {
            T value = minus(old->second, times(v, k));
            if (zero(value)) {
              a[i].erase(old);
            } else {
              old->second = std::move(value);
            }
          }
        }
      }
    }
  }

  struct Term {
    std::vector<poly::Degree> exponents;  // of the parameters
    poly::Integer coefficient;
  };
  struct Entry {
    std::size_t column;
    std::vector<Term> terms;
  };
  using Row = std::vector<Entry>;

  KernelRing ring_;
  poly::Dice dice_;
  std::vector<unsigned> varying_;
  std::vector<unsigned> fixed_;
  std::size_t unknowns_ = 0;
  std::map<std::vector<poly::Degree>, Row> rows_;
  std::vector<const Row*> used_;
  std::vector<std::size_t> columns_;
};

}  // namespace

RingOptions tower_options() {
  RingOptions o;
  o.rationalise_all = true;
  o.pythagoras = true;
  o.sine_stays = ~std::uint64_t{0};
  o.term_limit = 20000;
  return o;
}

std::optional<Expr> combination(const Expr& f, const std::vector<Candidate>& candidates, const Symbol& x) {
  Combination system(f, candidates, x);
  const auto solution = system.solve();
  if (!solution) return std::nullopt;
  std::vector<Expr> terms;
  for (std::size_t j = 0; j < candidates.size(); ++j) {
    if (!(*solution)[j].is_zero()) terms.push_back(system.ring().factored((*solution)[j]) * candidates[j].function);
  }
  return add(terms);
}

}  // namespace boreon
