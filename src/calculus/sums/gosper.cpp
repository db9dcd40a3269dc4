// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cstdint>

#include "algebra/kernel_ring.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/univariate.hpp"
#include "calculus/sums/sum_methods.hpp"

namespace boreon::sums {
namespace {

namespace uv = univariate;

constexpr std::int64_t most_dispersion = 200;
constexpr int highest_degree = 100;

// t(k + 1)/t(k) as a quotient of polynomials in k, if it is one.
std::optional<Expr> ratio_of(const Expr& term, const Symbol& k) {
  SimplifyOptions o;
  o.work = 400;
  o.points = 2;
  Expr r = substitute(term, {{k, k + 1}}, Unused::allowed) / term;
  // gamma(k + n) against gamma(k + m): by whole steps
  Rebuild factorials([&](const Expr&, Expr&) { return false; },
                     [&](const Expr& n) -> Expr {
                       if (!is_call_of(n, "gamma")) return n;
                       const auto l = linear_in(n.operands()[0], k);
                       if (!l || !l->slope.word()) return n;
                       const Expr base =
                           n.operands()[0] - (l->constant.is_number() ? Expr(l->constant.number().floor()) : Expr(0));
                       const auto steps = (n.operands()[0] - base).word();
                       if (!steps || std::abs(*steps) > 60) return n;
                       Expr product = gamma(base);
                       for (std::int64_t i = 0; i < *steps; ++i) product *= base + i;
                       for (std::int64_t i = -1; i >= *steps; --i) product /= base + i;
                       // gamma(a*k + s) with a > 1 after a shift is caught by the floor of s
                       return product;
                     });
  r = combine_fractions(expand(simplify(factorials(r), o)));
  if (!is_rational_in(r, k)) return std::nullopt;
  return r;
}

class Gosper {
 public:
  Gosper(const Expr& ratio, const Symbol& k)
      : k_(k), h_("_h"), ring_(std::vector<Expr>{ratio, k, h_}), variable_(*ring_.index_of(k)) {
    const Fraction f = ring_.fraction_of(ratio);
    numerator_ = ring_.expression(f.numerator);
    denominator_ = ring_.expression(f.denominator);
    q_ = uv::from(f.numerator, variable_);
    r_ = uv::from(f.denominator, variable_);
    p_ = {number(1)};
  }

  // s(k)/t(k)
  std::optional<Expr> run() {
    part_at_shifts();
    // q(k)*y(k + 1) - r(k - 1)*y(k) = p(k)
    r_back_ = shifted(r_, -1);
    const int degree = degree_of_solution();
    if (degree < 0 || degree > highest_degree) return std::nullopt;
    const auto y = solution(static_cast<std::size_t>(degree) + 1);
    if (!y) return std::nullopt;
    return factor(shown(r_back_) * shown(*y) / shown(p_));
  }

 private:
  [[nodiscard]] Fraction number(std::int64_t n) const { return fraction(Number(n), ring_.vars()); }

  [[nodiscard]] Univariate shifted(const Univariate& p, std::int64_t by) const {
    Univariate out;
    const Univariate step{number(by), number(1)};
    for (std::size_t i = p.size(); i-- > 0;) out = uv::add(uv::multiply(out, step), Univariate{p[i]});
    return out;
  }

  [[nodiscard]] Univariate common_divisor(const Univariate& a, const Univariate& b) const {
    if (a.size() <= 1 || b.size() <= 1) return {number(1)};
    Univariate g;
    (void)uv::inverse_modulo(a, b, g);
    return g;
  }

  // Whole shifts h >= 0 at which q(k) and r(k + h) have a common factor: roots of a resultant.
  [[nodiscard]] std::vector<std::int64_t> shifts() const {
    const Expr at_h = substitute(denominator_, {{k_, k_ + h_}}, Unused::allowed);
    const KernelRing wide(std::vector<Expr>{numerator_, at_h, k_, h_});
    const unsigned v = *wide.index_of(k_);
    const unsigned h = *wide.index_of(h_);
    const Fraction num = wide.fraction_of(numerator_);
    const Fraction den = wide.fraction_of(at_h);
    std::vector<std::int64_t> out;
    if (num.numerator.degree(v) == 0 || den.numerator.degree(v) == 0) return out;
    for (const poly::Factor& x : poly::factor(poly::resultant(num.numerator, den.numerator, v)).list) {
      if (x.base.degree(h) != 1) continue;
      const auto c = poly::coefficients_in(x.base, h);
      const auto n = wide.expression(divide(negate(fraction(c[0])), fraction(c[1]))).word();
      if (n && *n >= 0 && *n <= most_dispersion) out.push_back(*n);
    }
    std::sort(out.begin(), out.end());
    return out;
  }

  // What q and a shifted r share goes into p: t(k + 1)/t(k) = p(k + 1)/p(k)*q(k)/r(k).
  void part_at_shifts() {
    for (const std::int64_t j : shifts()) {
      const Univariate g = common_divisor(q_, shifted(r_, j));
      if (g.size() <= 1) continue;
      q_ = uv::divide(q_, g).quotient;
      r_ = uv::divide(r_, shifted(g, -j)).quotient;
      for (std::int64_t i = 1; i <= j; ++i) p_ = uv::multiply(p_, shifted(g, -i));
    }
  }

  [[nodiscard]] int degree_of_solution() const {
    const Univariate sum = uv::add(q_, r_back_);
    const Univariate difference = uv::subtract(q_, r_back_);
    if (uv::degree(sum) <= uv::degree(difference)) return uv::degree(p_) - uv::degree(difference);
    const int degree = uv::degree(p_) - uv::degree(sum) + 1;
    const auto n = static_cast<std::size_t>(uv::degree(sum));
    const Fraction low = n >= 1 && difference.size() > n - 1 ? difference[n - 1] : number(0);
    const auto other = ring_.expression(divide(multiply(number(-2), low), sum[n])).word();
    return other && *other > degree ? static_cast<int>(*other) : degree;
  }

  // y with n coefficients: linear equations, one for each power of k.
  [[nodiscard]] std::optional<Univariate> solution(std::size_t n) const {
    std::vector<Univariate> columns;
    for (std::size_t i = 0; i < n; ++i) {
      Univariate monomial(i + 1, number(0));
      monomial[i] = number(1);
      columns.push_back(uv::subtract(uv::multiply(q_, shifted(monomial, 1)), uv::multiply(r_back_, monomial)));
    }
    std::size_t rows = p_.size();
    for (const Univariate& c : columns) rows = std::max(rows, c.size());
    std::vector<std::vector<Fraction>> a(rows, std::vector<Fraction>(n + 1, number(0)));
    for (std::size_t i = 0; i < rows; ++i) {
      for (std::size_t j = 0; j < n; ++j) {
        if (i < columns[j].size()) a[i][j] = columns[j][i];
      }
      if (i < p_.size()) a[i][n] = p_[i];
    }
    return eliminated(std::move(a), n);
  }

  [[nodiscard]] std::optional<Univariate> eliminated(std::vector<std::vector<Fraction>> a, std::size_t n) const {
    const std::size_t rows = a.size();
    std::vector<std::size_t> pivot_row(n, rows);
    std::size_t next = 0;
    for (std::size_t j = 0; j < n; ++j) {
      std::size_t at = next;
      while (at < rows && a[at][j].is_zero()) ++at;
      if (at == rows) continue;
      std::swap(a[at], a[next]);
      for (std::size_t i = 0; i < rows; ++i) {
        if (i == next || a[i][j].is_zero()) continue;
        const Fraction m = divide(a[i][j], a[next][j]);
        for (std::size_t c = j; c <= n; ++c) a[i][c] = subtract(a[i][c], multiply(m, a[next][c]));
      }
      pivot_row[j] = next++;
    }
    for (std::size_t i = next; i < rows; ++i) {
      if (!a[i][n].is_zero()) return std::nullopt;
    }
    Univariate y(n, number(0));
    for (std::size_t j = 0; j < n; ++j) {
      if (pivot_row[j] < rows) y[j] = divide(a[pivot_row[j]][n], a[pivot_row[j]][j]);
    }
    uv::trim(y);
    return y;
  }

  [[nodiscard]] Expr shown(const Univariate& u) const {
    Expr e = 0;
    for (std::size_t i = 0; i < u.size(); ++i) e += ring_.expression(u[i]) * power(k_, Expr(i));
    return e;
  }

  Symbol k_;
  Symbol h_;
  KernelRing ring_;
  unsigned variable_;
  Expr numerator_;
  Expr denominator_;
  Univariate q_;
  Univariate r_;
  Univariate p_;
  Univariate r_back_;
};

}  // namespace

std::optional<Expr> antidifference(const Expr& term, const Symbol& k) {
  const auto ratio = ratio_of(term, k);
  if (!ratio) return std::nullopt;
  const auto of_term = Gosper(*ratio, k).run();
  if (!of_term) return std::nullopt;
  return *of_term * term;
}

}  // namespace boreon::sums
