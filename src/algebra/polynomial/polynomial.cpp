// SPDX-License-Identifier: MIT
#include "algebra/polynomial/polynomial.hpp"
#include "algebra/polynomial/work.hpp"

#include "algebra/polynomial/wide_sum.hpp"

namespace boreon::poly {
namespace {

const auto add_to = [](Integer& a, const Integer& b) { a += b; };
const auto is_nil = [](const Integer& a) { return a.is_zero(); };

Poly combine(const Poly& a, const Poly& b, int sign) {
  const Layout layout = common_layout(a, b);
  if (!(a.layout == layout)) return combine(a.repacked(layout), b, sign);
  if (!(b.layout == layout)) return combine(a, b.repacked(layout), sign);
  Poly out(layout);
  out.reserve(a.size() + b.size());
  merge_terms(a, b, [&](const std::uint64_t* m, const Integer* x, const Integer* y) {
    if (y == nullptr) return out.push(m, *x);
    if (x == nullptr) return out.push(m, sign > 0 ? *y : -*y);
    Integer s = sign > 0 ? *x + *y : *x - *y;
    if (!s.is_zero()) out.push(m, std::move(s));
  });
  return out;
}

}  // namespace

Poly constant(unsigned vars, const Integer& c) {
  Poly p(Layout{vars, 8});
  const std::vector<std::uint64_t> m(p.layout.words(), 0);
  if (!c.is_zero()) p.push(m.data(), c);
  return p;
}

Poly variable(unsigned vars, unsigned v, Degree exponent) {
  Poly p(Layout::for_degree(vars, exponent));
  std::vector<std::uint64_t> m(p.layout.words(), 0);
  p.layout.set(m.data(), v, exponent);
  p.push(m.data(), 1);
  return p;
}

bool equal(const Poly& a, const Poly& b) {
  if (a.size() != b.size()) return false;
  const Layout layout = common_layout(a, b);
  return a.coefficients == b.coefficients && a.repacked(layout).exponents == b.repacked(layout).exponents;
}

bool is_one(const Poly& a) { return a.is_constant() && !a.is_zero() && a.coefficients[0].is_one(); }

Poly add(const Poly& a, const Poly& b) { return combine(a, b, 1); }
Poly subtract(const Poly& a, const Poly& b) { return combine(a, b, -1); }

Poly negate(const Poly& a) {
  Poly out = a;
  for (Integer& c : out.coefficients) c = -c;
  return out;
}

Poly scale(const Poly& a, const Integer& s) {
  if (s.is_one()) return a;
  if (s.is_zero()) return Poly(a.layout);
  Poly out = a;
  for (Integer& c : out.coefficients) c *= s;
  return out;
}

Poly divide_scalar(const Poly& a, const Integer& s) {
  if (s.is_one()) return a;
  Poly out = a;
  for (Integer& c : out.coefficients) (void)Integer::divide(c, s, c);
  return out;
}

namespace {

// False if d does not divide n.
bool monomial_quotient(const Layout& layout, const std::uint64_t* n, const std::uint64_t* d, std::uint64_t* q) {
  const std::uint64_t guards = layout.guards();
  for (unsigned k = 0; k < layout.words(); ++k) {
    q[k] = n[k] - d[k];
    if ((q[k] & guards) != 0) return false;  // a field has borrowed
  }
  return true;
}

// b has one term, and the layout of a.
std::optional<Poly> divide_by_term(const Poly& a, const Poly& b) {
  Poly q(a.layout);
  std::vector<std::uint64_t> m(a.layout.words());
  for (std::size_t i = 0; i < a.size(); ++i) {
    Integer c;
    if (!monomial_quotient(a.layout, a.monomial(i), b.monomial(0), m.data()) ||
        !Integer::divide(a.coefficients[i], b.coefficients[0], c))
      return std::nullopt;
    q.push(m.data(), std::move(c));
  }
  return q;
}

}  // namespace

std::optional<Poly> divide_exactly(const Poly& a, const Poly& b) {
  if (b.is_zero()) return std::nullopt;
  if (a.is_zero()) return a;
  const Layout layout = common_layout(a, b);
  if (!(a.layout == layout)) return divide_exactly(a.repacked(layout), b);
  if (!(b.layout == layout)) return divide_exactly(a, b.repacked(layout));
  const auto da = a.degrees();
  const auto db = b.degrees();
  for (std::size_t v = 0; v < da.size(); ++v) {
    if (db[v] > da[v]) return std::nullopt;
  }
  if (b.size() == 1) return divide_by_term(a, b);
  const unsigned w = layout.words();
  // No term of the quotient may exceed the degrees that are left; this also keeps the fields from overflowing.
  const auto fits = [&](const std::uint64_t* q) {
    for (unsigned v = 0; v < layout.vars; ++v) {
      if (layout.get(q, v) + db[v] > da[v]) return false;
    }
    return true;
  };
  Poly q(layout);
  std::vector<std::uint64_t> m(w);
  // A heap of the products quotient term j times divisor term i, one for each j, largest monomial first.
  struct Entry {
    std::size_t divisor;
    std::size_t quotient;
  };
  std::vector<std::uint64_t> keys;  // monomial of the entry of quotient term j, at j*w
  const auto less = [&](const Entry& x, const Entry& y) {
    return compare_monomials(keys.data() + x.quotient * w, keys.data() + y.quotient * w, w) < 0;
  };
  std::vector<Entry> heap;
  std::size_t at = 0;
  const auto advance = [&](Entry e) {
    if (++e.divisor >= b.size()) return;
    for (unsigned k = 0; k < w; ++k) keys[e.quotient * w + k] = q.monomial(e.quotient)[k] + b.monomial(e.divisor)[k];
    heap.push_back(e);
    std::push_heap(heap.begin(), heap.end(), less);
  };
  std::vector<std::uint64_t> top(w);
  std::vector<Entry> popped;
  while (at < a.size() || !heap.empty()) {
    const std::uint64_t* from_heap = heap.empty() ? nullptr : keys.data() + heap.front().quotient * w;
    const int c = from_heap == nullptr ? 1 : at == a.size() ? -1 : compare_monomials(a.monomial(at), from_heap, w);
    Sum192 words;   // products of two words
    Integer value;  // all else
    std::copy_n(c >= 0 ? a.monomial(at) : from_heap, w, top.begin());
    if (c >= 0) value = a.coefficients[at++];
    if (c <= 0) {
      popped.clear();
      while (!heap.empty() && compare_monomials(keys.data() + heap.front().quotient * w, top.data(), w) == 0) {
        const Entry e = heap.front();
        std::pop_heap(heap.begin(), heap.end(), less);
        heap.pop_back();
        const Integer& x = q.coefficients[e.quotient];
        const Integer& y = b.coefficients[e.divisor];
        if (x.is_small() && y.is_small()) {
          words.subtract_product(x.small(), y.small());
        } else {
          value -= x * y;
        }
        popped.push_back(e);
      }
      for (const Entry& e : popped) advance(e);
      if (!words.is_zero()) value += words.integer();
    }
    if (value.is_zero()) continue;
    charge(4 * b.size());
    Integer coefficient;
    if (!monomial_quotient(layout, top.data(), b.monomial(0), m.data()) || !fits(m.data()) ||
        !Integer::divide(value, b.coefficients[0], coefficient))
      return std::nullopt;
    q.push(m.data(), std::move(coefficient));
    keys.resize(q.size() * w);
    advance({0, q.size() - 1});
  }
  return q;
}

Poly derivative(const Poly& a, unsigned v) {
  Poly out(a.layout);
  std::vector<std::uint64_t> m(a.layout.words());
  for (std::size_t i = 0; i < a.size(); ++i) {
    const Degree e = a.exponent(i, v);
    if (e == 0) continue;
    std::copy_n(a.monomial(i), m.size(), m.begin());
    a.layout.set(m.data(), v, e - 1);
    out.push(m.data(), a.coefficients[i] * Integer(e));
  }
  return out;
}

Poly pseudo_remainder(const Poly& a, const Poly& b, unsigned v) {
  const Degree db = b.degree(v);
  const Poly lead = leading_in(b, v);
  Poly r = a;
  Degree steps = a.degree(v) >= db ? a.degree(v) - db + 1 : 0;
  while (!r.is_zero() && r.degree(v) >= db && steps > 0) {
    const Poly t = multiply(leading_in(r, v), variable(a.vars(), v, r.degree(v) - db));
    r = subtract(multiply(lead, r), multiply(t, b));
    --steps;
  }
  return steps > 0 ? multiply(r, power(lead, steps)) : r;
}

Poly evaluate_at(const Poly& a, unsigned v, const Integer& at) {
  Poly out(a.layout);
  std::vector<Integer> powers{Integer(1)};
  std::vector<std::uint64_t> m(a.layout.words());
  for (std::size_t i = 0; i < a.size(); ++i) {
    const Degree e = a.exponent(i, v);
    while (powers.size() <= e) powers.push_back(powers.back() * at);
    std::copy_n(a.monomial(i), m.size(), m.begin());
    a.layout.set(m.data(), v, 0);
    out.push(m.data(), a.coefficients[i] * powers[e]);
  }
  out.normalise(add_to, is_nil);
  return out;
}

Integer content(const Poly& a) {
  Integer g;
  for (const Integer& c : a.coefficients) {
    g = Integer::gcd(g, c);
    if (g.is_one()) break;
  }
  return g;
}

Poly primitive_part(const Poly& a, Integer* content_out) {
  Integer c = content(a);
  if (!a.is_zero() && a.coefficients[0].sign() < 0) c = -c;
  if (content_out != nullptr) *content_out = c;
  return a.is_zero() ? a : divide_scalar(a, c);
}

std::vector<Degree> monomial_content(const Poly& a) {
  std::vector<Degree> low(a.vars(), 0);
  for (std::size_t i = 0; i < a.size(); ++i) {
    for (unsigned v = 0; v < a.vars(); ++v) low[v] = i == 0 ? a.exponent(i, v) : std::min(low[v], a.exponent(i, v));
  }
  return low;
}

Poly divide_monomial(const Poly& a, std::span<const Degree> exponents) {
  std::vector<std::uint64_t> d(a.layout.words(), 0);
  for (unsigned v = 0; v < a.vars(); ++v) a.layout.set(d.data(), v, exponents[v]);
  Poly out = a;
  for (std::size_t i = 0; i < out.exponents.size(); ++i) out.exponents[i] -= d[i % d.size()];
  return out;
}

std::vector<mpz_class> coefficients_of(const Poly& a, unsigned v) {
  std::vector<mpz_class> u(a.degree(v) + std::size_t{1});
  for (std::size_t i = 0; i < a.size(); ++i) u[a.exponent(i, v)] = a.coefficients[i].mpz();
  return u;
}

Poly from_coefficients(const std::vector<mpz_class>& u, unsigned v, unsigned vars) {
  Poly p(Layout::for_degree(vars, u.size()));
  std::vector<std::uint64_t> m(p.layout.words(), 0);
  for (std::size_t i = u.size(); i-- > 0;) {
    if (u[i] == 0) continue;
    p.layout.set(m.data(), v, static_cast<Degree>(i));
    p.push(m.data(), Integer(u[i]));
  }
  return p;
}

}  // namespace boreon::poly
