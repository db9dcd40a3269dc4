// SPDX-License-Identifier: MIT
// Families of waves: over powers on the half line, with quadratic phases on the line, over a period with a denominator
// or an exponential. Formula numbers: NIST Digital Library, or GR: Gradshteyn and Ryzhik, 8th edition.
#include <algorithm>

#include "algebra/linear_terms.hpp"
#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/functions.hpp"
#include "boreon/simplify.hpp"
#include "boreon/traverse.hpp"
#include "calculus/integral/factors.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon::families {
namespace {

// c*x^-n*cos(k*x) or the sine; a term without wave is a cosine with k = 0.
struct WaveTerm {
  Expr c;
  std::int64_t n = 0;
  Expr k;
  bool sine = false;
};

std::optional<std::vector<WaveTerm>> wave_terms(const Expr& f, const Symbol& x) {
  constexpr std::int64_t highest = 12;
  std::vector<WaveTerm> out;
  for (const Expr& term : terms_of(expand(combine_angles(f)))) {
    const Factors p = factors_of(term, x);
    const auto n = p.power.word();
    if (!n || *n > -1 || *n < -highest || p.others.size() > 1) return std::nullopt;
    WaveTerm w{p.constant, -*n, 0, false};
    if (!p.others.empty()) {
      const auto& [base, exponent] = p.others[0];
      w.sine = is_call_of(base, "sin");
      if ((!w.sine && !is_call_of(base, "cos")) || !exponent.is_integer(1)) return std::nullopt;
      const auto l = linear_in(base.operands()[0], x);
      if (!l || !l->constant.is_integer(0) || !is_real(l->slope)) return std::nullopt;
      w.k = l->slope;
    }
    out.push_back(w);
  }
  return out;
}

// Whether what is not integrable at zero cancels: every power below x^0 of the sum.
bool regular_at_zero(const std::vector<WaveTerm>& terms) {
  std::int64_t lowest = 0;
  for (const WaveTerm& w : terms) lowest = std::max(lowest, w.n);
  for (std::int64_t power_of_x = -lowest; power_of_x < 0; ++power_of_x) {
    Expr sum = 0;
    for (const WaveTerm& w : terms) {
      const std::int64_t j = power_of_x + w.n;  // the power of k*x in the wave
      if (j < 0 || (j % 2 == 1) != w.sine) continue;
      sum += w.c * (j == 0 ? Expr(1) : power(w.k, j)) * ((j / 2) % 2 == 0 ? 1 : -1) / factorial(j);
    }
    if (!vanishes(sum)) return false;
  }
  return true;
}

}  // namespace

// Each term by 5.9.5 and 5.9.6 continued in the exponent; the poles cancel with what is singular at zero.
Result waves_over_powers(const Expr& f, const Symbol& x) {
  const auto terms = wave_terms(f, x);
  if (!terms || terms->size() > 20 || !regular_at_zero(*terms)) return std::nullopt;
  Expr value = 0;
  for (const WaveTerm& w : *terms) {
    if (w.k.is_integer(0)) {
      if (w.n == 1) return std::nullopt;  // diverges far out
      continue;
    }
    const std::int64_t m = w.n / 2;
    const Expr front = w.c * (m % 2 == 0 ? 1 : -1) / factorial(w.n - 1);
    const Expr size = power(abs(w.k), w.n - 1);
    if ((w.n % 2 == 1) == w.sine) {
      value += front * pi() / 2 * size * (w.sine ? Expr(sign(w.k)) : Expr(1));
      continue;
    }
    Number harmonic(0);
    for (std::int64_t j = 1; j < w.n; ++j) harmonic = harmonic + Number(1, j);
    // harmonic numbers stay where terms of several powers share a pole
    const Expr logarithm = log(abs(w.k)) - Expr(harmonic);
    value += w.sine ? front * size * sign(w.k) * logarithm : -front * size * logarithm;
  }
  return value;
}

// cos(a*x^2 + b*x + c), the sine and exp(i*(...)) over the line, also times what does not vary: 7.2.7 after completing
// the square
Result quadratic_phase(const Expr& f, const Symbol& x, Signs& signs) {
  Expr value = 0;
  for (const Expr& term : terms_of(expand(combine_angles(f)))) {
    const Factors p = factors_of(term, x);
    if (!p.power.is_integer(0) || p.others.size() != 1 || !p.others[0].second.is_integer(1)) return std::nullopt;
    const Expr& wave = p.others[0].first;
    const bool sine = is_call_of(wave, "sin");
    const bool turning = is_call_of(wave, "exp");
    if (!sine && !turning && !is_call_of(wave, "cos")) return std::nullopt;
    const Expr angle = turning ? expand(wave.operands()[0] / imaginary_unit()) : wave.operands()[0];
    const auto u = polynomial_in(angle, x, 2);
    if (!u || u->size() != 3 || !is_real(angle)) return std::nullopt;
    const int s = signs.of((*u)[2]);
    if (s == 0) return std::nullopt;
    const Expr phase = s * pi() / 4 + (*u)[0] - (*u)[1] * (*u)[1] / (4 * (*u)[2]);
    value += p.constant * sqrt(pi() / (s * (*u)[2])) *
             (sine      ? Expr(sin(phase))
              : turning ? exp(imaginary_unit() * phase)
                        : cos(phase));
  }
  return value;
}

// x^m*cos(c*x^p) and the sine on the half line: 5.9.6 and 5.9.7 after u = x^p
Result stretched_wave(const Factors& f, const Symbol& x, Signs& signs) {
  if (f.others.size() != 1 || !f.others[0].second.is_integer(1)) return std::nullopt;
  const Expr& wave = f.others[0].first;
  const bool sine = is_call_of(wave, "sin");
  if (!sine && !is_call_of(wave, "cos")) return std::nullopt;
  const Factors u = factors_of(wave.operands()[0], x);
  if (!u.others.empty() || u.power.is_integer(1) || u.power.is_integer(0)) return std::nullopt;
  if (!positive(signs, u.power) || !positive(signs, u.constant)) return std::nullopt;
  const Expr s = (f.power + 1) / u.power;
  if (!positive(signs, 1 - s) || !positive(signs, sine ? 1 + s : s)) return std::nullopt;
  const Expr angle = pi() * s / 2;
  return f.constant / u.power * power(u.constant, -s) * gamma(s) * (sine ? sin(angle) : cos(angle));
}

namespace {

// 1/(a + b*cos(x)) with a > abs(b).
struct PeriodicDenominator {
  Expr a;
  Expr b;
};
std::optional<PeriodicDenominator> periodic_denominator(const Expr& base, const Symbol& x, Signs& signs) {
  const Symbol c("_c");
  Rebuild pass([&](const Expr& n, Expr& r) {
    if (!(n == cos(x))) return false;
    r = c;
    return true;
  });
  const auto l = linear_in(pass(base), c);
  if (!l || l->slope.is_integer(0) || depends_on(l->slope, x) || depends_on(l->constant, x)) return std::nullopt;
  if (!positive(signs, l->constant) || !positive(signs, l->constant - l->slope) ||
      !positive(signs, l->constant + l->slope))
    return std::nullopt;
  return PeriodicDenominator{l->constant, l->slope};
}

}  // namespace

// Poisson's kernel: cos(n*x)/(a + b*cos(x)) and sin(n*x)*sin(x)/(a + b*cos(x)) over a period, GR 3.613
Result waves_over_cosine(const Expr& f, const Symbol& x, const Expr& length, Signs& signs) {
  Expr value = 0;
  for (const Expr& term : terms_of(f)) {
    Factors p = factors_of(term, x);
    const auto denominator = std::find_if(p.others.begin(), p.others.end(), [](const auto& o) {
      return o.first.is(Kind::sum) && o.second.is_integer(-1);
    });
    if (denominator == p.others.end() || !p.power.is_integer(0)) return std::nullopt;
    const auto d = periodic_denominator(denominator->first, x, signs);
    if (!d) return std::nullopt;
    const Expr root = sqrt(factor(d->a * d->a - d->b * d->b));
    const Expr ratio = (root - d->a) / d->b;
    for (const Expr& wave : terms_of(expand(combine_angles(term * denominator->first)))) {
      const Factors w = factors_of(wave, x);
      if (!w.power.is_integer(0) || w.others.size() > 1) return std::nullopt;
      Expr n = 0;
      if (!w.others.empty()) {
        const auto l =
            is_call_of(w.others[0].first, "cos") ? linear_in(w.others[0].first.operands()[0], x) : std::nullopt;
        if (!l || !l->constant.is_integer(0) || !is_integer(l->slope) || !w.others[0].second.is_integer(1))
          return std::nullopt;
        n = l->slope;
      }
      const auto known = signs.known(n);
      const Expr order = n.is_integer(0) ? Expr(0) : known ? (*known < 0 ? -n : n) : abs(n);
      value += w.constant * length / root * power(ratio, order);
    }
  }
  return value;
}

// exp(z*cos(x))*cos(z*sin(x) - n*x) over a period: the coefficients of exp(z*w) on the circle, GR 3.915 and 3.936
Result exponential_on_circle(const Factors& f, const Symbol& x) {
  const auto* e = f.find("exp");
  const auto* c = f.find("cos");
  if (e == nullptr || c == nullptr || f.others.size() != 2 || !f.power.is_integer(0) || !e->second.is_integer(1) ||
      !c->second.is_integer(1))
    return std::nullopt;
  const Expr z = e->first.operands()[0] / cos(x);
  if (depends_on(z, x)) return std::nullopt;
  Expr rest = expand(c->first.operands()[0]);
  for (const int turned : {1, -1}) {
    const auto l = linear_in(expand(turned * rest - z * sin(x)), x);
    if (!l || !l->constant.is_integer(0)) continue;
    const Expr n = -l->slope;
    const auto k = n.word();
    if (k && *k >= 0) return f.constant * 2 * pi() * (*k == 0 ? Expr(1) : power(z, n)) / factorial(*k);
    if (k) return Expr(0);
    if (is_integer(n) && is_nonnegative(n)) return f.constant * 2 * pi() * power(z, n) / gamma(n + 1);
  }
  return std::nullopt;
}

}  // namespace boreon::families
