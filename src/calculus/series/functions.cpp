// SPDX-License-Identifier: MIT
// What single functions do at their singular places and at infinity. Formula numbers: NIST Digital Library.
#include <array>
#include <initializer_list>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"
#include "boreon/symbol.hpp"
#include "calculus/series/expansion.hpp"

namespace boreon {
namespace {

constexpr int terms_at_zero = 16;
constexpr int terms_at_infinity = 7;

using Operands = std::span<const Expr>;

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
Expr cylinder_at_zero(const Expr& n, const Expr& x, int s) {
  Expr sum = 0;
  Expr coefficient = 1 / gamma(n + 1);
  for (int k = 0; k < terms_at_zero; ++k) {
    sum += coefficient * power(x, 2 * k);
    coefficient = coefficient * s / (Expr(4) * (k + 1) * (n + k + 1));
  }
  return power(x / 2, n) * sum;
}

// 10.8.1, 10.31.1: the second solutions of integer order
Expr second_cylinder_at_zero(std::int64_t n, const Expr& x, bool modified) {
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
  for (int k = 0; k < terms_at_zero; ++k) {
    tail += c * (Expr(harmonic) - 2 * egamma()) * power(x / 2, 2 * k + n);
    harmonic = harmonic + Number(1, k + 1) + Number(1, n + k + 1);
    c = c * (modified ? 1 : -1) / Expr((k + 1) * (n + k + 1));
  }
  if (!modified) return (2 * log(x / 2) * cylinder_at_zero(n, x, -1) - finite - tail) / pi();
  const int sign = n % 2 == 0 ? 1 : -1;
  return finite / 2 - sign * log(x / 2) * cylinder_at_zero(n, x, 1) + sign * tail / 2;
}

// 19.5.1, 19.5.2
Expr complete_elliptic_at_zero(const Expr& m, bool second_kind) {
  Expr sum = 0;
  Number c(1);
  for (int k = 0; k < terms_at_zero; ++k) {
    sum += Expr(second_kind ? c / Number(1 - 2 * k) : c) * power(m, k);
    const Number ratio(2 * k + 1, 2 * k + 2);
    c = c * ratio * ratio;
  }
  return pi() / 2 * sum;
}

// 8.7.3, and 8.8.2 down to E1 for whole orders that are not positive
Expr incomplete_gamma_at_zero(Operands a) {
  if (const auto n = a[0].word()) {
    if (*n == 0) return E1(a[1]);
    return (incomplete_gamma(a[0] + 1, a[1]) - power(a[1], a[0]) * exp(-a[1])) / a[0];
  }
  Expr sum = 0;
  Number c(1);
  for (int k = 0; k < 10; ++k) {
    sum += Expr(c) * power(a[1], k) / (a[0] + k);
    c = -c / Number(k + 1);
  }
  return gamma(a[0]) - power(a[1], a[0]) * sum;
}

Expr polylog_at_zero(Operands a) {
  Expr sum = 0;
  for (int k = 1; k <= 2 * terms_at_zero; ++k) sum += power(a[1], k) / power(k, a[0]);
  return sum;
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

// Sum of c_k*x^(-k) with c_{k+1} = c_k*ratio(k).
template <class Ratio>
Expr falling(const Expr& x, int step, Ratio ratio) {
  Expr sum = 0;
  Expr c = 1;
  for (int k = 0; k < terms_at_infinity; ++k) {
    sum += c * power(x, -step * k);
    c *= ratio(k);
  }
  return sum;
}

Expr erfc_tail(const Expr& u) {  // 7.12.1
  return exp(-power(u, 2)) / (u * sqrt(pi())) * falling(u, 2, [](int k) { return Expr(Number(-(2 * k + 1), 2)); });
}
Expr E1_tail(const Expr& u) {  // 6.12.1
  return exp(-u) / u * falling(u, 1, [](int k) { return Expr(-(k + 1)); });
}
Expr Ei_tail(const Expr& u) {  // 6.12.2
  return exp(u) / u * falling(u, 1, [](int k) { return Expr(k + 1); });
}
// f and g of 6.12.3, 6.12.4: Si = pi/2 - f*cos - g*sin, Ci = f*sin - g*cos
Expr auxiliary(const Expr& u, bool second) {
  return power(u, second ? -2 : -1) *
         falling(u, 2, [&](int k) { return Expr(-(2 * k + 1 + (second ? 1 : 0)) * (2 * k + 2 + (second ? 1 : 0))); });
}

Expr stirling_sum(const Expr& u) {  // 5.11.1
  return 1 / (12 * u) - 1 / (360 * power(u, 3)) + 1 / (1260 * power(u, 5)) - 1 / (1680 * power(u, 7));
}

// a_k(n) of 10.17.1 as the ratio a_{k+1}/a_k
Expr hankel_ratio(const Expr& n, int k) { return (4 * power(n, 2) - (2 * k + 1) * (2 * k + 1)) / (8 * (k + 1)); }

Expr oscillating_bessel(const Expr& n, const Expr& u, bool second) {  // 10.17.3, 10.17.4
  const Expr angle = u - n * pi() / 2 - pi() / 4;
  Expr even = 0;
  Expr odd = 0;
  Expr a = 1;
  for (int k = 0; k < terms_at_infinity; ++k) {
    (k % 2 == 0 ? even : odd) += a * power(u, -k) * (k / 2 % 2 == 0 ? 1 : -1);
    a *= hankel_ratio(n, k);
  }
  const Expr front = sqrt(2 / (pi() * u));
  return second ? front * (sin(angle) * even + cos(angle) * odd) : front * (cos(angle) * even - sin(angle) * odd);
}

struct InfinityRow {
  std::string_view name;
  Expr (*above)(Operands a);  // the varying argument, the last one, goes to infinity
  Expr (*below)(Operands a);  // to -infinity; null where that is outside the real domain or not known
};

constexpr int odd_function = 1;

const InfinityRow* infinity_row(std::string_view name) {
  static const InfinityRow rows[] = {
      {"atan", [](Operands a) { return pi() / 2 - atan(1 / a[0]); },
       [](Operands a) { return -pi() / 2 - atan(1 / a[0]); }},
      {"asinh", [](Operands a) { return log(a[0] + sqrt(power(a[0], 2) + 1)); },
       [](Operands a) { return -log(-a[0] + sqrt(power(a[0], 2) + 1)); }},
      {"acosh", [](Operands a) { return log(a[0] + sqrt(power(a[0], 2) - 1)); }, nullptr},
      {"erf", [](Operands a) { return 1 - erfc_tail(a[0]); }, [](Operands a) { return erfc_tail(-a[0]) - 1; }},
      {"erfc", [](Operands a) { return erfc_tail(a[0]); }, [](Operands a) { return 2 - erfc_tail(-a[0]); }},
      {"erfi",
       [](Operands a) {
         return exp(power(a[0], 2)) / (a[0] * sqrt(pi())) *
                falling(a[0], 2, [](int k) { return Expr(Number(2 * k + 1, 2)); });
       },
       [](Operands a) {
         return exp(power(a[0], 2)) / (a[0] * sqrt(pi())) *
                falling(a[0], 2, [](int k) { return Expr(Number(2 * k + 1, 2)); });
       }},
      {"dawson",
       [](Operands a) { return falling(a[0], 2, [](int k) { return Expr(Number(2 * k + 1, 2)); }) / (2 * a[0]); },
       [](Operands a) { return falling(a[0], 2, [](int k) { return Expr(Number(2 * k + 1, 2)); }) / (2 * a[0]); }},
      {"E1", [](Operands a) { return E1_tail(a[0]); }, nullptr},
      {"Ei", [](Operands a) { return Ei_tail(a[0]); }, [](Operands a) { return -E1_tail(-a[0]); }},
      {"li", [](Operands a) { return Ei_tail(log(a[0])); }, nullptr},
      {"Shi", [](Operands a) { return (Ei_tail(a[0]) + E1_tail(a[0])) / 2; },
       [](Operands a) { return -(Ei_tail(-a[0]) + E1_tail(-a[0])) / 2; }},
      {"Chi", [](Operands a) { return (Ei_tail(a[0]) - E1_tail(a[0])) / 2; }, nullptr},
      {"Si",
       [](Operands a) { return pi() / 2 - auxiliary(a[0], false) * cos(a[0]) - auxiliary(a[0], true) * sin(a[0]); },
       [](Operands a) { return -pi() / 2 - auxiliary(a[0], false) * cos(a[0]) - auxiliary(a[0], true) * sin(a[0]); }},
      {"Ci", [](Operands a) { return auxiliary(a[0], false) * sin(a[0]) - auxiliary(a[0], true) * cos(a[0]); },
       nullptr},
      {"fresnel_S",
       [](Operands a) {
         return Expr(1) / 2 - cos(pi() * power(a[0], 2) / 2) / (pi() * a[0]) -
                sin(pi() * power(a[0], 2) / 2) / (power(pi(), 2) * power(a[0], 3));
       },
       [](Operands a) {
         return Expr(-1) / 2 - cos(pi() * power(a[0], 2) / 2) / (pi() * a[0]) -
                sin(pi() * power(a[0], 2) / 2) / (power(pi(), 2) * power(a[0], 3));
       }},
      {"fresnel_C",
       [](Operands a) {
         return Expr(1) / 2 + sin(pi() * power(a[0], 2) / 2) / (pi() * a[0]) -
                cos(pi() * power(a[0], 2) / 2) / (power(pi(), 2) * power(a[0], 3));
       },
       [](Operands a) {
         return Expr(-1) / 2 + sin(pi() * power(a[0], 2) / 2) / (pi() * a[0]) -
                cos(pi() * power(a[0], 2) / 2) / (power(pi(), 2) * power(a[0], 3));
       }},
      {"gamma",
       [](Operands a) { return exp((a[0] - Expr(1) / 2) * log(a[0]) - a[0] + stirling_sum(a[0])) * sqrt(2 * pi()); },
       nullptr},
      {"lgamma",
       [](Operands a) { return (a[0] - Expr(1) / 2) * log(a[0]) - a[0] + log(2 * pi()) / 2 + stirling_sum(a[0]); },
       nullptr},
      {"digamma",
       [](Operands a) {
         return log(a[0]) - 1 / (2 * a[0]) - 1 / (12 * power(a[0], 2)) + 1 / (120 * power(a[0], 4)) -
                1 / (252 * power(a[0], 6));
       },  // 5.11.2
       nullptr},
      {"zeta", [](Operands a) { return 1 + exp(-a[0] * log(Expr(2))) + exp(-a[0] * log(Expr(3))); }, nullptr},
      {"cyl_bessel_k",
       [](Operands a) {
         return sqrt(pi() / (2 * a[1])) * exp(-a[1]) * falling(a[1], 1, [&](int k) { return hankel_ratio(a[0], k); });
       },  // 10.40.2
       nullptr},
      {"cyl_bessel_i",
       [](Operands a) {
         return exp(a[1]) / sqrt(2 * pi() * a[1]) * falling(a[1], 1, [&](int k) { return -hankel_ratio(a[0], k); });
       },
       nullptr},  // 10.40.1
      {"cyl_bessel_j", [](Operands a) { return oscillating_bessel(a[0], a[1], false); }, nullptr},
      {"cyl_neumann", [](Operands a) { return oscillating_bessel(a[0], a[1], true); }, nullptr},
      {"airy_Ai",
       [](Operands a) {  // 9.7.5
         const Expr z = 2 * power(a[0], Expr(3) / 2) / 3;
         return exp(-z) / (2 * sqrt(pi()) * power(a[0], Expr(1) / 4)) *
                (1 - 5 / (72 * z) + 385 / (10368 * power(z, 2)));
       },
       nullptr},
      {"airy_Bi",
       [](Operands a) {  // 9.7.7
         const Expr z = 2 * power(a[0], Expr(3) / 2) / 3;
         return exp(z) / (sqrt(pi()) * power(a[0], Expr(1) / 4)) * (1 + 5 / (72 * z) + 385 / (10368 * power(z, 2)));
       },
       nullptr},
      {"incomplete_gamma",
       [](Operands a) {
         return exp(-a[1]) * power(a[1], a[0] - 1) * falling(a[1], 1, [&](int k) { return a[0] - 1 - k; });
       },  // 8.11.2
       nullptr},
      {"dilog", nullptr,
       [](Operands a) { return -power(pi(), 2) / 6 - power(log(-a[0]), 2) / 2 - dilog(1 / a[0]); }},  // 25.12.4
  };
  for (const InfinityRow& r : rows) {
    if (r.name == name) return &r;
  }
  return nullptr;
}

}  // namespace

std::optional<Expr> form_at_infinity(const Expr& e, int sign) {
  const InfinityRow* row = infinity_row(e.function().name);
  if (row == nullptr) return std::nullopt;
  const auto f = sign > 0 ? row->above : row->below;
  if (f == nullptr) return std::nullopt;
  return f(e.operands());
}

std::optional<Expr> regular_form(const Expr& e, const Expr& place) {
  const auto name = e.function().name;
  const Operands a = e.operands();
  struct Row {
    std::string_view name;
    std::optional<Expr> (*form)(Operands a, const Expr& place);
  };
  using Result = std::optional<Expr>;
  static const Row rows[] = {
      {"gamma",
       [](Operands x, const Expr& p) -> Result {
         return nonpositive_integer(p) ? Result(gamma_shift(x, p)) : std::nullopt;
       }},
      {"digamma",
       [](Operands x, const Expr& p) -> Result {
         return nonpositive_integer(p) ? Result(digamma_shift(x, p)) : std::nullopt;
       }},
      {"lgamma",
       [](Operands x, const Expr& p) -> Result {
         return nonpositive_integer(p) ? Result(log(abs(gamma_shift(x, p)))) : std::nullopt;
       }},
      {"polygamma",
       [](Operands x, const Expr& p) -> Result {
         return x[0].word() && nonpositive_integer(p) ? Result(polygamma_shift(x, p)) : std::nullopt;
       }},
      {"beta", [](Operands x, const Expr&) -> Result { return gamma(x[0]) * gamma(x[1]) / gamma(x[0] + x[1]); }},
      {"li",
       [](Operands x, const Expr& p) -> Result { return p.is_integer(1) ? Result(Ei(log(x[0]))) : std::nullopt; }},
      {"atanh",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(1) || p.is_integer(-1) ? Result(log((1 + x[0]) / (1 - x[0])) / 2) : std::nullopt;
       }},
      {"cyl_bessel_j",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) && x[0].is_number() ? Result(cylinder_at_zero(x[0], x[1], -1)) : std::nullopt;
       }},
      {"cyl_bessel_i",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) && x[0].is_number() ? Result(cylinder_at_zero(x[0], x[1], 1)) : std::nullopt;
       }},
      {"cyl_neumann",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) && x[0].word() && *x[0].word() >= 0 && *x[0].word() < 20
                    ? Result(second_cylinder_at_zero(*x[0].word(), x[1], false))
                    : std::nullopt;
       }},
      {"cyl_bessel_k",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) && x[0].word() && *x[0].word() >= 0 && *x[0].word() < 20
                    ? Result(second_cylinder_at_zero(*x[0].word(), x[1], true))
                    : std::nullopt;
       }},
      {"elliptic_K",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) ? Result(complete_elliptic_at_zero(x[0], false)) : std::nullopt;
       }},
      {"elliptic_E",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) && x.size() == 1 ? Result(complete_elliptic_at_zero(x[0], true)) : std::nullopt;
       }},
      {"incomplete_gamma",
       [](Operands x, const Expr& p) -> Result {
         return p.is_integer(0) && !is_positive(x[0]) ? Result(incomplete_gamma_at_zero(x)) : std::nullopt;
       }},
      {"polylog",
       [](Operands x, const Expr& p) -> Result { return p.is_integer(0) ? Result(polylog_at_zero(x)) : std::nullopt; }},
      {"legendre",
       [](Operands x, const Expr&) -> Result {
         return x[0].word() && *x[0].word() >= 0 && *x[0].word() <= 64
                    ? Result(orthogonal_polynomial(*x[0].word(), x[1], false))
                    : std::nullopt;
       }},
      {"hermite",
       [](Operands x, const Expr&) -> Result {
         return x[0].word() && *x[0].word() >= 0 && *x[0].word() <= 64
                    ? Result(orthogonal_polynomial(*x[0].word(), x[1], true))
                    : std::nullopt;
       }},
      {"exp2", [](Operands x, const Expr&) -> Result { return exp(x[0] * log(Expr(2))); }},
      {"expm1", [](Operands x, const Expr&) -> Result { return exp(x[0]) - 1; }},
      {"log1p", [](Operands x, const Expr&) -> Result { return log(1 + x[0]); }},
      {"log2", [](Operands x, const Expr&) -> Result { return log(x[0]) / log(Expr(2)); }},
      {"log10", [](Operands x, const Expr&) -> Result { return log(x[0]) / log(Expr(10)); }},
      {"hypot",
       [](Operands x, const Expr&) -> Result {
         return x.size() == 2 ? Result(sqrt(power(x[0], 2) + power(x[1], 2))) : std::nullopt;
       }},
  };
  for (const Row& r : rows) {
    if (r.name == name) return r.form(a, place);
  }
  return std::nullopt;
}

std::optional<Expr> finite_constant(const Expr& e, const Expr& place) {
  if (!place.is_integer(0)) return std::nullopt;
  const Symbol scale("_scale");
  const auto name = e.function().name;
  if (name == "E1") return -egamma() - log(scale);                                       // 6.6.2
  if (name == "Ei" || name == "Chi" || name == "Ci") return egamma() + log(abs(scale));  // 6.6.1, 6.6.6
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
