// SPDX-License-Identifier: MIT
// Factorisation over the rationals: one variable by factor_univariate, several by evaluation and lifting (Wang 1978).
#include <algorithm>
#include <numeric>

#include "algebra/polynomial/factor_univariate.hpp"
#include "algebra/polynomial/multivariate_mod.hpp"
#include "algebra/polynomial/polynomial.hpp"

namespace boreon::poly {
namespace {

std::vector<Poly> factor_primitive(const Poly& a);

// Coefficients known modulo several primes.
class Reconstruction {
 public:
  void add(const ModPoly& a, const PrimeField& f) {
    if (modulus_ == 0) {
      shape_ = a;
      for (const Residue c : a.coefficients) values_.emplace_back(static_cast<long>(f.balanced(c)));
      modulus_ = static_cast<unsigned long>(f.prime());
      return;
    }
    // Terms may vanish modulo one prime: merge the two shapes.
    const Residue inverse = f.inv(mpz_fdiv_ui(modulus_.get_mpz_t(), f.prime()));
    Terms<Residue> merged(shape_.layout);
    std::vector<mpz_class> values;
    std::size_t next = 0;
    merge_terms(shape_, a.repacked(shape_.layout),
                [&](const std::uint64_t* m, const Residue* known, const Residue* fresh) {
                  mpz_class value = known == nullptr ? mpz_class(0) : values_[next++];
                  merged.push(m, 1);
                  const Residue d =
                      f.mul(f.sub(fresh == nullptr ? 0 : *fresh, mpz_fdiv_ui(value.get_mpz_t(), f.prime())), inverse);
                  value += modulus_ * static_cast<long>(f.balanced(d));
                  values.push_back(std::move(value));
                });
    shape_ = std::move(merged);
    values_ = std::move(values);
    modulus_ *= static_cast<unsigned long>(f.prime());
  }
  [[nodiscard]] Poly value() const {
    Poly p(shape_.layout);
    for (std::size_t i = 0; i < shape_.size(); ++i) {
      if (values_[i] != 0) p.push(shape_.monomial(i), Integer(values_[i]));
    }
    return p;
  }

 private:
  ModPoly shape_;
  std::vector<mpz_class> values_;
  mpz_class modulus_ = 0;
};

// One evaluation point and what the polynomial becomes there.
struct Image {
  std::vector<std::int64_t> point;
  std::vector<BigUni> factors;  // of the primitive part
  Integer content;
};

class MultivariateFactoring {
 public:
  // Primitive in variable 0, square-free, all variables occur.
  explicit MultivariateFactoring(Poly a) : f_(std::move(a)), vars_(f_.vars()), lead_(leading_in(f_, 0)), dice_(2024) {}

  std::vector<Poly> run() {
    if (!lead_.is_constant()) lead_factors_ = factor(lead_);
    std::int64_t range = 0;
    for (int round = 0; round < 12; ++round) {
      std::optional<Image> best;
      const int wanted = round == 0 ? 2 : 3;
      int found = 0;
      for (int t = 0; t < 40 && found < wanted; ++t) {
        auto image = random_image(range);
        if (t % 4 == 3 || range == 0) ++range;
        if (!image) continue;
        ++found;
        if (image->factors.size() == 1) return {f_};
        if (!best || image->factors.size() < best->factors.size()) best = std::move(image);
      }
      if (!best) continue;
      if (auto factors = lift(*best)) return *factors;
      range = range * 2 + 3;
    }
    return {f_};
  }

 private:
  std::optional<Image> random_image(std::int64_t range) {
    Image image;
    Poly u = f_;
    image.point.assign(vars_, 0);
    for (unsigned v = 1; v < vars_; ++v) {
      image.point[v] =
          range == 0 ? 0 : static_cast<std::int64_t>(dice_.below(static_cast<std::uint64_t>(2 * range + 1))) - range;
      u = evaluate_at(u, v, image.point[v]);
    }
    if (u.degree(0) != f_.degree(0)) return std::nullopt;
    Integer c;
    u = primitive_part(u, &c);
    if (!gcd(u, derivative(u, 0)).is_constant()) return std::nullopt;
    image.content = c;
    image.factors = factor_square_free(coefficients_of(u, 0));
    return image;
  }

  // The leading coefficients of the factors, by the primes that the factors of the known leading coefficient contribute
  // at the point (Wang's test); `scale` goes to each factor of the image. Empty if the point does not separate them.
  std::optional<std::vector<Poly>> distribute_leads(const Image& image) const {
    const std::size_t r = image.factors.size();
    std::vector<Poly> leads(r, constant(vars_, 1));
    if (lead_factors_.list.empty()) return leads;
    std::vector<mpz_class> values;
    for (const Factor& l : lead_factors_.list) {
      Poly v = l.base;
      for (unsigned k = 1; k < vars_; ++k) v = evaluate_at(v, k, image.point[k]);
      values.push_back(v.is_zero() ? mpz_class(0) : abs(v.coefficients[0].mpz()));
    }
    // Each value needs a prime that no value before it, nor the numeric part, has.
    std::vector<mpz_class> markers;
    mpz_class numeric = abs(lead_factors_.unit.mpz() * image.content.mpz());
    for (std::size_t i = 0; i < values.size(); ++i) {
      mpz_class q = values[i];
      if (q == 0) return std::nullopt;
      const auto strip = [&q](mpz_class other) {
        for (;;) {
          const mpz_class g = gcd(q, other);
          if (g == 1) return;
          q /= g;
        }
      };
      strip(numeric == 0 ? mpz_class(1) : numeric);
      for (std::size_t j = 0; j < i; ++j) strip(markers[j]);
      if (q == 1) return std::nullopt;
      markers.push_back(q);
    }
    std::vector<unsigned> left;
    for (const Factor& l : lead_factors_.list) left.push_back(l.multiplicity);
    for (std::size_t j = 0; j < r; ++j) {
      mpz_class d = image.factors[j].back() * image.content.mpz();
      for (std::size_t i = values.size(); i-- > 0;) {
        while (mpz_divisible_p(d.get_mpz_t(), markers[i].get_mpz_t()) != 0 && left[i] > 0) {
          if (gcd(d, values[i]) % markers[i] != 0) break;
          d /= gcd(d, values[i]);
          leads[j] = multiply(leads[j], lead_factors_.list[i].base);
          --left[i];
        }
      }
    }
    if (std::any_of(left.begin(), left.end(), [](unsigned k) { return k != 0; })) return std::nullopt;
    return leads;
  }

  std::optional<std::vector<Poly>> lift(const Image& image) {
    if (auto leads = distribute_leads(image)) {
      // Give every factor the whole numeric part of the leading coefficient: f*c^(r - 1) with c = lc/product of leads.
      Poly product = constant(vars_, 1);
      for (const Poly& l : *leads) product = multiply(product, l);
      if (const auto c = divide_exactly(lead_, product); c && c->is_constant()) {
        const Integer number = c->coefficients[0];
        for (Poly& l : *leads) l = scale(l, number);
        const Poly target = scale(f_, power(number, static_cast<unsigned>(image.factors.size() - 1)));
        if (auto out = lift_with(image, target, *leads)) return out;
      }
    }
    // Otherwise every factor gets the whole leading coefficient.
    const std::vector<Poly> leads(image.factors.size(), lead_);
    return lift_with(image, multiply(f_, power(lead_, static_cast<unsigned>(image.factors.size() - 1))), leads);
  }

  std::optional<std::vector<Poly>> lift_with(const Image& image, const Poly& target, const std::vector<Poly>& leads) {
    std::vector<Reconstruction> parts(image.factors.size());
    for (unsigned attempt = 0; attempt < 12; ++attempt) {
      const PrimeField field(large_prime(20 + attempt));
      const auto point = [&](unsigned v) {
        const std::int64_t p = image.point[v];
        return p >= 0 ? static_cast<Residue>(p) : field.prime() - static_cast<Residue>(-p);
      };
      const auto moved = [&](ModPoly m, bool back) {
        for (unsigned v = 1; v < vars_; ++v) m = shifted(field, m, v, back ? field.neg(point(v)) : point(v));
        return m;
      };
      std::vector<ModPoly> lead_images;
      std::vector<Uni> start;
      for (std::size_t j = 0; j < leads.size(); ++j) {
        lead_images.push_back(moved(reduce_mod(field, leads[j]), false));
        // The constant term of the shifted lead is its value at the point.
        Residue at = 0;
        const ModPoly& l = lead_images.back();
        if (!l.is_zero()) {
          const std::uint64_t* last = l.monomial(l.size() - 1);
          if (std::all_of(last, last + l.layout.words(), [](std::uint64_t w) { return w == 0; }))
            at = l.coefficients.back();
        }
        Uni u;
        for (const mpz_class& c : image.factors[j]) u.push_back(mpz_fdiv_ui(c.get_mpz_t(), field.prime()));
        if (at == 0 || u.back() == 0) return std::nullopt;
        start.push_back(poly::scale(field, monic(field, std::move(u)), at));
      }
      const auto lifted = lift_factors(field, moved(reduce_mod(field, target), false), start, lead_images);
      if (!lifted) return std::nullopt;
      bool all = true;
      std::vector<Poly> out;
      Poly rest = f_;
      for (std::size_t j = 0; j < lifted->size(); ++j) {
        parts[j].add(moved((*lifted)[j], true), field);
        if (!all) continue;
        const Poly g = parts[j].value();
        if (g.is_zero()) return std::nullopt;
        const auto primitive = divide_exactly(g, content_in(g, 0));
        const Poly p = primitive_part(*primitive);
        const auto q = divide_exactly(rest, p);
        if (!q) {
          all = false;
          continue;
        }
        out.push_back(p);
        rest = *q;
      }
      if (all && rest.is_constant()) return out;
    }
    return std::nullopt;
  }

  Poly f_;
  unsigned vars_;
  Poly lead_;
  Factors lead_factors_;
  Dice dice_;
};

// Square-free, primitive over the integers, positive leading coefficient.
std::vector<Poly> factor_primitive(const Poly& a) {
  std::vector<unsigned> present;
  for (unsigned v = 0; v < a.vars(); ++v) {
    if (a.degree(v) > 0) present.push_back(v);
  }
  if (present.empty()) return {};
  std::vector<Poly> out;
  if (present.size() == 1) {
    const unsigned v = present[0];
    for (const BigUni& u : factor_square_free(coefficients_of(a, v))) out.push_back(from_coefficients(u, v, a.vars()));
    return out;
  }
  // A variable of degree one: a = p*v + q is irreducible once p and q have no common factor.
  for (const unsigned v : present) {
    if (a.degree(v) != 1) continue;
    const Poly c = content_in(a, v);
    out.push_back(primitive_part(*divide_exactly(a, c)));
    for (Poly& g : factor_primitive(primitive_part(c))) out.push_back(std::move(g));
    return out;
  }
  // Main variable: with the shortest leading coefficient, then of least degree.
  const auto cost = [&](unsigned v) {
    const Poly l = leading_in(a, v);
    return std::pair(l.is_constant() ? std::size_t{0} : l.size(), a.degree(v));
  };
  std::iter_swap(present.begin(), std::min_element(present.begin(), present.end(),
                                                   [&](unsigned p, unsigned q) { return cost(p) < cost(q); }));
  std::vector<unsigned> place(a.vars(), 0);
  for (unsigned i = 0; i < present.size(); ++i) place[present[i]] = i;
  const auto n = static_cast<unsigned>(present.size());
  Poly p = permuted(a, place, n);
  const Poly c = content_in(p, 0);
  if (!c.is_constant()) {
    p = *divide_exactly(p, c);
    for (const Poly& g : factor_primitive(primitive_part(c))) out.push_back(permuted(g, present, a.vars()));
  }
  for (const Poly& g : MultivariateFactoring(primitive_part(p)).run()) out.push_back(permuted(g, present, a.vars()));
  for (Poly& g : out) g = primitive_part(g);
  return out;
}

}  // namespace

Factors factor(const Poly& a) {
  Factors parts = square_free(a);
  Factors out;
  out.unit = parts.unit;
  for (const Factor& f : parts.list) {
    for (Poly& g : factor_primitive(f.base)) {
      // Polynomials in different variables may have the same multiplicity; equal bases do not occur twice.
      out.list.push_back({std::move(g), f.multiplicity});
    }
  }
  const auto before = [](const Factor& x, const Factor& y) {
    if (x.base.size() != y.base.size()) return x.base.size() < y.base.size();
    const Layout l = common_layout(x.base, y.base);
    const Poly p = x.base.repacked(l);
    const Poly q = y.base.repacked(l);
    if (p.exponents != q.exponents) return p.exponents < q.exponents;
    return p.coefficients < q.coefficients;
  };
  std::sort(out.list.begin(), out.list.end(), before);
  return out;
}

}  // namespace boreon::poly
