// SPDX-License-Identifier: MIT
// Towers of exponentials, logarithms, circular and inverse functions, roots and special functions: the antiderivative
// as a quotient of polynomials in them plus logarithms and special functions, all with undetermined constant
// coefficients. The form of denominator and logarithms follows Liouville's theorem (Norman and Moore 1977; Davenport
// 1982; Bronstein, Symbolic Integration I, chapter 10).
#include "calculus/integral/undetermined.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "algebra/kernel_ring.hpp"
#include "algebra/polynomial/work.hpp"
#include "algebra/simplify/transforms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"

namespace boreon {
namespace {

using poly::Poly;

constexpr std::size_t most_kernels = 10;
constexpr std::size_t most_monomials = 420;

bool is_circular(const Expr& k) { return is_call_of(k, "sin") || is_call_of(k, "cos"); }

class Tower {
 public:
  Tower(Integrator& in, const Expr& f, const Symbol& x) : in_(in), f_(f), x_(x) {}

  std::optional<Expr> operator()() {
    if (!close()) return std::nullopt;
    std::vector<Candidate> candidates;
    if (!monomials(candidates)) return std::nullopt;
    logarithms(candidates);
    const std::vector<Candidate> extra = special_candidates(in_, shape());
    if (auto r = combination(f_, candidates, x_)) return r;
    if (extra.empty()) return std::nullopt;
    candidates.insert(candidates.end(), extra.begin(), extra.end());
    return combination(f_, candidates, x_);
  }

 private:
  // All kernels of f and of their derivatives.
  bool close() {
    std::vector<Expr> list{f_, x_};
    for (int round = 0; round < 6; ++round) {
      ring_.emplace(list, tower_options());
      const std::size_t before = list.size();
      std::size_t count = 0;
      for (const Expr& k : ring_->kernels()) {
        if (!depends_on(k, x_)) continue;
        if (++count > most_kernels || has_piece(k)) return false;
        if (k == x_) continue;
        if (k.is(Kind::unknown_call) || is_operator(k)) return false;
        // what a power is taken of is looked at as a polynomial too
        const Expr base = k.is(Kind::power) ? k.operands()[0] : x_;
        for (const Expr& e : {derivative(k, x_), base}) {
          if (std::find(list.begin(), list.end(), e) == list.end()) list.push_back(e);
        }
      }
      if (list.size() == before) {
        fraction_ = ring_->reduced(ring_->fraction_of(f_));
        for (unsigned v = 0; v < ring_->vars(); ++v) {
          if (depends_on(ring_->kernels()[v], x_)) varying_.push_back(v);
        }
        return true;
      }
    }
    return false;
  }

  [[nodiscard]] const Expr& kernel(unsigned v) const { return ring_->kernels()[v]; }
  [[nodiscard]] bool varies(const Poly& p) const {
    return std::any_of(varying_.begin(), varying_.end(), [&](unsigned v) { return p.degree(v) > 0; });
  }

  // Largest exponents in the numerator of the answer, and the monomials within them over its denominator.
  // What monomials are divided by: the factors of the denominator, once less than there or, where a factor divides its
  // own derivative, as often; notes all factors.
  Poly denominator_of_monomials() {
    Poly v = poly::constant(ring_->vars(), 1);
    const poly::Factors factors = poly::factor(fraction_.denominator);
    for (const poly::Factor& p : factors.list) {
      if (!varies(p.base)) continue;
      const Expr b = ring_->expression(p.base);
      denominators_.push_back(b);
      // special if it divides its own derivative: exp(x), 1 + tan(x)^2
      bool special = false;
      if (p.base.size() == 1) {
        for (const unsigned k : varying_)
          special =
              special || (p.base.degree(k) > 0 && (is_call_of(kernel(k), "exp") || is_exponential_power(kernel(k))));
      }
      // cos^2 has become 1 - sin^2: a pole at cos = 0 is one of odd order in cos over a factor of that
      for (const unsigned k : varying_) {
        if (!is_call_of(kernel(k), "sin") || p.base.degree(k) == 0) continue;
        special = special ||
                  poly::divide_exactly(
                      poly::subtract(poly::constant(ring_->vars(), 1), poly::variable(ring_->vars(), k, 2)), p.base)
                      .has_value();
      }
      const unsigned e = special ? p.multiplicity : p.multiplicity - 1;
      if (e > 0) v = poly::multiply(v, poly::power(p.base, e));
    }
    for (const unsigned k : varying_) {  // sqrt(1 + sin(x)) comes back as cos(x)/sqrt(1 + sin(x))
      const Expr& e = kernel(k);
      if (!e.is(Kind::power) || e.operands()[0] == x_ || !e.operands()[1].is_number() ||
          is_rational_in(e.operands()[0], x_))
        continue;
      const Fraction q = ring_->reduced(ring_->fraction_of(e.operands()[0]));
      if (!q.is_polynomial() || q.numerator.size() > 3) continue;
      v = poly::multiply(v, poly::primitive_part(q.numerator));
      least_pair_ = 1;
    }
    return v;
  }

  // Up to which powers the kernels may stand in a monomial.
  struct Degrees {
    std::vector<unsigned> bound;
    unsigned primitive_total = 1;                      // of logarithms and the like together
    std::vector<std::pair<unsigned, unsigned>> pairs;  // sines and cosines of one angle
    std::size_t count = 1;                             // of all combinations
  };
  static constexpr std::size_t most_combinations = 20000;

  Degrees degrees_over(const Poly& v) {
    Degrees d;
    d.bound.assign(ring_->vars(), 0);
    auto& bound = d.bound;
    auto& pairs = d.pairs;
    for (const unsigned k : varying_) {
      const Expr& e = kernel(k);
      const unsigned a = fraction_.numerator.degree(k);
      const unsigned b = fraction_.denominator.degree(k);
      const unsigned room = v.degree(k) + (a > b ? a - b : 0);
      if (is_call_of(e, "exp") || is_exponential_power(e)) {
        bound[k] = room;
      } else if (is_circular(e)) {
        const Expr partner = is_call_of(e, "sin") ? cos(e.operands()[0]) : sin(e.operands()[0]);
        const auto other = ring_->index_of(partner);
        unsigned total = std::max(a, b);
        if (other) total = std::max(a + fraction_.numerator.degree(*other), b + fraction_.denominator.degree(*other));
        total = std::max(total, least_pair_);
        bound[k] = is_call_of(e, "cos") && other ? 1 : total;
        if (other && is_call_of(e, "cos")) pairs.emplace_back(k, *other);
        pair_total_[k] = total;
      } else if (e.is(Kind::power) && !(e.operands()[0] == x_)) {
        const auto n = e.operands()[1].is_number() ? (1 / e.operands()[1]).word() : std::nullopt;
        bound[k] = n && *n > 1 && *n < 12 ? static_cast<unsigned>(*n - 1) : room;
      } else if (e.is(Kind::power)) {
        const auto n = (1 / e.operands()[1]).word();
        bound[k] = room + (n && *n > 0 ? static_cast<unsigned>(*n) : 1);
      } else {
        bound[k] = room + 1;
        if (!(e == x_)) d.primitive_total += a;
      }
      d.count *= bound[k] + 1;
      if (d.count > most_combinations) break;
    }
    return d;
  }

  // False if there are too many.
  bool monomials(std::vector<Candidate>& out) {
    const Poly v = denominator_of_monomials();
    const Expr denominator = ring_->expression(v);
    const Degrees d = degrees_over(v);
    if (d.count > most_combinations) return false;
    std::vector<unsigned> exponents(ring_->vars(), 0);
    for (std::size_t i = 0; i < d.count; ++i) {
      unsigned primitives = 0;
      bool keep = i > 0 || v.size() > 1 || !v.is_constant();
      Expr m = 1;
      for (const unsigned k : varying_) {
        if (exponents[k] == 0) continue;
        const Expr& e = kernel(k);
        if (!(e == x_) && e.is(Kind::call) && !is_call_of(e, "exp") && !is_circular(e)) primitives += exponents[k];
        m *= power(e, Expr(exponents[k]));
      }
      keep = keep && primitives <= d.primitive_total;
      for (const auto& [c, s] : d.pairs)
        keep = keep && exponents[c] + exponents[s] <= std::max(pair_total_[c], pair_total_[s]);
      if (keep) {
        const Expr w = m / denominator;
        if (depends_on(w, x_)) out.push_back({w, derivative(w, x_)});
        if (out.size() > most_monomials) return false;
      }
      for (const unsigned k : varying_) {
        if (++exponents[k] <= d.bound[k]) break;
        exponents[k] = 0;
      }
    }
    return true;
  }

  [[nodiscard]] bool is_exponential_power(const Expr& k) const {
    return k.is(Kind::power) && depends_on(k.operands()[1], x_);
  }

  // Logarithms and arctangents of the factors of all denominators.
  void logarithms(std::vector<Candidate>& out) {
    std::vector<Poly> factors;
    const auto take = [&](const Poly& d) {
      for (const poly::Factor& p : poly::factor(d).list) {
        if (!varies(p.base)) continue;
        bool known = false;
        for (const Poly& f : factors) known = known || poly::equal(f, p.base);
        if (!known && factors.size() < 12) factors.push_back(p.base);
      }
    };
    take(fraction_.denominator);
    for (const unsigned k : varying_) {
      if (!(kernel(k) == x_)) take(ring_->reduced(ring_->fraction_of(derivative(kernel(k), x_))).denominator);
    }
    for (const unsigned k : varying_) {  // what 1/sin, 1/cos, tan and cot lead to
      const Expr& e = kernel(k);
      if (!is_call_of(e, "sin") || !linear_in(e.operands()[0], x_)) continue;
      const Expr& u = e.operands()[0];
      const Expr du = derivative(u, x_);
      out.push_back({in_.real_log(cos(u)), -du * sin(u) / cos(u)});
      out.push_back({in_.real_log(sin(u)), du * cos(u) / sin(u)});
      out.push_back({log((1 - cos(u)) / (1 + cos(u))) / 2, du / sin(u)});
      out.push_back({log((1 + sin(u)) / (1 - sin(u))) / 2, du / cos(u)});
    }
    for (const Poly& p : factors) {
      const Expr b = ring_->expression(p);
      if (is_call_of(b, "exp")) continue;
      const Expr slope = derivative(b, x_) / b;
      out.push_back({in_.real_log(b), slope});
      for (const unsigned k : varying_) {
        if (p.degree(k) != 2) continue;
        const auto c = poly::coefficients_in(p, k);
        if (std::any_of(c.begin(), c.end(), [&](const Poly& q) { return varies(q); })) continue;
        const Expr a2 = ring_->expression(c[2]);
        const Expr a1 = ring_->expression(c[1]);
        const Expr a0 = ring_->expression(c[0]);
        const Expr discriminant = expand(4 * a2 * a0 - a1 * a1);
        const auto sign = in_.signs().known(discriminant);
        if (!sign) continue;
        const Expr root = sqrt(*sign > 0 ? discriminant : -discriminant);
        const Expr y = 2 * a2 * kernel(k) + a1;
        const Expr dk = derivative(kernel(k), x_);
        if (*sign > 0) {
          out.push_back({2 / root * atan(y / root), dk / b});
        } else if (*sign < 0) {
          out.push_back({1 / root * in_.real_log((y - root) / (y + root)), dk / b});
        }
      }
    }
    for (const unsigned k : varying_) {  // 1/sqrt(quadratic)
      const Expr& e = kernel(k);
      if (!e.is(Kind::power) || !(e.operands()[1] == Expr(1) / 2)) continue;
      const auto c = polynomial_in(e.operands()[0], x_, 2);
      if (!c || c->size() != 3) continue;
      try {
        out.push_back({integral_of_inverse_root(in_, e.operands()[0], *c, x_), 1 / e});
      } catch (const UnknownSign&) {
      }
    }
  }

  Shape shape() {
    Shape s{f_, x_, {}, {}, denominators_, 0};
    for (const unsigned k : varying_) {
      s.kernels.push_back(kernel(k));
      if (kernel(k) == x_) s.degree_in_x = fraction_.numerator.degree(k);
    }
    // exponentials: those of the numerator's terms, over the monomial of the denominator
    const std::vector<poly::Degree> below = poly::monomial_content(fraction_.denominator);
    for (std::size_t i = 0; i < fraction_.numerator.size() && s.exponents.size() < 8; ++i) {
      Expr u = 0;
      for (const unsigned k : varying_) {
        const auto e = static_cast<int>(fraction_.numerator.exponent(i, k)) - static_cast<int>(below[k]);
        if (e != 0 && is_call_of(kernel(k), "exp")) u += e * kernel(k).operands()[0];
      }
      if (!u.is_integer(0) && std::find(s.exponents.begin(), s.exponents.end(), u) == s.exponents.end())
        s.exponents.push_back(u);
    }
    for (const unsigned k : varying_) {
      if (!is_call_of(kernel(k), "exp")) continue;
      for (const int n : {1, 2, -1}) {
        const Expr u = n * kernel(k).operands()[0];
        if (std::find(s.exponents.begin(), s.exponents.end(), u) == s.exponents.end() && s.exponents.size() < 10)
          s.exponents.push_back(u);
      }
      for (const unsigned j : varying_) {  // products of two of them
        if (j >= k || !is_call_of(kernel(j), "exp")) continue;
        const Expr u = kernel(k).operands()[0] + kernel(j).operands()[0];
        if (std::find(s.exponents.begin(), s.exponents.end(), u) == s.exponents.end() && s.exponents.size() < 14)
          s.exponents.push_back(u);
      }
    }
    return s;
  }

  Integrator& in_;
  Expr f_;
  Symbol x_;
  std::optional<KernelRing> ring_;
  Fraction fraction_;
  std::vector<unsigned> varying_;
  std::vector<Expr> denominators_;
  std::map<unsigned, unsigned> pair_total_;
  unsigned least_pair_ = 0;
};

}  // namespace

layers::Result layers::by_undetermined_coefficients(Integrator& in, const Expr& f, const Symbol& x) {
  if (operation_count(f) > 80) return std::nullopt;
  const poly::WorkLimit limit(60000000U);
  Expr g = transforms::hyperbolic_to_exponentials(transforms::tangents_to_sines(f));
  g = transforms::logarithms_expanded(transforms::angles_expanded(g), Reasoner(in.signs().conditions()));
  auto r = Tower(in, g, x)();
  if (r) in.note("undetermined coefficients over the functions of the integrand");
  return r;
}

}  // namespace boreon
