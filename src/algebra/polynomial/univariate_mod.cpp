// SPDX-License-Identifier: MIT
#include "algebra/polynomial/univariate_mod.hpp"
#include "algebra/polynomial/work.hpp"

#include <algorithm>

namespace boreon::poly {

Uni add(const PrimeField& f, const Uni& a, const Uni& b) {
  Uni r(std::max(a.size(), b.size()), 0);
  for (std::size_t i = 0; i < r.size(); ++i) r[i] = f.add(i < a.size() ? a[i] : 0, i < b.size() ? b[i] : 0);
  trim(r);
  return r;
}

Uni subtract(const PrimeField& f, const Uni& a, const Uni& b) {
  Uni r(std::max(a.size(), b.size()), 0);
  for (std::size_t i = 0; i < r.size(); ++i) r[i] = f.sub(i < a.size() ? a[i] : 0, i < b.size() ? b[i] : 0);
  trim(r);
  return r;
}

Uni multiply(const PrimeField& f, const Uni& a, const Uni& b) {
  if (a.empty() || b.empty()) return {};
  charge(a.size() * b.size());
  Uni r(a.size() + b.size() - 1, 0);
  if (f.prime() < (Residue{1} << 28U) && a.size() < 128) {  // sums of up to 128 products fit into a word
    for (std::size_t i = 0; i < a.size(); ++i) {
      for (std::size_t j = 0; j < b.size(); ++j) r[i + j] += a[i] * b[j];
    }
    for (Residue& x : r) x %= f.prime();
  } else {
    for (std::size_t i = 0; i < a.size(); ++i) {
      for (std::size_t j = 0; j < b.size(); ++j) r[i + j] = f.add(r[i + j], f.mul(a[i], b[j]));
    }
  }
  trim(r);
  return r;
}

Uni scale(const PrimeField& f, Uni a, Residue c) {
  for (Residue& x : a) x = f.mul(x, c);
  trim(a);
  return a;
}

Uni monic(const PrimeField& f, Uni a) {
  if (a.empty() || a.back() == 1) return a;
  const Residue inverse = f.inv(a.back());
  return scale(f, std::move(a), inverse);
}

Uni derivative(const PrimeField& f, const Uni& a) {
  Uni r;
  for (std::size_t i = 1; i < a.size(); ++i) r.push_back(f.mul(a[i], i % f.prime()));
  trim(r);
  return r;
}

void reduce(const PrimeField& f, Uni& a, const Uni& b, Uni* quotient) {
  if (quotient != nullptr) quotient->assign(a.size() >= b.size() ? a.size() - b.size() + 1 : 0, 0);
  if (a.size() < b.size()) return;
  charge((a.size() - b.size() + 1) * b.size());
  const Residue inverse = b.back() == 1 ? 1 : f.inv(b.back());
  for (std::size_t i = a.size(); i-- >= b.size();) {
    const Residue c = f.mul(a[i], inverse);
    if (quotient != nullptr) (*quotient)[i - b.size() + 1] = c;
    if (c == 0) continue;
    Residue* const row = a.data() + (i - b.size() + 1);
    for (std::size_t j = 0; j < b.size(); ++j) row[j] = f.sub(row[j], f.mul(c, b[j]));
  }
  a.resize(b.size() - 1);
  trim(a);
  if (quotient != nullptr) trim(*quotient);
}

Uni gcd(const PrimeField& f, Uni a, Uni b) {
  while (!b.empty()) {
    reduce(f, a, b);
    std::swap(a, b);
  }
  return monic(f, std::move(a));
}

Uni extended_gcd(const PrimeField& f, const Uni& a, const Uni& b, Uni& s, Uni& t) {
  Uni r0 = a;
  Uni r1 = b;
  Uni s0{1};
  Uni s1;
  Uni t0;
  Uni t1{1};
  while (!r1.empty()) {
    Uni q;
    reduce(f, r0, r1, &q);
    std::swap(r0, r1);
    s0 = subtract(f, s0, multiply(f, q, s1));
    std::swap(s0, s1);
    t0 = subtract(f, t0, multiply(f, q, t1));
    std::swap(t0, t1);
  }
  const Residue inverse = r0.empty() ? 1 : f.inv(r0.back());
  s = scale(f, s0, inverse);
  t = scale(f, t0, inverse);
  return scale(f, r0, inverse);
}

Uni power_mod(const PrimeField& f, Uni base, std::uint64_t exponent, const Uni& m) {
  reduce(f, base, m);
  Uni r{1};
  reduce(f, r, m);
  for (; exponent != 0; exponent >>= 1U) {
    if ((exponent & 1U) != 0) {
      r = multiply(f, r, base);
      reduce(f, r, m);
    }
    base = multiply(f, base, base);
    reduce(f, base, m);
  }
  return r;
}

namespace {

void split_equal_degrees(const PrimeField& f, const Uni& a, int d, Dice& dice, std::vector<Uni>& out) {
  if (degree_of(a) == d) {
    out.push_back(a);
    return;
  }
  for (;;) {
    Uni r(a.size() - 1);
    for (Residue& x : r) x = dice.below(f.prime());
    trim(r);
    if (degree_of(r) < 1) continue;
    // r^((p^d - 1)/2) = (r^(1 + p + ... + p^(d - 1)))^((p - 1)/2)
    Uni norm = r;
    Uni conjugate = r;
    for (int i = 1; i < d; ++i) {
      conjugate = power_mod(f, conjugate, f.prime(), a);
      norm = multiply(f, norm, conjugate);
      reduce(f, norm, a);
    }
    Uni w = power_mod(f, norm, (f.prime() - 1) / 2, a);
    w = subtract(f, w, Uni{1});
    const Uni g = gcd(f, a, w);
    if (degree_of(g) < 1 || degree_of(g) == degree_of(a)) continue;
    Uni rest = a;
    Uni q;
    reduce(f, rest, g, &q);
    split_equal_degrees(f, g, d, dice, out);
    split_equal_degrees(f, q, d, dice, out);
    return;
  }
}

}  // namespace

std::vector<Uni> factor_square_free(const PrimeField& f, const Uni& a) {
  std::vector<Uni> out;
  Dice dice(0x1234567);
  Uni rest = a;
  const Uni x{0, 1};
  Uni frobenius = x;  // x^(p^d) modulo rest
  for (int d = 1; degree_of(rest) >= 2 * d; ++d) {
    frobenius = power_mod(f, frobenius, f.prime(), rest);
    const Uni g = gcd(f, rest, subtract(f, frobenius, x));
    if (degree_of(g) < 1) continue;
    split_equal_degrees(f, g, d, dice, out);
    Uni q;
    reduce(f, rest, g, &q);
    rest = std::move(q);
    reduce(f, frobenius, rest);
  }
  if (degree_of(rest) > 0) out.push_back(rest);
  std::sort(out.begin(), out.end(),
            [](const Uni& p, const Uni& q) { return p.size() != q.size() ? p.size() < q.size() : p < q; });
  return out;
}

}  // namespace boreon::poly
