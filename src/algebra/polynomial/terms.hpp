// SPDX-License-Identifier: MIT
// Sparse polynomials in several variables: packed exponents beside coefficients, terms in descending lexicographic
// order, variable 0 first.
#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

#include "algebra/polynomial/integer.hpp"
#include "algebra/polynomial/prime_field.hpp"
#include "boreon/error.hpp"

namespace boreon::poly {

using Degree = std::uint32_t;

/// How exponents are packed into words: fields of 8, 16 or 32 bits, the top bit of each always clear, variable 0 in
/// the highest field of the first word, so that words compare as exponent vectors do.
struct Layout {
  unsigned vars = 0;
  unsigned bits = 8;

  [[nodiscard]] unsigned per_word() const { return 64 / bits; }
  [[nodiscard]] unsigned words() const { return vars == 0 ? 1 : (vars + per_word() - 1) / per_word(); }
  [[nodiscard]] unsigned word_of(unsigned v) const { return v / per_word(); }
  [[nodiscard]] unsigned shift_of(unsigned v) const { return 64 - bits * (v % per_word() + 1); }
  [[nodiscard]] std::uint64_t mask() const { return (std::uint64_t{1} << bits) - 1; }
  [[nodiscard]] Degree largest() const { return static_cast<Degree>((std::uint64_t{1} << (bits - 1)) - 1); }
  [[nodiscard]] Degree get(const std::uint64_t* m, unsigned v) const {
    return static_cast<Degree>((m[word_of(v)] >> shift_of(v)) & mask());
  }
  void set(std::uint64_t* m, unsigned v, Degree e) const {
    std::uint64_t& w = m[word_of(v)];
    w = (w & ~(mask() << shift_of(v))) | (static_cast<std::uint64_t>(e) << shift_of(v));
  }
  /// The top bits of all fields.
  [[nodiscard]] std::uint64_t guards() const {
    std::uint64_t g = 0;
    for (unsigned i = 0; i < per_word(); ++i) g |= std::uint64_t{1} << (bits * i + bits - 1);
    return g;
  }
  /// The narrowest layout for this degree; throws Error(limit) beyond 2^31.
  static Layout for_degree(unsigned vars, std::uint64_t degree) {
    Layout l{vars, 8};
    while (degree > l.largest()) {
      if (l.bits == 32) throw Error(ErrorKind::limit, "an exponent beyond 2^31 is too large for polynomial arithmetic");
      l.bits *= 2;
    }
    return l;
  }
  friend bool operator==(const Layout&, const Layout&) = default;
};

inline int compare_monomials(const std::uint64_t* a, const std::uint64_t* b, unsigned words) {
  for (unsigned i = 0; i < words; ++i) {
    if (a[i] != b[i]) return a[i] < b[i] ? -1 : 1;
  }
  return 0;
}

template <class C>
struct Terms {
  Layout layout;
  std::vector<std::uint64_t> exponents;  // words() for each term
  std::vector<C> coefficients;

  Terms() = default;
  explicit Terms(Layout l) : layout(l) {}
  [[nodiscard]] std::size_t size() const { return coefficients.size(); }
  [[nodiscard]] bool is_zero() const { return coefficients.empty(); }
  [[nodiscard]] unsigned vars() const { return layout.vars; }
  [[nodiscard]] const std::uint64_t* monomial(std::size_t i) const { return exponents.data() + i * layout.words(); }
  [[nodiscard]] Degree exponent(std::size_t i, unsigned v) const { return layout.get(monomial(i), v); }
  [[nodiscard]] bool is_constant() const {
    if (is_zero()) return true;
    return size() == 1 && std::all_of(exponents.begin(), exponents.end(), [](std::uint64_t w) { return w == 0; });
  }
  [[nodiscard]] Degree degree(unsigned v) const {
    Degree d = 0;
    for (std::size_t i = 0; i < size(); ++i) d = std::max(d, exponent(i, v));
    return d;
  }
  [[nodiscard]] std::vector<Degree> degrees() const {
    std::vector<Degree> d(vars(), 0);
    for (std::size_t i = 0; i < size(); ++i) {
      for (unsigned v = 0; v < vars(); ++v) d[v] = std::max(d[v], exponent(i, v));
    }
    return d;
  }
  [[nodiscard]] Degree largest_degree() const {
    Degree d = 0;
    for (const Degree x : degrees()) d = std::max(d, x);
    return d;
  }
  void push(const std::uint64_t* m, C c) {
    exponents.insert(exponents.end(), m, m + layout.words());
    coefficients.push_back(std::move(c));
  }
  void reserve(std::size_t n) {
    exponents.reserve(n * layout.words());
    coefficients.reserve(n);
  }
  /// Puts terms into order and adds up equal ones; `add(C&, C)` and `zero(const C&)` say how.
  template <class Add, class Zero>
  void normalise(Add add, Zero zero) {
    const unsigned w = layout.words();
    std::vector<std::uint32_t> index(size());
    for (std::size_t i = 0; i < index.size(); ++i) index[i] = static_cast<std::uint32_t>(i);
    std::sort(index.begin(), index.end(),
              [&](std::uint32_t a, std::uint32_t b) { return compare_monomials(monomial(a), monomial(b), w) > 0; });
    Terms out(layout);
    out.reserve(size());
    for (std::size_t i = 0; i < index.size();) {
      C c = std::move(coefficients[index[i]]);
      std::size_t j = i + 1;
      for (; j < index.size() && compare_monomials(monomial(index[i]), monomial(index[j]), w) == 0; ++j)
        add(c, coefficients[index[j]]);
      if (!zero(c)) out.push(monomial(index[i]), std::move(c));
      i = j;
    }
    *this = std::move(out);
  }
  [[nodiscard]] Terms repacked(Layout to) const {
    if (to == layout) return *this;
    Terms out(to);
    out.coefficients = coefficients;
    out.exponents.assign(size() * to.words(), 0);
    const unsigned shared = std::min(layout.vars, to.vars);
    for (std::size_t i = 0; i < size(); ++i) {
      for (unsigned v = 0; v < shared; ++v) to.set(out.exponents.data() + i * to.words(), v, exponent(i, v));
    }
    return out;
  }
};

/// The wider of two layouts of the same variables.
template <class C>
Layout common_layout(const Terms<C>& a, const Terms<C>& b) {
  return a.layout.bits >= b.layout.bits ? a.layout : b.layout;
}

/// Walks the terms of two polynomials of one layout in order: visit(monomial, coefficient or null, coefficient or
/// null).
template <class A, class B, class Visit>
void merge_terms(const Terms<A>& a, const Terms<B>& b, Visit&& visit) {
  std::size_t i = 0;
  std::size_t j = 0;
  while (i < a.size() || j < b.size()) {
    const int c = i == a.size()   ? -1
                  : j == b.size() ? 1
                                  : compare_monomials(a.monomial(i), b.monomial(j), a.layout.words());
    visit(c >= 0 ? a.monomial(i) : b.monomial(j), c >= 0 ? &a.coefficients[i] : nullptr,
          c <= 0 ? &b.coefficients[j] : nullptr);
    i += c >= 0 ? 1 : 0;
    j += c <= 0 ? 1 : 0;
  }
}

using Poly = Terms<Integer>;     ///< over the integers
using ModPoly = Terms<Residue>;  ///< modulo a prime that goes beside it

// Operations common to all coefficients. Variables keep their number.

/// Coefficient of v^k for k = 0 ... degree.
template <class C>
std::vector<Terms<C>> coefficients_in(const Terms<C>& a, unsigned v) {
  std::vector<Terms<C>> out(a.degree(v) + std::size_t{1}, Terms<C>(a.layout));
  std::vector<std::uint64_t> m(a.layout.words());
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::copy_n(a.monomial(i), m.size(), m.begin());
    const Degree k = a.exponent(i, v);
    a.layout.set(m.data(), v, 0);
    out[k].push(m.data(), a.coefficients[i]);
  }
  return out;
}

/// Coefficient of the highest power of v.
template <class C>
Terms<C> leading_in(const Terms<C>& a, unsigned v) {
  const Degree d = a.degree(v);
  Terms<C> out(a.layout);
  std::vector<std::uint64_t> m(a.layout.words());
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a.exponent(i, v) != d) continue;
    std::copy_n(a.monomial(i), m.size(), m.begin());
    a.layout.set(m.data(), v, 0);
    out.push(m.data(), a.coefficients[i]);
  }
  return out;
}

/// The same polynomial with variables in another order: variable v becomes place[v].
template <class C>
Terms<C> permuted(const Terms<C>& a, std::span<const unsigned> place, unsigned vars) {
  Terms<C> out(Layout{vars, a.layout.bits});
  out.coefficients = a.coefficients;
  out.exponents.assign(a.size() * out.layout.words(), 0);
  for (std::size_t i = 0; i < a.size(); ++i) {
    for (unsigned v = 0; v < a.vars(); ++v) {
      if (const Degree e = a.exponent(i, v); e != 0)
        out.layout.set(out.exponents.data() + i * out.layout.words(), place[v], e);
    }
  }
  out.normalise([](C&, const C&) {}, [](const C&) { return false; });
  return out;
}

}  // namespace boreon::poly
