// SPDX-License-Identifier: MIT
// Sums of waves, binomial coefficients, logarithms, and of rational terms with alternating signs.
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "algebra/put_in.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/integrator.hpp"
#include "calculus/sums/sum_methods.hpp"

namespace boreon::sums {
namespace {

constexpr std::int64_t highest_power = 8;

// term = constant*base^k*k^power*rest, with what depends on k otherwise in `rest`.
struct Split {
  Expr constant = 1;
  Expr base = 1;
  std::int64_t power = 0;
  Expr rest = 1;
};

Split split(const Expr& term, const Symbol& k) {
  Split out;
  out.constant = leading_number(term);
  for_each_factor(term, [&](const Expr& b, const Expr& e) {
    if (!depends_on(b, k) && !depends_on(e, k)) {
      out.constant *= power(b, e);
      return;
    }
    if (b == k && e.word() && *e.word() > 0) {
      out.power += *e.word();
      return;
    }
    const bool exponential = is_call_of(b, "exp") && !depends_on(e, k);
    if (!depends_on(b, k) || exponential) {
      if (const auto l = linear_in(exponential ? b.operands()[0] * e : e, k)) {
        out.constant *= exponential ? exp(l->constant) : power(b, l->constant);
        out.base *= exponential ? exp(l->slope) : power(b, l->slope);
        return;
      }
    }
    out.rest *= power(b, e);
  });
  return out;
}

// digamma(q + 1/2) - digamma(q) by its reflection, where q + 1/2 and q add up to a whole number.
std::optional<Expr> half_step(const Expr& q) {
  if (!q.is_number() || !(4 * q).word() || (2 * q).word()) return std::nullopt;
  // down to 1/4 or 3/4 by the recurrence digamma(q) = digamma(q - 1) + 1/(q - 1)
  Expr low = q;
  Expr value = 0;
  while (compare(low.number(), Number(1)) > 0) {
    low = low - 1;
    value += 1 / (low + Expr(1) / 2) - 1 / low;
  }
  if (low.number().sign() <= 0) return std::nullopt;
  // at 1/4 digamma(3/4) - digamma(1/4); at 3/4 digamma(5/4) - digamma(3/4)
  return low == Expr(1) / 4 ? value + pi() : value + 4 - pi();
}

}  // namespace

std::optional<Expr> alternating_sum(const Expr& term, const Symbol& k, const Expr& from) {
  const Split s = split(term, k);
  if (!s.base.is_integer(-1)) return std::nullopt;
  const Expr R = s.constant * power(k, s.power) * s.rest;
  if (!is_rational_in(R, k)) return std::nullopt;
  // one 1/(k + a) by half a step of digamma
  const Quotient q = quotient(combine_fractions(R));
  const auto top = polynomial_in(q.numerator, k, 0);
  if (const auto l = linear_in(q.denominator, k); l && top) {
    if (const auto step = half_step((from + l->constant / l->slope) / 2)) {
      return power(-1, from) * (*top)[0] / l->slope * *step / 2;
    }
  }
  // two terms at a time
  const Expr pair = combine_fractions(put(R, k, 2 * k + from) - put(R, k, 2 * k + from + 1));
  const auto sum = rational_sum(pair, k, 0, infinity());
  if (!sum) return std::nullopt;
  return power(-1, from) * *sum;
}

std::optional<Expr> series_of_odd_powers(const Expr& term, const Symbol& k, const Expr& from, Signs& signs,
                                         std::vector<Expr>& conditions) {
  const Split s = split(term, k);
  const auto l = linear_in(1 / s.rest, k);
  if (!l || s.power != 0 || !from.word()) return std::nullopt;
  const auto shift = (l->constant / l->slope - Expr(1) / 2).word();
  const std::int64_t first = shift ? *from.word() + *shift : -1;
  if (first < 0 || first > 60) return std::nullopt;
  const Expr& y = s.base;
  const bool is_square = y.is(Kind::power) && y.operands()[1].is_integer(2) && is_real(y.operands()[0]);
  const auto sign = is_square ? std::optional(1) : signs.known(y);  // at 0 the sum is its first term
  if (!sign || *sign == 0) return std::nullopt;
  if (y.is_number()) {
    if (compare(y.number().abs(), Number(1)) >= 0) return std::nullopt;
  } else if (signs.known(1 - abs(y)).value_or(0) <= 0) {
    conditions.push_back(less(abs(y), 1));
  }
  const Expr square = *sign < 0 ? -y : y;
  const Expr root = square.is(Kind::power) && square.operands()[1].is_integer(2) ? square.operands()[0] : sqrt(square);
  Expr sum = 2 * (*sign < 0 ? atan(root) : atanh(root)) / root;
  for (std::int64_t j = 0; j < first; ++j) sum -= power(y, j) / (j + Expr(1) / 2);
  return s.constant / l->slope * power(y, -*shift) * sum;
}

// For r^k*cos(x*k + c) the difference of r^k*(r*cos(x*(k - 1) + c) - cos(x*k + c))/(r^2 - 2*r*cos(x) + 1); each factor
// k is a derivative by x at a phase turned back by a quarter.
std::optional<Expr> wave_antidifference(const Expr& term, const Symbol& k) {
  const Split s = split(term, k);
  const bool cosine = is_call_of(s.rest, "cos");
  if (!cosine && !is_call_of(s.rest, "sin")) return std::nullopt;
  const auto l = linear_in(s.rest.operands()[0], k);
  if (!l || s.power > highest_power) return std::nullopt;
  const Symbol x("_x");
  const Expr phase = l->constant - (cosine ? Expr(0) : pi() / 2) - Expr(s.power) * pi() / 2;
  const Expr& r = s.base;
  Expr sum = pow(r, k) * (r * cos(x * (k - 1) + phase) - cos(x * k + phase)) / (r * r - 2 * r * cos(x) + 1);
  if (s.power > 0) sum = derivative(sum, x, static_cast<int>(s.power));
  return s.constant * put(sum, x, l->slope);
}

std::optional<Expr> binomial_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to) {
  if (!from.is_integer(0)) return std::nullopt;
  const Split s = split(term, k);
  std::optional<Expr> n;
  Expr rest = 1;
  int times = 0;
  for_each_factor(s.rest, [&](const Expr& b, const Expr& e) {
    if (is_call_of(b, "binomial") && b.operands()[1] == k && !depends_on(b.operands()[0], k) && !n &&
        (e.is_integer(1) || e.is_integer(2))) {
      n = b.operands()[0];
      times = e.is_integer(1) ? 1 : 2;
    } else {
      rest *= power(b, e);
    }
  });
  if (!n || !(*n == to) || s.power > highest_power) return std::nullopt;
  if (times == 2) {
    // Vandermonde
    if (!s.base.is_integer(1) || s.power != 0 || !rest.is_integer(1)) return std::nullopt;
    return s.constant * binomial(2 * *n, *n);
  }
  const Symbol x("_x");
  Expr sum;
  if (rest.is_integer(1)) {
    sum = pow(1 + x, *n);
    for (std::int64_t j = 0; j < s.power; ++j) sum = x * derivative(sum, x);
  } else {
    if (!(rest == power(k + 1, -1)) || s.power != 0) return std::nullopt;
    sum = (pow(1 + x, *n + 1) - 1) / ((*n + 1) * x);
  }
  if (s.base.is_integer(-1) && rest.is_integer(1)) return std::nullopt;  // 0^n, and what its derivatives are
  return s.constant * put(sum, x, s.base);
}

std::optional<Expr> logarithm_sum(const Expr& term, const Symbol& k, const Expr& from, const Expr& to, Signs& signs) {
  const Split s = split(term, k);
  if (!s.base.is_integer(1) || s.power != 0 || !is_call_of(s.rest, "log")) return std::nullopt;
  const Expr u = factor(combine_fractions(s.rest.operands()[0]));
  Expr sum = 0;
  Expr constant = leading_number(u);
  bool fine = true;
  for_each_factor(u, [&](const Expr& b, const Expr& e) {
    if (!fine) return;
    if (!depends_on(b, k)) {
      constant *= power(b, e);
      return;
    }
    const auto l = linear_in(b, k);
    fine = l && !depends_on(e, k);
    if (!fine) return;
    // the logarithms of k + a are real where the first one is
    const Expr a = l->constant / l->slope;
    fine = signs.of(l->slope) > 0 && signs.of(from + a) > 0;
    constant *= pow(l->slope, e);
    sum += e * (lgamma(to + 1 + a) - lgamma(from + a));
  });
  if (!fine) return std::nullopt;
  return s.constant * (sum + (constant.is_integer(1) ? Expr(0) : log(constant) * (to - from + 1)));
}

}  // namespace boreon::sums
