// SPDX-License-Identifier: MIT
// The product of sparse polynomials for any coefficients: `Sum` collects products of two, `finish` makes a coefficient
// of a Sum.
#pragma once

#include <cstdint>
#include <vector>

#include "algebra/polynomial/terms.hpp"

namespace boreon::poly {

// Mixed-radix places of monomials in the box of all products.
struct Box {
  std::vector<std::uint64_t> stride;
  std::vector<std::uint64_t> length;
  std::uint64_t size = 1;

  template <class C>
  Box(const Terms<C>& a, const Terms<C>& b, std::uint64_t limit) {
    const auto da = a.degrees();
    const auto db = b.degrees();
    stride.assign(da.size(), 0);
    length.assign(da.size(), 1);
    for (std::size_t v = da.size(); v-- > 0;) {
      stride[v] = size;
      length[v] = std::uint64_t{da[v]} + db[v] + 1;
      if (length[v] > limit / size) {
        size = 0;
        return;
      }
      size *= length[v];
    }
  }
  template <class C>
  [[nodiscard]] std::vector<std::uint32_t> places(const Terms<C>& p) const {
    std::vector<std::uint32_t> out(p.size());
    for (std::size_t i = 0; i < p.size(); ++i) {
      std::uint64_t at = 0;
      for (unsigned v = 0; v < p.vars(); ++v) at += stride[v] * p.exponent(i, v);
      out[i] = static_cast<std::uint32_t>(at);
    }
    return out;
  }
};

template <class Sum, class C, class Coefficients, class Finish>
Terms<C> dense_product(const Terms<C>& a, const Terms<C>& b, const Coefficients& ca, const Coefficients& cb,
                       const Box& box, Layout layout, Finish finish) {
  std::vector<Sum> sums(box.size);
  const auto pa = box.places(a);
  const auto pb = box.places(b);
  // Blocks of the second factor keep the part of the array that is written to in the cache.
  constexpr std::size_t block = 512;
  for (std::size_t start = 0; start < pb.size(); start += block) {
    const std::size_t end = std::min(pb.size(), start + block);
    for (std::size_t i = 0; i < pa.size(); ++i) {
      Sum* const row = sums.data() + pa[i];
      const auto& c = ca[i];
      for (std::size_t j = start; j < end; ++j) row[pb[j]].add_product(c, cb[j]);
    }
  }
  Terms<C> out(layout);
  std::vector<std::uint64_t> m(layout.words());
  for (std::uint64_t at = box.size; at-- > 0;) {
    if (sums[at].is_zero()) continue;
    std::fill(m.begin(), m.end(), 0);
    for (unsigned v = 0; v < layout.vars; ++v)
      layout.set(m.data(), v, static_cast<Degree>(at / box.stride[v] % box.length[v]));
    C c = finish(sums[at]);
    if (!(c == C(0))) out.push(m.data(), std::move(c));
  }
  return out;
}

template <class Sum, class C, class Coefficients, class Finish>
Terms<C> hashed_product(const Terms<C>& a, const Terms<C>& b, const Coefficients& ca, const Coefficients& cb,
                        Layout layout, Finish finish) {
  const unsigned w = layout.words();
  std::vector<std::uint32_t> slots(1024, 0);  // index of the term + 1
  std::vector<std::uint64_t> keys;
  std::vector<Sum> sums;
  std::vector<std::uint64_t> m(w);
  const auto hash_of = [w](const std::uint64_t* k) {
    std::uint64_t h = k[0];
    for (unsigned i = 1; i < w; ++i) h = (h ^ (h >> 32U)) * 0xd6e8feb86659fd93U + k[i];
    h *= 0x9e3779b97f4a7c15U;
    return h ^ (h >> 32U);
  };
  for (std::size_t i = 0; i < a.size(); ++i) {
    for (std::size_t j = 0; j < b.size(); ++j) {
      for (unsigned k = 0; k < w; ++k) m[k] = a.monomial(i)[k] + b.monomial(j)[k];
      std::size_t at = hash_of(m.data()) & (slots.size() - 1);
      while (slots[at] != 0 && compare_monomials(keys.data() + std::size_t{slots[at] - 1} * w, m.data(), w) != 0)
        at = (at + 1) & (slots.size() - 1);
      if (slots[at] == 0) {
        keys.insert(keys.end(), m.begin(), m.end());
        sums.emplace_back();
        slots[at] = static_cast<std::uint32_t>(sums.size());
        sums.back().add_product(ca[i], cb[j]);
        if (sums.size() * 2 > slots.size()) {
          std::vector<std::uint32_t> larger(slots.size() * 4, 0);
          for (std::size_t t = 0; t < sums.size(); ++t) {
            std::size_t to = hash_of(keys.data() + t * w) & (larger.size() - 1);
            while (larger[to] != 0) to = (to + 1) & (larger.size() - 1);
            larger[to] = static_cast<std::uint32_t>(t + 1);
          }
          slots = std::move(larger);
        }
      } else {
        sums[slots[at] - 1].add_product(ca[i], cb[j]);
      }
    }
  }
  Terms<C> out(layout);
  out.exponents = std::move(keys);
  out.coefficients.reserve(sums.size());
  for (const Sum& s : sums) out.coefficients.push_back(finish(s));
  out.normalise([](C&, const C&) {}, [](const C& c) { return c == C(0); });
  return out;
}

template <class Sum, class C, class Coefficients, class Finish>
Terms<C> product(const Terms<C>& a, const Terms<C>& b, const Coefficients& ca, const Coefficients& cb, Layout layout,
                 Finish finish) {
  const std::uint64_t work = static_cast<std::uint64_t>(a.size()) * b.size();
  const std::uint64_t limit = std::min<std::uint64_t>(std::uint64_t{1} << 22U, 4 * work + 64);
  const Box box(a, b, limit);
  if (box.size != 0) return dense_product<Sum>(a, b, ca, cb, box, layout, finish);
  return hashed_product<Sum>(a, b, ca, cb, layout, finish);
}

/// Layout that holds the product.
template <class C>
Layout product_layout(const Terms<C>& a, const Terms<C>& b) {
  std::uint64_t degree = 0;
  const auto da = a.degrees();
  const auto db = b.degrees();
  for (std::size_t v = 0; v < da.size(); ++v) degree = std::max(degree, std::uint64_t{da[v]} + db[v]);
  return Layout::for_degree(a.vars(), degree);
}

}  // namespace boreon::poly
