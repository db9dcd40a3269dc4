// SPDX-License-Identifier: MIT
#include "boreon/sums.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>

#include "algebra/kernel_ring.hpp"
#include "algebra/linear_terms.hpp"
#include "algebra/polynomial/work.hpp"
#include "algebra/reduced_conditions.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/error.hpp"
#include "boreon/functions.hpp"
#include "boreon/integral.hpp"
#include "boreon/sampling.hpp"
#include "boreon/series.hpp"
#include "boreon/simplify.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/integral/univariate.hpp"
#include "calculus/integral/verify.hpp"
#include "calculus/series/expansion.hpp"
#include "calculus/series/limit_engine.hpp"
#include "expr/canonical.hpp"

namespace boreon {
namespace {

namespace uv = univariate;
using poly::Poly;

constexpr unsigned most_dispersion = 200;

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

// s(k) with s(k + 1) - s(k) = t(k), as a rational multiple of t.
std::optional<Expr> antidifference(const Expr& term, const Symbol& k) {
  const auto ratio = ratio_of(term, k);
  if (!ratio) return std::nullopt;
  const Symbol h("_h");
  const KernelRing ring(std::vector<Expr>{*ratio, k, h});
  const unsigned v = *ring.index_of(k);
  const Fraction f = ring.fraction_of(*ratio);
  const auto shifted = [&](const Univariate& p, std::int64_t by) {
    Univariate out;
    const Univariate step{fraction(Number(by), ring.vars()), fraction(Number(1), ring.vars())};
    for (std::size_t i = p.size(); i-- > 0;) out = uv::add(uv::multiply(out, step), Univariate{p[i]});
    return out;
  };
  const auto gcd_of = [&](const Univariate& a, const Univariate& b) {
    if (a.empty() || b.empty() || a.size() == 1 || b.size() == 1) return Univariate{fraction(Number(1), ring.vars())};
    Univariate g;
    (void)uv::inverse_modulo(a, b, g);
    return g;
  };
  Univariate q = uv::from(f.numerator, v);
  Univariate r = uv::from(f.denominator, v);
  Univariate p{fraction(Number(1), ring.vars())};
  // whole shifts at which q and r have a common factor
  const Expr at_h = substitute(ring.expression(f.denominator), {{k, k + h}}, Unused::allowed);
  const KernelRing wide(std::vector<Expr>{ring.expression(f.numerator), at_h, k, h});
  const unsigned wv = *wide.index_of(k);
  const unsigned wh = *wide.index_of(h);
  const Fraction num = wide.fraction_of(ring.expression(f.numerator));
  const Fraction den = wide.fraction_of(at_h);
  std::vector<std::int64_t> shifts;
  if (num.numerator.degree(wv) > 0 && den.numerator.degree(wv) > 0) {
    for (const poly::Factor& x : poly::factor(poly::resultant(num.numerator, den.numerator, wv)).list) {
      if (x.base.degree(wh) != 1) continue;
      const auto c = poly::coefficients_in(x.base, wh);
      const Fraction root = divide(negate(fraction(c[0])), fraction(c[1]));
      const auto n = wide.expression(root).word();
      if (n && *n >= 0 && *n <= static_cast<std::int64_t>(most_dispersion)) shifts.push_back(*n);
    }
  }
  std::sort(shifts.begin(), shifts.end());
  for (const std::int64_t j : shifts) {
    const Univariate g = gcd_of(q, shifted(r, j));
    if (g.size() <= 1) continue;
    q = uv::divide(q, g).quotient;
    r = uv::divide(r, shifted(g, -j)).quotient;
    for (std::int64_t i = 1; i <= j; ++i) p = uv::multiply(p, shifted(g, -i));
  }
  // q(k)*y(k + 1) - r(k - 1)*y(k) = p(k)
  const Univariate r_back = shifted(r, -1);
  const Univariate sum = uv::add(q, r_back);
  const Univariate difference = uv::subtract(q, r_back);
  int degree = -1;
  if (uv::degree(sum) <= uv::degree(difference)) {
    degree = uv::degree(p) - uv::degree(difference);
  } else {
    degree = uv::degree(p) - uv::degree(sum) + 1;
    const auto n = static_cast<std::size_t>(uv::degree(sum));
    const Fraction low = difference.size() + 1 > n && n >= 1 && difference.size() > n - 1
                             ? difference[n - 1]
                             : fraction(Number(0), ring.vars());
    const auto other = ring.expression(divide(multiply(fraction(Number(-2), ring.vars()), low), sum[n])).word();
    if (other && *other > degree) degree = static_cast<int>(*other);
  }
  if (degree < 0 || degree > 100) return std::nullopt;
  // unknown coefficients of y
  const auto n = static_cast<std::size_t>(degree) + 1;
  std::vector<Univariate> columns;
  for (std::size_t i = 0; i < n; ++i) {
    Univariate monomial(i + 1, fraction(Number(0), ring.vars()));
    monomial[i] = fraction(Number(1), ring.vars());
    columns.push_back(uv::subtract(uv::multiply(q, shifted(monomial, 1)), uv::multiply(r_back, monomial)));
  }
  std::size_t rows = p.size();
  for (const Univariate& c : columns) rows = std::max(rows, c.size());
  std::vector<std::vector<Fraction>> a(rows, std::vector<Fraction>(n + 1, fraction(Number(0), ring.vars())));
  for (std::size_t i = 0; i < rows; ++i) {
    for (std::size_t j = 0; j < n; ++j) {
      if (i < columns[j].size()) a[i][j] = columns[j][i];
    }
    if (i < p.size()) a[i][n] = p[i];
  }
  std::vector<Fraction> y(n, fraction(Number(0), ring.vars()));
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
  for (std::size_t j = 0; j < n; ++j) {
    if (pivot_row[j] < rows) y[j] = divide(a[pivot_row[j]][n], a[pivot_row[j]][j]);
  }
  const auto shown = [&](const Univariate& u) {
    Expr e = 0;
    for (std::size_t i = 0; i < u.size(); ++i) e += ring.expression(u[i]) * power(k, Expr(i));
    return e;
  };
  uv::trim(y);
  return factor(shown(r_back) * shown(y) / shown(p)) * term;
}

// Rational terms: partial fractions 1/(k + a)^m summed through polygamma functions (NIST 5.15.1, 5.7.6).
std::optional<Expr> rational_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to) {
  if (!is_rational_in(term, k)) return std::nullopt;
  const Expr parts = partial_fractions(term, k);
  if (parts.is(Kind::sum) && !parts.operands()[0].is_integer(0)) return std::nullopt;
  const bool endless = to.is_constant(ConstantCode::infinity);
  Expr value = 0;
  Expr harmonic = 0;  // coefficients of 1/k must cancel in an endless sum
  for (const Expr& t : terms_of(parts)) {
    const Quotient q = quotient(t);
    const auto n = polynomial_in(q.numerator, k, 0);
    if (!n) return std::nullopt;
    const Expr d = factor(q.denominator);
    Expr base = d;
    std::int64_t m = 1;
    Expr scale = 1;
    if (d.is(Kind::product)) {
      scale = d.operands()[0];
      int varying = 0;
      for (const auto [b, e] : Parts(d)) {
        if (!depends_on(b, k)) {
          scale *= power(b, e);
          continue;
        }
        ++varying;
        base = b;
        m = e.word().value_or(0);
      }
      if (varying != 1) return std::nullopt;
    } else if (d.is(Kind::power)) {
      base = d.operands()[0];
      m = d.operands()[1].word().value_or(0);
    }
    const auto l = linear_in(base, k);
    if (!l || m < 1 || m > 30) return std::nullopt;
    const Expr a = l->constant / l->slope;
    const Expr c = (*n)[0] / (scale * power(l->slope, m));
    if (m == 1) {
      harmonic += c;
      value += c * ((endless ? Expr(0) : digamma(to + 1 + a)) - digamma(from + a));
      continue;
    }
    Expr front = m % 2 == 0 ? 1 : -1;
    for (std::int64_t i = 2; i < m; ++i) front = front / i;
    value += c * front * (polygamma(m - 1, from + a) - (endless ? Expr(0) : polygamma(m - 1, to + 1 + a)));
  }
  if (endless && !vanishes(harmonic)) return std::nullopt;
  return value;
}

// x^k over factorials, powers of k: NIST 4.2.19, 4.6.1, 25.2.1, 25.12.10
std::optional<Expr> classical_series(const Expr& term, const Symbol& k, const Expr& from, Signs& signs,
                                     std::vector<Expr>& conditions) {
  if (!from.word()) return std::nullopt;
  Expr constant = leading_number(term);
  Expr x = 1;
  Expr s = 0;
  Expr factorial;
  bool has_factorial = false;
  bool fine = true;
  for_each_factor(term, [&](const Expr& base, const Expr& exponent) {
    if (!depends_on(base, k) && !depends_on(exponent, k)) {
      constant *= power(base, exponent);
    } else if (base == k && !depends_on(exponent, k)) {
      s += exponent;
    } else if (!depends_on(base, k)) {
      const auto l = linear_in(exponent, k);
      if (l) {
        constant *= power(base, l->constant);
        x *= power(base, l->slope);
      } else {
        fine = false;
      }
    } else if (is_call_of(base, "gamma") && exponent.is_integer(-1) && !has_factorial) {
      has_factorial = true;
      factorial = base.operands()[0];
    } else if (is_call_of(base, "exp") && exponent.word()) {
      const auto l = linear_in(base.operands()[0] * exponent, k);
      if (l) {
        constant *= exp(l->constant);
        x *= exp(l->slope);
      } else {
        fine = false;
      }
    } else {
      fine = false;
    }
  });
  if (!fine) return std::nullopt;
  const auto missing = [&](std::int64_t start) {  // terms between the standard start and `from`
    Expr sum = 0;
    for (std::int64_t j = std::min(start, *from.word()); j < std::max(start, *from.word()); ++j)
      sum += substitute(term, {{k, j}}, Unused::allowed);
    return *from.word() >= start ? -sum : sum;
  };
  if (std::abs(*from.word()) > 60) return std::nullopt;
  if (has_factorial) {
    const auto l = linear_in(factorial, k);
    if (!l || !s.is_integer(0)) return std::nullopt;
    if (l->slope.is_integer(1) && l->constant.word()) {  // x^k/(k + c - 1)!
      const std::int64_t start = 1 - *l->constant.word();
      return constant * power(x, start) * exp(x) + missing(start);
    }
    if (l->slope.is_integer(2) && (l->constant.is_integer(1) || l->constant.is_integer(2))) {
      const auto sign = signs.known(x);
      if (!sign) return std::nullopt;
      const Expr r = sqrt(*sign < 0 ? -x : x);
      const Expr v = l->constant.is_integer(1) ? (*sign < 0 ? cos(r) : cosh(r)) : (*sign < 0 ? sin(r) : sinh(r)) / r;
      return constant * v + missing(0);
    }
    return std::nullopt;
  }
  if (s.is_integer(0)) return std::nullopt;  // geometric: by Gosper
  const Expr order = -s;
  if (x.is_integer(1)) {
    const int above = signs.of(order - 1);
    if (above <= 0) return std::nullopt;
    return constant * zeta(order) + missing(1);
  }
  if (x.is_integer(-1)) {
    if (order.is_integer(1)) return -constant * log(Expr(2)) + missing(1);
    if (signs.of(order) <= 0) return std::nullopt;
    return constant * (power(2, 1 - order) - 1) * zeta(order) + missing(1);
  }
  if (!x.is_number()) conditions.push_back(less(abs(x), 1));
  if (x.is_number() && compare(x.number().abs(), Number(1)) >= 0) return std::nullopt;
  return constant * polylog(order, x) + missing(1);
}

// Adding up at random parameters.
bool confirmed(const Expr& term, const Symbol& k, const Expr& from, const Expr& to, const Expr& value,
               std::span<const Expr> conditions, std::size_t& points) {
  const bool endless = to.is_constant(ConstantCode::infinity);
  std::vector<Expr> all{term, from, value};
  if (!endless) all.push_back(to);
  all.insert(all.end(), conditions.begin(), conditions.end());
  std::vector<Expr> leaves = sampled_leaves(all);
  std::erase(leaves, Expr(k));
  const SampleRanges ranges;
  Sampler sampler(leaves, ranges, 20260101);
  for (int attempt = 0; attempt < 12 && points < 3; ++attempt) {
    std::vector<double> p = sampler.draw(conditions);
    if (p.size() != leaves.size()) return points > 0;
    // the limits must be whole numbers
    for (std::size_t i = 0; i < leaves.size(); ++i) {
      if (depends_on(from, leaves[i]) || (!endless && depends_on(to, leaves[i]))) p[i] = std::round(std::abs(p[i])) + 3;
    }
    const auto low = value_at(from, leaves, p);
    const auto high = endless ? low : value_at(to, leaves, p);
    const auto want = certified_value(value, leaves, p);
    if (!low || !high || !want) continue;
    std::vector<Expr> inner = leaves;
    inner.push_back(k);
    std::complex<double> sum = 0;
    const double last = endless ? low->real() + 4000 : std::min(high->real(), low->real() + 4000);
    if (!endless && high->real() > last) continue;  // too many to add up: another point
    bool fine = true;
    double size = 0;
    std::vector<std::complex<double>> partial;
    for (double j = low->real(); j <= last && fine; ++j) {
      std::vector<double> q = p;
      q.push_back(j);
      const auto t = value_at(term, inner, q);
      fine = t.has_value();
      if (!fine) break;
      sum += *t;
      size += std::abs(*t);
      partial.push_back(sum);
      if (endless && std::abs(*t) < 1e-18 * std::abs(sum) && j > low->real() + 20) break;
    }
    if (!fine && partial.size() < 60) continue;
    double tolerance = 1e-9;
    if (endless && partial.size() > 3900) {  // slow: Richardson on the tail behaves like 1/n or better
      const std::size_t n = partial.size();
      const auto s1 = partial[n / 4 - 1];
      const auto s2 = partial[n / 2 - 1];
      const auto s4 = partial[n - 1];
      const auto e = s4 - (s4 - s2) * (s4 - s2) / ((s4 - s2) - (s2 - s1) + 1e-300);
      sum = std::abs(s4 - s2) < 1e-12 ? s4 : e;
      tolerance = 1e-3;
    }
    ++points;
    if (std::abs(sum - *want) > tolerance * std::max(size, std::abs(*want)) + 1e-12) return false;
  }
  return points > 0;
}

template <class F>
std::optional<Expr> guarded(const F& f) {
  try {
    const poly::WorkLimit limit(100000000U);
    return f();
  } catch (const Error&) {
  } catch (const UnknownSign&) {
  } catch (const NoLimit&) {
  } catch (const NoExpansion&) {
  }
  return std::nullopt;
}

// The base of a power with the index in its exponent.
std::optional<Expr> base_of_geometric(const Expr& term, const Symbol& k) {
  std::optional<Expr> base;
  postorder(term, [&](const Expr& e) {
    if (e.is(Kind::power) && depends_on(e.operands()[1], k) && !depends_on(e.operands()[0], k)) base = e.operands()[0];
    if (e.is(Kind::product)) {
      for (const auto [b, x] : Parts(e)) {
        if (depends_on(x, k) && !depends_on(b, k)) base = b;
      }
    }
  });
  return base;
}

SumResult closed_sum(const Expr& term, const Expr& index, const Expr& from, const Expr& to,
                     std::span<const Expr> conditions);

// One sum and the ways that are tried on it. What a way returns counts once it is confirmed on numbers.
class Summation {
 public:
  Summation(const Expr& term, const Expr& index, const Symbol& k, const Expr& from, const Expr& to,
            std::span<const Expr> conditions)
      : term_(term),
        index_(index),
        k_(k),
        from_(from),
        to_(to),
        conditions_(conditions),
        signs_(conditions, true),
        endless_(to.is_constant(ConstantCode::infinity)) {}

  SumResult run(SumResult unevaluated) {
    out_ = std::move(unevaluated);
    if (accept(guarded([&] { return by_antidifference(); }), "Gosper's algorithm")) return out_;
    out_.conditions.clear();
    if (accept(guarded([&] { return rational_sum(term_, k_, from_, to_); }),
               "partial fractions and polygamma functions"))
      return out_;
    if (endless_) {
      if (accept(guarded([&] { return classical_series(term_, k_, from_, signs_, out_.conditions); }),
                 "a classical series"))
        return out_;
      out_.conditions.clear();
    }
    if (accept(term_by_term(), "term by term")) return out_;
    out_.conditions.clear();
    return out_;
  }

 private:
  bool accept(const std::optional<Expr>& v, const char* method) {
    if (!v || has_undefined(*v)) return false;
    std::vector<Expr> all(conditions_.begin(), conditions_.end());
    for (const Decision& d : signs_.decisions()) all.push_back(condition_of(d));
    all.insert(all.end(), out_.conditions.begin(), out_.conditions.end());
    SimplifyOptions o;
    o.conditions = all;
    o.work = 800;
    const Expr value = simplify(*v, o);
    std::size_t points = 0;
    if (!confirmed(term_, k_, from_, to_, value, all, points)) return false;
    out_.value = substitute(value, {{k_, index_}}, Unused::allowed);
    out_.closed = true;
    out_.points = points;
    out_.method = method;
    for (const Decision& d : signs_.decisions()) out_.conditions.push_back(condition_of(d));
    return true;
  }

  std::optional<Expr> by_antidifference() {
    const auto s = antidifference(term_, k_);
    if (!s) return std::nullopt;
    const Expr start = substitute(*s, {{k_, from_}}, Unused::allowed);
    if (!endless_) return substitute(*s, {{k_, to_ + 1}}, Unused::allowed) - start;
    const Symbol n("_n", {Assumption::positive});
    Expr limit;
    try {
      limit = one_sided_limit(substitute(*s, {{k_, n}}, Unused::allowed), n, infinity(), true, signs_);
    } catch (const UnknownSign&) {
      limit = infinity();
    } catch (const NoExpansion&) {
      limit = infinity();
    }
    const bool known = limit.is_integer(0) || !depends_on(limit, n);
    if (known && !has_undefined(limit) && !is_infinite(limit)) return limit - start;
    // powers of a base of unknown size: it is assumed that they converge
    const auto base = base_of_geometric(term_, k_);
    if (!base || base->is_number()) return std::nullopt;
    out_.conditions.push_back(less(abs(*base), 1));
    return -start;
  }

  std::optional<Expr> term_by_term() {
    const Expr g = expand(term_);
    if (!g.is(Kind::sum) || g.operands().size() >= 20) return std::nullopt;
    Expr value = 0;
    for (const Expr& e : terms_of(g)) {
      SumResult part;
      try {
        part = closed_sum(e, k_, from_, to_, conditions_);
      } catch (const Error&) {
        return std::nullopt;
      }
      if (!part.closed) return std::nullopt;
      value += part.value;
      for (const Expr& c : part.conditions) out_.conditions.push_back(c);
    }
    return value;
  }

  const Expr& term_;
  const Expr& index_;
  const Symbol& k_;
  const Expr& from_;
  const Expr& to_;
  std::span<const Expr> conditions_;
  Signs signs_;
  bool endless_;
  SumResult out_;
};

SumResult closed_sum(const Expr& term, const Expr& index, const Expr& from, const Expr& to,
                     std::span<const Expr> conditions) {
  if (!index.is(Kind::symbol)) throw Error(ErrorKind::usage, "a sum is taken over a symbol");
  if (depends_on(from, index) || depends_on(to, index))
    throw Error(ErrorKind::usage, "the limits of a sum must not contain its index");
  // the index stands for whole numbers, whatever it was declared to be
  const Symbol k(index.name(), {Assumption::integer});
  const Expr t = substitute(evaluate_derivatives(term), {{index, k}}, Unused::allowed);
  SumResult out;
  out.value = unevaluated_sum(term, index, from, to);
  if (!depends_on(t, k)) {
    if (to.is_constant(ConstantCode::infinity))
      throw Error(ErrorKind::domain, "the sum diverges: its terms do not go to zero");
    out.value = t * (to - from + 1);
    out.closed = true;
    out.method = "a constant term";
    return out;
  }
  // Many terms between numbers: the closed form for a symbolic end is found and confirmed on short ranges.
  constexpr std::int64_t few_terms = 3000;
  if (from.word() && to.is_number() && to.number().is_integer() &&
      compare(to.number() - from.number(), Number(few_terms)) > 0) {
    const Symbol n("_end", {Assumption::integer});
    std::vector<Expr> with_end(conditions.begin(), conditions.end());
    with_end.push_back(greater_equal(n, from));
    SumResult general = closed_sum(term, index, from, n, with_end);
    if (!general.closed) return out;
    general.value = substitute(general.value, {{n, to}}, Unused::allowed);
    for (Expr& c : general.conditions) c = substitute(c, {{n, to}}, Unused::allowed);
    return has_undefined(general.value) ? out : general;
  }
  return Summation(t, index, k, from, to, conditions).run(std::move(out));
}

}  // namespace

SumResult sum_with_report(const Expr& term, const Expr& index, const Expr& from, const Expr& to,
                          std::span<const Expr> conditions) {
  SumResult result = closed_sum(term, index, from, to, conditions);
  result.conditions = reduced_conditions(result.conditions, conditions);
  return result;
}

Expr sum(const Expr& term, const Expr& k, const Expr& from, const Expr& to, std::span<const Expr> conditions) {
  return sum_with_report(term, k, from, to, conditions).value;
}

Expr evaluate_operators(const Expr& expression, std::span<const Expr> conditions) {
  Rebuild pass([](const Expr&, Expr&) { return false; },
               [&](const Expr& e) -> Expr {
                 const auto ops = e.operands();
                 try {
                   switch (e.kind()) {
                     case Kind::derivative: return evaluate_derivatives(e);
                     case Kind::integral: {
                       IntegralOptions o;
                       o.conditions.assign(conditions.begin(), conditions.end());
                       o.exceptions = false;
                       const IntegralResult r = ops.size() == 2 ? integrate(ops[0], ops[1], o)
                                                                : integrate(ops[0], ops[1], ops[2], ops[3], o);
                       if (r.status == IntegralStatus::divergent)
                         throw Error(ErrorKind::domain, fmt::format("an integral diverges: {}", r.reason));
                       return r.status == IntegralStatus::exact && r.conditions.empty() ? r.value : e;
                     }
                     case Kind::reduction: {
                       if (!e.is_summation()) return e;
                       const SumResult r = sum_with_report(ops[0], ops[1], ops[2], ops[3], conditions);
                       return r.closed && r.conditions.empty() ? r.value : e;
                     }
                     case Kind::limit: {
                       const LimitResult r = limit_with_report(ops[0], ops[1], ops[2], e.limit_side(), conditions);
                       return has_undefined(r.value) ? e : r.value;
                     }
                     default: return e;
                   }
                 } catch (const Error& error) {
                   if (error.kind() == ErrorKind::unsupported || error.kind() == ErrorKind::limit) return e;
                   throw;
                 }
               });
  return pass(expression);
}

}  // namespace boreon
