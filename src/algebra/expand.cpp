// SPDX-License-Identifier: MIT
// Writing products of sums out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "algebra/kernel_ring.hpp"
#include "algebra/linear_terms.hpp"
#include "algebra/polynomial/work.hpp"
#include "boreon/algebra.hpp"
#include "boreon/error.hpp"
#include "boreon/traverse.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

using poly::Degree;
using poly::Integer;
using poly::Layout;
using poly::Poly;

constexpr std::uint64_t units_of_term = 1500;  // its product, its place in the sum, and looking at it again

// A sum as a polynomial with rational coefficients in local kernels; exponents are relative to `lowest`.
struct LaurentSum {
  Poly terms;
  Integer denominator = 1;
};

class ProductExpander {
 public:
  explicit ProductExpander(const Limits& limits) : limits_(limits) {}

  // `sums`: sums with positive exponents; `rest`: everything else, one product.
  Expr run(const std::vector<std::pair<Expr, unsigned>>& sums, const Expr& rest) {
    for (const auto& [s, n] : sums) {
      for (const auto [term, c] : Parts(s)) note(term);
    }
    std::vector<Poly> factors;
    Integer denominator = 1;
    double terms = 1;
    double bits = 0;
    std::vector<double> degrees(kernels_.size(), 0);
    for (const auto& [s, n] : sums) {
      LaurentSum l = convert(s);
      terms *= poly::terms_of_power(l.terms.size(), n);
      double size = 0;  // of the numbers: the sum of absolute values, to the power
      for (const Integer& c : l.terms.coefficients)
        size += std::ldexp(1.0, static_cast<int>(std::min<std::size_t>(c.bit_length(), 1000)));
      bits += n * std::log2(size + 1);
      const auto d = l.terms.degrees();
      for (std::size_t v = 0; v < d.size(); ++v) degrees[v] += static_cast<double>(d[v]) * n;
      denominator *= poly::power(l.denominator, n);
      factors.push_back(std::move(l.terms));
    }
    // No more terms than there are exponents.
    double box = 1;
    for (const double d : degrees) box = std::min(box * (d + 1), 1e300);
    terms = std::min(terms, box);
    if (terms > 50 * static_cast<double>(limits_.terms) || terms * bits > 4e9 ||
        (sums.size() == 1 && terms > static_cast<double>(limits_.terms))) {
      throw Error(
          ErrorKind::limit,
          fmt::format("written out this would have about {:.2g} terms (limit {}) with numbers of up to {:.0f} digits",
                      terms, limits_.terms, bits / 3.3 + 1));
    }
    const bool one = sums.size() == 1;  // as many as that: what cannot be written down need not be multiplied out
    if (one) spend(static_cast<std::uint64_t>(terms) * units_of_term);
    Poly product = poly::constant(static_cast<unsigned>(kernels_.size()), 1);
    // Short factors first keep the products in between short.
    std::vector<Poly> powers;
    for (std::size_t i = 0; i < factors.size(); ++i) powers.push_back(poly::power(factors[i], sums[i].second));
    std::sort(powers.begin(), powers.end(), [](const Poly& a, const Poly& b) { return a.size() < b.size(); });
    std::vector<Degree> total(kernels_.size(), 0);
    for (std::size_t i = 0; i < sums.size(); ++i) {
      for (std::size_t v = 0; v < total.size(); ++v) total[v] += lowest_[v] * sums[i].second;
    }
    for (const Poly& p : powers) {
      product = poly::multiply(product, p);
      if (product.size() > limits_.terms)
        throw Error(ErrorKind::limit,
                    "written out this has more terms than the limit of " + std::to_string(limits_.terms));
    }
    if (!one) spend(product.size() * units_of_term);
    return back(product, denominator, total, rest);
  }

 private:
  void note(const Expr& term) {
    for_each_factor(term, [this](const Expr& base, const Expr& exponent) { note(base, exponent); });
  }
  void note(const Expr& base, const Expr& exponent) {
    const auto n = exponent.word();
    const bool whole = n && *n < (1 << 28) && *n > -(1 << 28);
    const Expr kernel = whole ? base : power(base, exponent);
    const auto [slot, fresh] = index_.insert(kernel);
    if (fresh) {
      *slot = kernels_.size();
      kernels_.push_back(kernel);
      lowest_.push_back(0);
    }
    if (whole && *n < 0) lowest_[*slot] = std::max(lowest_[*slot], static_cast<Degree>(-*n));
  }

  LaurentSum convert(const Expr& s) {
    LaurentSum out;
    std::uint64_t degree = 1;
    mpz_class scale = 1;
    const auto scan = [&](const Expr& c) {
      const Integer d = Integer::from(c.number().denominator());
      scale = lcm(scale, d.mpz());
    };
    scan(s.operands()[0]);
    for (const auto [term, c] : Parts(s)) {
      scan(c);
      for_each_power(term, [&](std::size_t v, std::int64_t n) {
        degree = std::max<std::uint64_t>(degree, static_cast<std::uint64_t>(n + lowest_[v]));
      });
    }
    for (const Degree d : lowest_) degree = std::max<std::uint64_t>(degree, d);
    out.denominator = Integer(scale);
    const Layout layout = Layout::for_degree(static_cast<unsigned>(kernels_.size()), degree);
    out.terms = Poly(layout);
    std::vector<std::uint64_t> m(layout.words());
    std::vector<std::uint64_t> base(layout.words(), 0);
    for (unsigned v = 0; v < layout.vars; ++v) layout.set(base.data(), v, lowest_[v]);
    const auto push = [&](const Expr& c) {
      const mpz_class n =
          Integer::from(c.number().numerator()).mpz() * (scale / Integer::from(c.number().denominator()).mpz());
      out.terms.push(m.data(), Integer(n));
    };
    m = base;
    if (!s.operands()[0].is_integer(0)) push(s.operands()[0]);
    for (const auto [term, c] : Parts(s)) {
      m = base;
      for_each_power(term, [&](std::size_t v, std::int64_t n) {
        const auto i = static_cast<unsigned>(v);
        layout.set(m.data(), i, static_cast<Degree>(static_cast<std::int64_t>(layout.get(m.data(), i)) + n));
      });
      push(c);
    }
    out.terms.normalise([](Integer& a, const Integer& b) { a += b; }, [](const Integer& a) { return a.is_zero(); });
    return out;
  }

  template <class Visit>
  void for_each_power(const Expr& term, Visit visit) {
    for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
      const auto n = exponent.word();
      if (n && *n < (1 << 28) && *n > -(1 << 28)) {
        visit(index_.at(base), *n);
      } else {
        visit(index_.at(power(base, exponent)), 1);
      }
    });
  }

  Expr back(const Poly& p, const Integer& denominator, const std::vector<Degree>& shift, const Expr& rest) {
    std::vector<Expr> terms;
    terms.reserve(p.size());
    const Number scale = Number(1) / denominator.number();
    std::vector<Expr> factors;
    std::vector<std::vector<Expr>> positive(kernels_.size());
    for (std::size_t i = 0; i < p.size(); ++i) {
      factors.clear();
      spend(1);  // looks for an interrupt
      const Number c = p.coefficients[i].number() * scale;
      if (!c.is_one()) factors.emplace_back(c);
      for (unsigned v = 0; v < p.vars(); ++v) {
        const std::int64_t e = static_cast<std::int64_t>(p.exponent(i, v)) - static_cast<std::int64_t>(shift[v]);
        if (e == 0) continue;
        if (e > 0 && e < 256) {
          auto& cache = positive[v];
          while (cache.size() <= static_cast<std::size_t>(e)) cache.push_back(power(kernels_[v], Expr(cache.size())));
          factors.push_back(cache[static_cast<std::size_t>(e)]);
        } else {
          factors.push_back(power(kernels_[v], Expr(e)));
        }
      }
      if (!rest.is_integer(1)) factors.push_back(rest);
      terms.push_back(multiply(factors));
    }
    return sum_of(terms, Absorb::everything);
  }

  Limits limits_;
  std::vector<Expr> kernels_;
  std::vector<Degree> lowest_;
  NodeMap<std::size_t> index_;
};

// Sums with doubles are written out term by term: doubles are no coefficients of polynomials.
Expr distributed(const std::vector<std::pair<Expr, unsigned>>& sums, const Expr& rest, const Limits& limits) {
  Expr result = rest;
  for (const auto& [s, n] : sums) {
    for (unsigned k = 0; k < n; ++k) {
      std::vector<Expr> left{result};
      if (result.is(Kind::sum)) {
        left.assign(1, result.operands()[0]);
        for (const auto [term, c] : Parts(result)) left.push_back(c * term);
      }
      if (left.size() * s.operands().size() / 2 > limits.terms)
        throw Error(ErrorKind::limit,
                    "written out this would have more terms than the limit of " + std::to_string(limits.terms));
      std::vector<Expr> terms;
      for (const Expr& a : left) {
        terms.push_back(a * s.operands()[0]);
        for (const auto [term, c] : Parts(s)) terms.push_back(a * (c * term));
      }
      result = sum_of(terms, Absorb::everything);
    }
  }
  return result;
}

bool exact_sum(const Expr& e) {
  if (!e.is(Kind::sum)) return false;
  if (e.operands()[0].number().is_double()) return false;
  for (const auto [term, c] : Parts(e)) {
    if (c.number().is_double()) return false;
  }
  return true;
}

class Expander {
 public:
  explicit Expander(const Limits& limits) : limits_(limits) {}

  Expr operator()(const Expr& root) {
    Expr e = root;
    for (int round = 0; round < 32; ++round) {  // sqrt(1 + x)^2 and the like bring up new sums
      const Expr next = once(e);
      if (next == e) return e;
      e = next;
    }
    return e;
  }

 private:
  // Operands of sums, products and whole powers are expanded before them; everything else stays.
  Expr once(const Expr& root) {
    NodeMap<Expr> done;
    const Expr keep[] = {root};
    const auto enter = [](const Expr& e) { return e.is(Kind::sum) || e.is(Kind::product) || e.is(Kind::power); };
    const auto get = [&](const Expr& e) {
      const Expr* found = done.find(e);
      return found == nullptr ? e : *found;
    };
    postorder(
        std::span<const Expr>(keep),
        [&](const Expr& e) {
          if (e.is(Kind::sum)) {
            std::vector<Expr> terms{e.operands()[0]};
            bool changed = false;
            for (const auto [term, c] : Parts(e)) {
              const Expr t = get(term);
              changed = changed || !(t == term) || t.is(Kind::sum);
              terms.push_back(c.is_integer(1) ? t : scaled(t, c));
            }
            if (!changed) return;
            done[e] = sum_of(terms, Absorb::everything);
          } else if (e.is(Kind::product)) {
            done[e] = product(e.operands()[0], Parts(e), get);
          } else if (e.is(Kind::power)) {
            const auto n = e.operands()[1].word();
            const Expr base = get(e.operands()[0]);
            if (n && *n > 1 && base.is(Kind::sum)) {
              done[e] = one_power(base, *n);
            } else if (n && !(base == e.operands()[0])) {
              done[e] = power(base, e.operands()[1]);
            }
          }
        },
        enter);
    return get(root);
  }

  // A number times a sum, term by term.
  static Expr scaled(const Expr& t, const Expr& c) {
    if (!t.is(Kind::sum)) return c * t;
    std::vector<Expr> terms{c * t.operands()[0]};
    for (const auto [term, k] : Parts(t)) terms.push_back(c * k * term);
    return sum_of(terms, Absorb::everything);
  }

  Expr one_power(const Expr& base, std::int64_t n) const {
    if (n > 1000000)
      throw Error(ErrorKind::limit,
                  "the power " + std::to_string(n) + " of a sum has too many terms to be written out");
    return run({{base, static_cast<unsigned>(n)}}, 1);
  }

  template <class Get>
  Expr product(const Expr& coefficient, const Parts& parts, Get get) const {
    std::vector<std::pair<Expr, unsigned>> sums;
    std::vector<Expr> rest{coefficient};
    for (const auto [base, exponent] : parts) {
      const Expr b = get(base);
      const auto n = exponent.word();
      const Expr factor = n ? power(b, exponent) : power(base, exponent);
      if (n && *n > 0 && b.is(Kind::sum)) {
        if (*n > 1000000)
          throw Error(ErrorKind::limit,
                      "the power " + std::to_string(*n) + " of a sum has too many terms to be written out");
        sums.emplace_back(b, static_cast<unsigned>(*n));
      } else {
        rest.push_back(factor);
      }
    }
    const Expr all = multiply(rest);
    if (sums.empty()) return all;
    if (sums.size() == 1 && sums[0].second == 1 && all.is_number() && all.number().is_exact())
      return scaled(sums[0].first, all);
    return run(sums, all);
  }

  Expr run(const std::vector<std::pair<Expr, unsigned>>& sums, const Expr& rest) const {
    const bool exact = std::all_of(sums.begin(), sums.end(), [](const auto& s) { return exact_sum(s.first); });
    return exact ? ProductExpander(limits_).run(sums, rest) : distributed(sums, rest, limits_);
  }

  Limits limits_;
};

}  // namespace

Expr expand(const Expr& expression, const Limits& limits) {
  const poly::WorkLimit limit(poly::work_of_call());
  if (expression.is(Kind::relation))
    return relation(expression.relation_op(), expand(expression.operands()[0], limits),
                    expand(expression.operands()[1], limits));
  return Expander(limits)(expression);
}

}  // namespace boreon
