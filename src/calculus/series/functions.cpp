// SPDX-License-Identifier: MIT
// What single functions do at their singular places. Formula numbers: NIST Digital Library.
#include <array>
#include <initializer_list>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {
namespace {

using Operands = std::span<const Expr>;

// What is left out of a sum of powers of x from the n-th power of a factor on.
Expr left_out(const Cut& cut, const Expr& x) { return cut.rest * power(x, cut.terms); }

bool nonpositive_integer(const Expr& e) { return e.word() && *e.word() <= 0; }

Expr gamma_shift(Operands a, const Expr& place) {  // 5.5.1
  Expr product = 1;
  for (std::int64_t k = 0; k <= -*place.word(); ++k) product *= a[0] + k;
  return gamma(a[0] + (1 - *place.word())) / product;
}

Expr digamma_shift(Operands a, const Expr& place) {  // 5.5.2
  Expr sum = digamma(a[0] + (1 - *place.word()));
  for (std::int64_t k = 0; k <= -*place.word(); ++k) sum -= 1 / (a[0] + k);
  return sum;
}

Expr polygamma_shift(Operands a, const Expr& place) {  // 5.15.5
  const std::int64_t m = *a[0].word();
  Expr factorial = m % 2 == 0 ? 1 : -1;
  for (std::int64_t k = 2; k <= m; ++k) factorial *= k;
  Expr sum = polygamma(a[0], a[1] + (1 - *place.word()));
  for (std::int64_t k = 0; k <= -*place.word(); ++k) sum -= factorial / power(a[1] + k, m + 1);
  return sum;
}

// (x/2)^n times the sum of (s*x^2/4)^k/(k!*gamma(n + k + 1)): 10.2.2, 10.25.2
Expr cylinder_at_zero(const Expr& n, const Expr& x, int s, const Cut& cut) {
  Expr sum = 0;
  Expr coefficient = 1 / gamma(n + 1);
  for (int k = 0; k < cut.terms; ++k) {
    sum += coefficient * power(x, 2 * k);
    coefficient = coefficient * s / (Expr(4) * (k + 1) * (n + k + 1));
  }
  return power(x / 2, n) * (sum + left_out(cut, power(x, 2)));
}

// Orders for which that holds: numbers, and symbols that stand for no negative whole number.
bool has_power_at_zero(const Expr& n) { return n.is_number() || (is_real(n) && (is_nonnegative(n) || !is_integer(n))); }

// 10.8.1, 10.31.1: the second solutions of integer order
Expr second_cylinder_at_zero(std::int64_t n, const Expr& x, bool modified, const Cut& cut) {
  Expr finite = 0;
  Expr coefficient = 1;
  for (std::int64_t k = 2; k < n; ++k) coefficient *= k;
  for (std::int64_t k = 0; k < n; ++k) {
    finite += coefficient * power(x / 2, 2 * k - n);
    if (k + 1 < n) coefficient = coefficient * (modified ? -1 : 1) / Expr((k + 1) * (n - k - 1));
  }
  Expr tail = 0;
  Number harmonic(0);
  for (std::int64_t k = 1; k <= n; ++k) harmonic = harmonic + Number(1, k);  // H_k + H_{n+k} at k = 0
  Expr c = 1;
  for (std::int64_t k = 2; k <= n; ++k) c = c / k;
  for (int k = 0; k < cut.terms; ++k) {
    tail += c * (Expr(harmonic) - 2 * egamma()) * power(x / 2, 2 * k + n);
    harmonic = harmonic + Number(1, k + 1) + Number(1, n + k + 1);
    c = c * (modified ? 1 : -1) / Expr((k + 1) * (n + k + 1));
  }
  tail += cut.rest * power(x, 2 * cut.terms + n);
  if (!modified) return (2 * log(x / 2) * cylinder_at_zero(n, x, -1, cut) - finite - tail) / pi();
  const int sign = n % 2 == 0 ? 1 : -1;
  return finite / 2 - sign * log(x / 2) * cylinder_at_zero(n, x, 1, cut) + sign * tail / 2;
}

// 19.5.1, 19.5.2
Expr complete_elliptic_at_zero(const Expr& m, bool second_kind, const Cut& cut) {
  Expr sum = 0;
  Number c(1);
  for (int k = 0; k < cut.terms; ++k) {
    sum += Expr(second_kind ? c / Number(1 - 2 * k) : c) * power(m, k);
    const Number ratio(2 * k + 1, 2 * k + 2);
    c = c * ratio * ratio;
  }
  return pi() / 2 * (sum + left_out(cut, m));
}

// 19.12.1, 19.12.2, with d(k) = digamma(1 + k) - digamma(1/2 + k)
Expr complete_elliptic_at_one(const Expr& m, bool second_kind, const Cut& cut) {
  const Expr y = 1 - m;
  const Expr far = -log(y) / 2;
  Expr sum = second_kind ? 1 : 0;
  Number c = second_kind ? Number(1, 2) : Number(1);
  Expr d = 2 * log(Expr(2));
  for (int k = 0; k < cut.terms; ++k) {
    const Number step(1, static_cast<std::int64_t>(2 * k + 1) * (2 * k + 2));
    if (second_kind) {
      sum += Expr(c) * power(y, k + 1) * (far + d - Expr(step));
      c = c * Number(2 * k + 1, 2) * Number(2 * k + 3, 2) / Number(static_cast<std::int64_t>(k + 2) * (k + 1));
    } else {
      sum += Expr(c) * power(y, k) * (far + d);
      const Number ratio(2 * k + 1, 2 * k + 2);
      c = c * ratio * ratio;
    }
    d -= 2 * Expr(step);
  }
  return sum + cut.rest * power(y, cut.terms) * far;
}

// 8.7.3, and 8.8.2 down to E1 for whole orders that are not positive
Expr incomplete_gamma_at_zero(Operands a, const Cut& cut) {
  if (const auto n = a[0].word()) {
    if (*n == 0) return E1(a[1]);
    return (incomplete_gamma(a[0] + 1, a[1]) - power(a[1], a[0]) * exp(-a[1])) / a[0];
  }
  Expr sum = 0;
  Number c(1);
  for (int k = 0; k < cut.terms; ++k) {
    sum += Expr(c) * power(a[1], k) / (a[0] + k);
    c = -c / Number(k + 1);
  }
  return gamma(a[0]) - power(a[1], a[0]) * (sum + left_out(cut, a[1]));
}

Expr polylog_at_zero(Operands a, const Cut& cut) {
  Expr sum = 0;
  for (int k = 1; k < cut.terms; ++k) sum += power(a[1], k) / power(k, a[0]);
  return sum + left_out(cut, a[1]);
}

// In u = log(x), with the power or logarithm of -u: 25.12.12, and its limit for whole orders.
Expr polylog_at_one(Operands a, const Cut& cut) {
  const Expr& s = a[0];
  const Expr u = log(a[1]);
  const auto whole = s.word();
  Expr sum = 0;
  Number factorial(1);
  for (int k = 0; k < std::max(cut.terms, 2); ++k) {
    if (k > 0) factorial = factorial * Number(k);
    if (whole && k == *whole - 1) {
      Expr harmonic = 0;
      for (int j = 1; j <= k; ++j) harmonic += Expr(Number(1, j));
      sum += power(u, k) * (harmonic - log(-u)) / Expr(factorial);
    } else {
      sum += zeta(s - k) * power(u, k) / Expr(factorial);
    }
  }
  if (!(whole && *whole >= 1)) sum += gamma(1 - s) * power(-u, s - 1);
  return sum + left_out(cut, u);
}

// By the three-term recurrences 18.9.1.
Expr orthogonal_polynomial(std::int64_t n, const Expr& x, bool hermite) {
  Expr p = 1;
  Expr q = hermite ? 2 * x : x;
  for (std::int64_t k = 1; k < n; ++k) {
    Expr next = hermite ? 2 * x * q - 2 * k * p : ((2 * k + 1) * x * q - k * p) / (k + 1);
    p = std::move(q);
    q = std::move(next);
  }
  return n == 0 ? p : q;
}

}  // namespace

std::optional<Expr> regular_form(const Expr& e, const Expr& place, const Cut& wanted) {
  const auto name = e.function().name;
  const Operands a = e.operands();
  struct Row {
    std::string_view name;
    std::optional<Expr> (*form)(Operands a, const Expr& place, const Cut& cut);
  };
  using Result = std::optional<Expr>;
  static const Row rows[] = {
      {"gamma",
       [](Operands x, const Expr& p, const Cut&) -> Result {
         return nonpositive_integer(p) ? Result(gamma_shift(x, p)) : std::nullopt;
       }},
      {"digamma",
       [](Operands x, const Expr& p, const Cut&) -> Result {
         return nonpositive_integer(p) ? Result(digamma_shift(x, p)) : std::nullopt;
       }},
      {"lgamma",
       [](Operands x, const Expr& p, const Cut&) -> Result {
         return nonpositive_integer(p) ? Result(log(abs(gamma_shift(x, p)))) : std::nullopt;
       }},
      {"polygamma",
       [](Operands x, const Expr& p, const Cut&) -> Result {
         return x[0].word() && nonpositive_integer(p) ? Result(polygamma_shift(x, p)) : std::nullopt;
       }},
      {"beta",
       [](Operands x, const Expr&, const Cut&) -> Result { return gamma(x[0]) * gamma(x[1]) / gamma(x[0] + x[1]); }},
      {"li",
       [](Operands x, const Expr& p, const Cut&) -> Result {
         return p.is_integer(1) ? Result(Ei(log(x[0]))) : std::nullopt;
       }},
      {"atanh",
       [](Operands x, const Expr& p, const Cut&) -> Result {
         return p.is_integer(1) || p.is_integer(-1) ? Result((log(1 + x[0]) - log(1 - x[0])) / 2) : std::nullopt;
       }},
      {"cyl_bessel_j",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         return p.is_integer(0) && has_power_at_zero(x[0]) ? Result(cylinder_at_zero(x[0], x[1], -1, cut))
                                                           : std::nullopt;
       }},
      {"cyl_bessel_i",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         return p.is_integer(0) && has_power_at_zero(x[0]) ? Result(cylinder_at_zero(x[0], x[1], 1, cut))
                                                           : std::nullopt;
       }},
      {"cyl_neumann",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         return p.is_integer(0) && x[0].word() && *x[0].word() >= 0 && *x[0].word() < 20
                    ? Result(second_cylinder_at_zero(*x[0].word(), x[1], false, cut))
                    : std::nullopt;
       }},
      {"cyl_bessel_k",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         return p.is_integer(0) && x[0].word() && *x[0].word() >= 0 && *x[0].word() < 20
                    ? Result(second_cylinder_at_zero(*x[0].word(), x[1], true, cut))
                    : std::nullopt;
       }},
      {"elliptic_K",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         if (p.is_integer(1)) return complete_elliptic_at_one(x[0], false, cut);
         return p.is_integer(0) ? Result(complete_elliptic_at_zero(x[0], false, cut)) : std::nullopt;
       }},
      {"elliptic_E",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         if (p.is_integer(1) && x.size() == 1) return complete_elliptic_at_one(x[0], true, cut);
         return p.is_integer(0) && x.size() == 1 ? Result(complete_elliptic_at_zero(x[0], true, cut)) : std::nullopt;
       }},
      {"incomplete_gamma",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         return p.is_integer(0) && !is_positive(x[0]) ? Result(incomplete_gamma_at_zero(x, cut)) : std::nullopt;
       }},
      {"polylog",
       [](Operands x, const Expr& p, const Cut& cut) -> Result {
         if (p.is_integer(0)) return polylog_at_zero(x, cut);
         return p.is_integer(1) && x[0].is_number() && x[0].number().is_exact() ? Result(polylog_at_one(x, cut))
                                                                                : std::nullopt;
       }},
      {"legendre",
       [](Operands x, const Expr&, const Cut&) -> Result {
         return x[0].word() && *x[0].word() >= 0 && *x[0].word() <= 64
                    ? Result(orthogonal_polynomial(*x[0].word(), x[1], false))
                    : std::nullopt;
       }},
      {"hermite",
       [](Operands x, const Expr&, const Cut&) -> Result {
         return x[0].word() && *x[0].word() >= 0 && *x[0].word() <= 64
                    ? Result(orthogonal_polynomial(*x[0].word(), x[1], true))
                    : std::nullopt;
       }},
      {"exp2", [](Operands x, const Expr&, const Cut&) -> Result { return exp(x[0] * log(Expr(2))); }},
      {"expm1", [](Operands x, const Expr&, const Cut&) -> Result { return exp(x[0]) - 1; }},
      {"log1p", [](Operands x, const Expr&, const Cut&) -> Result { return log(1 + x[0]); }},
      {"log2", [](Operands x, const Expr&, const Cut&) -> Result { return log(x[0]) / log(Expr(2)); }},
      {"log10", [](Operands x, const Expr&, const Cut&) -> Result { return log(x[0]) / log(Expr(10)); }},
      {"hypot",
       [](Operands x, const Expr&, const Cut&) -> Result {
         return x.size() == 2 ? Result(sqrt(power(x[0], 2) + power(x[1], 2))) : std::nullopt;
       }},
  };
  for (const Row& r : rows) {
    if (r.name == name) return r.form(a, place, wanted);
  }
  return std::nullopt;
}

std::optional<Expr> finite_constant(const Expr& e, const Expr& place) {
  if (!place.is_integer(0)) return std::nullopt;
  const Symbol scale("_scale");
  const auto name = e.function().name;
  if (name == "E1") return -egamma() - log(scale);                  // 6.6.2
  if (name == "Chi" || name == "Ci") return egamma() + log(scale);  // 6.6.6
  if (name == "Ei") return egamma() + log(abs(scale));              // 6.6.1, real on both half axes
  return std::nullopt;
}

bool is_integral_like(const Expr& e) {
  static constexpr std::array names{
      "atan",      "asin", "acos", "asinh", "acosh", "atanh", "erf",       "erfc",      "erfi",  "Si",
      "Ci",        "Shi",  "Chi",  "E1",    "Ei",    "li",    "fresnel_S", "fresnel_C", "dilog", "incomplete_gamma",
      "elliptic_F"};
  for (const char* n : names) {
    if (e.function().name == n) return true;
  }
  return e.function().name == "elliptic_E" && e.operands().size() == 2;
}

}  // namespace boreon
