// SPDX-License-Identifier: MIT
#include "algebra/polynomial/multivariate_mod.hpp"
#include "algebra/polynomial/work.hpp"

#include "algebra/polynomial/product_kernel.hpp"

namespace boreon::poly {
namespace {

__extension__ using UWide = unsigned __int128;

struct SumOfProducts {
  UWide low = 0;
  UWide high = 0;
  void add_product(Residue a, Residue b) {
    const UWide p = static_cast<UWide>(a) * b;
    low += static_cast<std::uint64_t>(p);
    high += p >> 64U;
  }
  [[nodiscard]] bool is_zero() const { return low == 0 && high == 0; }
};

ModPoly zero_like(const ModPoly& a) { return ModPoly(a.layout); }

// The coefficients of powers of v put together again.
ModPoly assemble(const std::vector<ModPoly>& coefficients, unsigned v, unsigned vars) {
  std::uint64_t degree = coefficients.size();
  for (const ModPoly& c : coefficients) degree = std::max<std::uint64_t>(degree, c.largest_degree());
  ModPoly out(Layout::for_degree(vars, degree));
  std::vector<std::uint64_t> m(out.layout.words());
  for (std::size_t k = 0; k < coefficients.size(); ++k) {
    const ModPoly c = coefficients[k].repacked(out.layout);
    for (std::size_t i = 0; i < c.size(); ++i) {
      std::copy_n(c.monomial(i), m.size(), m.begin());
      out.layout.set(m.data(), v, static_cast<Degree>(k));
      out.push(m.data(), c.coefficients[i]);
    }
  }
  out.normalise([](Residue&, Residue) {}, [](Residue c) { return c == 0; });
  return out;
}

ModPoly from_uni(const Uni& u, unsigned vars) {
  ModPoly out(Layout::for_degree(vars, u.size()));
  std::vector<std::uint64_t> m(out.layout.words(), 0);
  for (std::size_t i = u.size(); i-- > 0;) {
    if (u[i] == 0) continue;
    out.layout.set(m.data(), 0, static_cast<Degree>(i));
    out.push(m.data(), u[i]);
  }
  return out;
}

Uni to_uni(const ModPoly& a) {
  Uni u(a.is_zero() ? 0 : a.degree(0) + std::size_t{1}, 0);
  for (std::size_t i = 0; i < a.size(); ++i) u[a.exponent(i, 0)] = a.coefficients[i];
  return u;
}

// Solves sum over j of s_j*(product of all factors but the j-th) = e with the degree of s_j in x0 below that of factor
// j.
class Diophantine {
 public:
  Diophantine(const PrimeField& f, const std::vector<Uni>& univariate) : field_(f), uni_(univariate) {
    for (std::size_t j = 0; j < uni_.size(); ++j) {
      Uni others{1};
      for (std::size_t i = 0; i < uni_.size(); ++i) {
        if (i == j) continue;
        others = multiply(f, others, uni_[i]);
        reduce(f, others, uni_[j]);
      }
      Uni s;
      Uni t;
      (void)extended_gcd(f, others, uni_[j], s, t);
      inverse_.push_back(std::move(s));
    }
  }

  /// Tells the factors in the variables up to v once they are lifted so far.
  void set_level(unsigned v, const std::vector<ModPoly>& factors) {
    others_.resize(v + std::size_t{1});
    std::vector<std::vector<ModPoly>> level;
    for (std::size_t j = 0; j < factors.size(); ++j) {
      ModPoly product = from_uni({1}, factors[0].vars());
      for (std::size_t i = 0; i < factors.size(); ++i) {
        if (i != j) product = multiply(field_, product, factors[i]);
      }
      level.push_back(coefficients_in(product, v));
    }
    others_[v] = std::move(level);
  }

  std::vector<ModPoly> solve(const ModPoly& e, unsigned v) const {
    std::vector<ModPoly> out;
    const unsigned vars = e.vars();
    if (e.is_zero()) return std::vector<ModPoly>(uni_.size(), e);
    if (v == 0) {
      const Uni u = to_uni(e);
      for (std::size_t j = 0; j < uni_.size(); ++j) {
        Uni s = u;
        reduce(field_, s, uni_[j]);
        s = multiply(field_, s, inverse_[j]);
        reduce(field_, s, uni_[j]);
        out.push_back(from_uni(s, vars));
      }
      return out;
    }
    const std::vector<ModPoly> rest = coefficients_in(e, v);
    std::vector<std::vector<ModPoly>> s(uni_.size());
    for (std::size_t m = 0; m < rest.size(); ++m) {
      ModPoly error = rest[m];
      for (std::size_t j = 0; j < uni_.size(); ++j) {
        for (std::size_t i = 0; i < m; ++i) {
          if (m - i >= others_[v][j].size() || s[j][i].is_zero()) continue;
          error = subtract(field_, error, multiply(field_, s[j][i], others_[v][j][m - i]));
        }
      }
      const std::vector<ModPoly> part = solve(error, v - 1);
      for (std::size_t j = 0; j < uni_.size(); ++j) s[j].push_back(part[j]);
    }
    for (std::size_t j = 0; j < uni_.size(); ++j) out.push_back(assemble(s[j], v, vars));
    return out;
  }

 private:
  PrimeField field_;
  std::vector<Uni> uni_;
  std::vector<Uni> inverse_;
  std::vector<std::vector<std::vector<ModPoly>>> others_;  // by variable, factor, power of the variable
};

// a with the variables after v set to zero.
ModPoly truncated(const ModPoly& a, unsigned v) {
  ModPoly out(a.layout);
  for (std::size_t i = 0; i < a.size(); ++i) {
    bool keep = true;
    for (unsigned w = v + 1; w < a.vars() && keep; ++w) keep = a.exponent(i, w) == 0;
    if (keep) out.push(a.monomial(i), a.coefficients[i]);
  }
  return out;
}

// Replaces the leading coefficient in x0.
ModPoly with_lead(const PrimeField& f, const ModPoly& a, const ModPoly& lead) {
  const Degree d = a.degree(0);
  ModPoly out(a.layout);
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a.exponent(i, 0) != d) out.push(a.monomial(i), a.coefficients[i]);
  }
  return add(f, out,
             multiply(f, lead,
                      from_uni(
                          [d] {
                            Uni u(d + std::size_t{1}, 0);
                            u.back() = 1;
                            return u;
                          }(),
                          a.vars())));
}

}  // namespace

ModPoly reduce_mod(const PrimeField& f, const Poly& a) {
  ModPoly out(a.layout);
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (const Residue c = a.coefficients[i].mod(f.prime()); c != 0) out.push(a.monomial(i), c);
  }
  return out;
}

namespace {
ModPoly combine(const PrimeField& f, const ModPoly& a, const ModPoly& b, bool minus) {
  const Layout layout = common_layout(a, b);
  if (!(a.layout == layout)) return combine(f, a.repacked(layout), b, minus);
  if (!(b.layout == layout)) return combine(f, a, b.repacked(layout), minus);
  ModPoly out(layout);
  out.reserve(a.size() + b.size());
  merge_terms(a, b, [&](const std::uint64_t* m, const Residue* x, const Residue* y) {
    Residue value = x == nullptr ? 0 : *x;
    if (y != nullptr) value = minus ? f.sub(value, *y) : f.add(value, *y);
    if (value != 0) out.push(m, value);
  });
  return out;
}
}  // namespace

ModPoly add(const PrimeField& f, const ModPoly& a, const ModPoly& b) { return combine(f, a, b, false); }
ModPoly subtract(const PrimeField& f, const ModPoly& a, const ModPoly& b) { return combine(f, a, b, true); }

ModPoly multiply(const PrimeField& f, const ModPoly& a, const ModPoly& b) {
  const Layout layout = product_layout(a, b);
  if (a.is_zero() || b.is_zero()) return ModPoly(layout);
  charge(static_cast<std::uint64_t>(a.size()) * b.size() + 8);
  if (!(a.layout == layout)) return multiply(f, a.repacked(layout), b);
  if (!(b.layout == layout)) return multiply(f, a, b.repacked(layout));
  const Residue two64 = static_cast<Residue>((UWide{1} << 64U) % f.prime());
  return product<SumOfProducts>(a, b, a.coefficients, b.coefficients, layout, [&](const SumOfProducts& s) {
    return f.add(f.mul(static_cast<Residue>(s.high % f.prime()), two64), static_cast<Residue>(s.low % f.prime()));
  });
}

ModPoly shifted(const PrimeField& f, const ModPoly& a, unsigned v, Residue shift) {
  if (shift == 0 || a.is_zero()) return a;
  auto c = coefficients_in(a, v);
  // Taylor shift by repeated synthetic division.
  ModPoly step(a.layout);
  const std::vector<std::uint64_t> m(a.layout.words(), 0);
  step.push(m.data(), shift);
  for (std::size_t i = 0; i + 1 < c.size(); ++i) {
    for (std::size_t k = c.size() - 1; k-- > i;) c[k] = add(f, c[k], multiply(f, c[k + 1], step));
  }
  return assemble(c, v, a.vars());
}

std::optional<std::vector<ModPoly>> lift_factors(const PrimeField& f, const ModPoly& polynomial,
                                                 const std::vector<Uni>& factors, const std::vector<ModPoly>& lead) {
  const unsigned vars = polynomial.vars();
  const std::size_t r = factors.size();
  Diophantine equation(f, factors);
  std::vector<ModPoly> lifted;
  for (const Uni& u : factors) lifted.push_back(from_uni(u, vars));
  for (unsigned v = 1; v < vars; ++v) {
    const ModPoly target = truncated(polynomial, v);
    const std::vector<ModPoly> goal = coefficients_in(target, v);
    if (v > 1) equation.set_level(v - 1, lifted);
    // By factor and power of x_v. The leading coefficients are in from the start.
    std::vector<std::vector<ModPoly>> g;
    for (std::size_t j = 0; j < r; ++j) {
      auto c = coefficients_in(with_lead(f, lifted[j], truncated(lead[j], v)), v);
      c[0] = lifted[j];
      c.resize(std::max(c.size(), goal.size()), zero_like(lifted[j]));
      g.push_back(std::move(c));
    }
    std::vector<std::vector<ModPoly>> prefix(r);  // products of the first factors, by power of x_v
    const auto update_prefix = [&](std::size_t m) {
      for (std::size_t j = 0; j < r; ++j) {
        ModPoly c = zero_like(lifted[0]);
        if (j == 0) {
          c = g[0][m];
        } else {
          for (std::size_t i = 0; i <= m; ++i) {
            if (!prefix[j - 1][i].is_zero() && !g[j][m - i].is_zero())
              c = add(f, c, multiply(f, prefix[j - 1][i], g[j][m - i]));
          }
        }
        if (prefix[j].size() <= m) prefix[j].resize(m + 1, zero_like(lifted[0]));
        prefix[j][m] = std::move(c);
      }
    };
    update_prefix(0);
    if (!subtract(f, goal[0], prefix[r - 1][0]).is_zero()) return std::nullopt;
    for (std::size_t m = 1; m < goal.size(); ++m) {
      update_prefix(m);
      const ModPoly error = subtract(f, goal[m], prefix[r - 1][m]);
      if (error.is_zero()) continue;
      const std::vector<ModPoly> s = equation.solve(error, v - 1);
      for (std::size_t j = 0; j < r; ++j) g[j][m] = add(f, g[j][m], s[j]);
      update_prefix(m);
      if (!subtract(f, goal[m], prefix[r - 1][m]).is_zero()) return std::nullopt;
    }
    std::uint64_t degree = 0;
    for (std::size_t j = 0; j < r; ++j) {
      lifted[j] = assemble(g[j], v, vars);
      degree += lifted[j].degree(v);
    }
    if (degree != goal.size() - 1) return std::nullopt;  // power series, not polynomials
  }
  return lifted;
}

}  // namespace boreon::poly
