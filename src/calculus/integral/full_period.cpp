// SPDX-License-Identifier: MIT
// Powers of 1/(a + b*cos(x) + c*sin(x)) over whole periods: GR 3.661.4, by the residue inside the unit circle. Where
// a^2 < b^2 + c^2 the denominator vanishes inside and the integral diverges.
#include <algorithm>
#include <initializer_list>

#include "boreon/algebra.hpp"
#include "boreon/bindings.hpp"
#include "boreon/calculus.hpp"
#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "calculus/integral/attempt.hpp"
#include "calculus/integral/definite.hpp"
#include "calculus/integral/factors.hpp"
#include "calculus/integral/integrator.hpp"

namespace boreon {
namespace {

struct Wave {
  Expr constant;
  Expr cosine;
  Expr sine;
  int turns = 1;  // of the waves while x goes once round
};

// a + b*cos(n*x) + c*sin(n*x) with n = 1, or n = 2 by squares and products of sine and cosine.
std::optional<Wave> wave_of(const Expr& u, const Symbol& x) {
  const Symbol c("_c");
  const Symbol s("_s");
  Rebuild pass([&](const Expr& n, Expr& result) {
    if (!(n == cos(x)) && !(n == sin(x))) return false;
    result = n == cos(x) ? c : s;
    return true;
  });
  const Expr g = pass(u);
  if (depends_on(g, x)) return std::nullopt;
  const auto by_sine = polynomial_in(g, s, 2);
  if (!by_sine) return std::nullopt;
  Expr k[3][3];  // of s^i*c^j
  for (std::size_t i = 0; i < by_sine->size(); ++i) {
    const auto by_cosine = polynomial_in((*by_sine)[i], c, 2);
    if (!by_cosine) return std::nullopt;
    for (std::size_t j = 0; j < by_cosine->size(); ++j) k[i][j] = (*by_cosine)[j];
  }
  const auto none = [&](std::initializer_list<const Expr*> list) {
    return std::all_of(list.begin(), list.end(), [](const Expr* e) { return e->is_integer(0); });
  };
  if (!none({&k[2][1], &k[1][2], &k[2][2]})) return std::nullopt;
  if (none({&k[2][0], &k[0][2], &k[1][1]})) return Wave{k[0][0], k[0][1], k[1][0], 1};
  if (!none({&k[0][1], &k[1][0]})) return std::nullopt;
  return Wave{k[0][0] + (k[0][2] + k[2][0]) / 2, (k[0][2] - k[2][0]) / 2, k[1][1] / 2, 2};
}

}  // namespace

Attempt by_full_period(const DefiniteProblem& p, const DefiniteSearch& search) {
  const auto f = families::factors_of(p.integrand, p.x);
  if (!f.power.is_integer(0) || f.others.size() != 1) return {};
  const auto m = (-f.others[0].second).word();
  if (!m || *m < 1 || *m > 4) return {};
  const auto w = wave_of(f.others[0].first, p.x);
  if (!w) return {};
  // over half a turn it is half of it if the integrand is even
  const Expr length = p.to - p.from;
  const Expr turns = w->turns * length / (2 * pi());
  const auto whole = turns.word();
  const auto halves = (2 * turns).word();
  const bool even = w->sine.is_integer(0) && p.from.is_integer(0);
  if (!(whole && *whole > 0) && !(even && halves && *halves > 0)) return {};
  Signs& signs = search.signs;
  const Expr a = w->constant;
  const Expr d = expand(a * a - w->cosine * w->cosine - w->sine * w->sine);
  const int sign_of_d = signs.of(d);
  if (sign_of_d == 0) return {};
  if (sign_of_d < 0)
    return search.principal_value ? Attempt{} : Attempt::divergent("where the denominator vanishes, inside the range");
  const int sign = signs.of(a);
  if (sign == 0) return {};
  // 1/u^m is a derivative of 1/u by a
  const Symbol s("_a");
  Expr value = power(power(s, 2) - (a * a - d), Expr(-1) / 2);
  for (std::int64_t k = 1; k < *m; ++k) value = -derivative(value, s) / Expr(k);
  value = substitute(value, {{s, a}}, Unused::allowed);
  return Attempt::of(f.constant * length * Expr(sign) * value, "the residue inside the unit circle");
}

}  // namespace boreon
