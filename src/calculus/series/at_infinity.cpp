// SPDX-License-Identifier: MIT
// What single functions do at infinity: exponentials, waves and powers, to any number of terms. Formula numbers: NIST
// Digital Library.
#include <algorithm>
#include <initializer_list>

#include "boreon/functions.hpp"
#include "calculus/series/expansion.hpp"
#include "expr/bernoulli.hpp"

namespace boreon {
namespace {

// Sum of c_k*x^(-step*k) with c_{k+1} = c_k*ratio(k), and what is left out.
template <class Ratio>
Expr falling(const Tail& t, const Expr& x, int step, Ratio ratio) {
  std::vector<Expr> sum;
  Expr c = 1;
  for (int k = 0; k < t.cut.terms; ++k) {
    sum.push_back(c * power(x, -step * k));
    c *= ratio(k);
    if (c.is_integer(0)) return add(sum);  // the series ends: nothing is left out
  }
  sum.push_back(t.cut.rest * power(x, -step * t.cut.terms));
  return add(sum);
}
template <class Ratio>
Expr falling(const Tail& t, int step, Ratio ratio) {
  return falling(t, t.u, step, ratio);
}

Expr erfc_tail(const Tail& t, const Expr& u) {  // 7.12.1
  return exp(-power(u, 2)) / (u * sqrt(pi())) * falling(t, u, 2, [](int k) { return Expr(Number(-(2 * k + 1), 2)); });
}
Expr E1_tail(const Tail& t, const Expr& u) {  // 6.12.1
  return exp(-u) / u * falling(t, u, 1, [](int k) { return Expr(-(k + 1)); });
}
Expr Ei_tail(const Tail& t, const Expr& u) {  // 6.12.2
  return exp(u) / u * falling(t, u, 1, [](int k) { return Expr(k + 1); });
}
Expr erfi_tail(const Tail& t) {
  return exp(power(t.u, 2)) / (t.u * sqrt(pi())) * falling(t, 2, [](int k) { return Expr(Number(2 * k + 1, 2)); });
}
Expr dawson_tail(const Tail& t) {  // 7.12.1 by 7.5.1
  return falling(t, 2, [](int k) { return Expr(Number(2 * k + 1, 2)); }) / (2 * t.u);
}

// f and g of 6.12.3, 6.12.4: Si = pi/2 - f*cos - g*sin, Ci = f*sin - g*cos
Expr auxiliary(const Tail& t, bool second) {
  const int s = second ? 1 : 0;
  return power(t.u, second ? -2 : -1) * falling(t, 2, [&](int k) { return Expr(-(2 * k + 1 + s) * (2 * k + 2 + s)); });
}

// f and g of 7.12.2, 7.12.3: C = 1/2 + f*sin - g*cos, S = 1/2 - f*cos - g*sin, of pi*u^2/2
Expr fresnel_auxiliary(const Tail& t, bool second) {
  const Expr z = pi() * power(t.u, 2) / 2;
  const int s = second ? 1 : 0;
  const Expr front = second ? 1 / (2 * z) : Expr(1);
  return front / (pi() * t.u) *
         falling(t, z, 2, [&](int k) { return Expr(Number(-(4 * k + 1 + 2 * s) * (4 * k + 3 + 2 * s), 4)); });
}

Expr stirling_sum(const Tail& t) {  // 5.11.1
  std::vector<Expr> sum;
  const int n = static_cast<int>(std::min<std::int64_t>(t.cut.terms, most_bernoulli));
  for (std::int64_t k = 1; k <= n; ++k)
    sum.push_back(Expr(even_bernoulli(k) / Number(2 * k * (2 * k - 1))) * power(t.u, 1 - 2 * k));
  sum.push_back(t.cut.rest * power(t.u, -1 - 2 * n));
  return add(sum);
}

Expr log_gamma(const Tail& t) { return (t.u - Expr(1) / 2) * log(t.u) - t.u + log(2 * pi()) / 2 + stirling_sum(t); }

Expr digamma_tail(const Tail& t) {  // 5.11.2
  std::vector<Expr> sum{log(t.u), -1 / (2 * t.u)};
  const int n = static_cast<int>(std::min<std::int64_t>(t.cut.terms, most_bernoulli));
  for (std::int64_t k = 1; k <= n; ++k) sum.push_back(Expr(-even_bernoulli(k) / Number(2 * k)) * power(t.u, -2 * k));
  sum.push_back(t.cut.rest * power(t.u, -2 - 2 * n));
  return add(sum);
}

Expr polygamma_tail(const Tail& t) {  // 5.15.8
  if (!t.a[0].word() || *t.a[0].word() < 1 || *t.a[0].word() > 1000) return undefined();
  const std::int64_t m = *t.a[0].word();
  Number factorial(1);  // (2k + m - 1)!/(2k)!, at first (m - 1)!
  for (std::int64_t k = 2; k < m; ++k) factorial = factorial * Number(k);
  std::vector<Expr> sum{Expr(factorial) * power(t.u, -m), Expr(factorial * Number(m, 2)) * power(t.u, -m - 1)};
  const int n = static_cast<int>(std::min<std::int64_t>(t.cut.terms, most_bernoulli));
  for (std::int64_t k = 1; k <= n; ++k) {
    factorial = factorial * Number(2 * k + m - 1) * Number(2 * k + m - 2) / Number(2 * k * (2 * k - 1));
    sum.push_back(Expr(even_bernoulli(k) * factorial) * power(t.u, -2 * k - m));
  }
  sum.push_back(t.cut.rest * power(t.u, -m - 2 - 2 * n));
  return (m % 2 == 0 ? -1 : 1) * add(sum);
}

// a_k(n) of 10.17.1 as the ratio a_{k+1}/a_k
Expr hankel_ratio(const Expr& n, int k) { return (4 * power(n, 2) - (2 * k + 1) * (2 * k + 1)) / (8 * (k + 1)); }

Expr oscillating_bessel(const Tail& t, bool second) {  // 10.17.3, 10.17.4
  const Expr& n = t.a[0];
  const Expr angle = t.u - n * pi() / 2 - pi() / 4;
  std::vector<Expr> even;
  std::vector<Expr> odd;
  Expr a = 1;
  for (int k = 0; k < t.cut.terms && !a.is_integer(0); ++k) {
    (k % 2 == 0 ? even : odd).push_back(a * power(t.u, -k) * (k / 2 % 2 == 0 ? 1 : -1));
    a *= hankel_ratio(n, k);
  }
  if (!a.is_integer(0)) {
    even.push_back(t.cut.rest * power(t.u, -t.cut.terms));
    odd.push_back(t.cut.rest * power(t.u, -t.cut.terms));
  }
  const Expr front = sqrt(2 / (pi() * t.u));
  return second ? front * (sin(angle) * add(even) + cos(angle) * add(odd))
                : front * (cos(angle) * add(even) - sin(angle) * add(odd));
}

// u_k of 9.7.2 as the ratio u_{k+1}/u_k
Expr airy_ratio(int k) { return Expr(Number((6 * k + 5) * (6 * k + 3) * (6 * k + 1), 216 * (k + 1) * (2 * k + 1))); }

Expr airy_above(const Tail& t, bool second) {  // 9.7.5, 9.7.7
  const Expr z = 2 * power(t.u, Expr(3) / 2) / 3;
  const int s = second ? 1 : -1;
  return exp(s * z) / ((second ? 1 : 2) * sqrt(pi()) * power(t.u, Expr(1) / 4)) *
         falling(t, z, 1, [&](int k) { return s * airy_ratio(k); });
}

Expr airy_below(const Tail& t, bool second) {  // 9.7.9, 9.7.11
  const Expr x = -t.u;
  const Expr z = 2 * power(x, Expr(3) / 2) / 3;
  std::vector<Expr> even;
  std::vector<Expr> odd;
  Expr u = 1;
  for (int k = 0; k < t.cut.terms; ++k) {
    (k % 2 == 0 ? even : odd).push_back(u * power(z, -k) * (k / 2 % 2 == 0 ? 1 : -1));
    u *= airy_ratio(k);
  }
  even.push_back(t.cut.rest * power(z, -t.cut.terms));
  odd.push_back(t.cut.rest * power(z, -t.cut.terms));
  const Expr angle = z - pi() / 4;
  const Expr front = 1 / (sqrt(pi()) * power(x, Expr(1) / 4));
  return second ? front * (cos(angle) * add(odd) - sin(angle) * add(even))
                : front * (cos(angle) * add(even) + sin(angle) * add(odd));
}

struct InfinityRow {
  std::string_view name;
  Expr (*above)(const Tail& t);  // u, the last argument, goes to infinity
  Expr (*below)(const Tail& t);  // to -infinity; null where that is outside the real domain or not known
};

const InfinityRow* infinity_row(std::string_view name) {
  static const InfinityRow rows[] = {
      {"atan", [](const Tail& t) { return pi() / 2 - atan(1 / t.u); },
       [](const Tail& t) { return -pi() / 2 - atan(1 / t.u); }},
      {"asinh", [](const Tail& t) { return log(t.u + sqrt(power(t.u, 2) + 1)); },
       [](const Tail& t) { return -log(-t.u + sqrt(power(t.u, 2) + 1)); }},
      {"acosh", [](const Tail& t) { return log(t.u + sqrt(power(t.u, 2) - 1)); }, nullptr},
      {"erf", [](const Tail& t) { return 1 - erfc_tail(t, t.u); },
       [](const Tail& t) { return erfc_tail(t, -t.u) - 1; }},
      {"erfc", [](const Tail& t) { return erfc_tail(t, t.u); }, [](const Tail& t) { return 2 - erfc_tail(t, -t.u); }},
      {"erfi", erfi_tail, erfi_tail},
      {"dawson", dawson_tail, dawson_tail},
      {"E1", [](const Tail& t) { return E1_tail(t, t.u); }, nullptr},
      {"Ei", [](const Tail& t) { return Ei_tail(t, t.u); }, [](const Tail& t) { return -E1_tail(t, -t.u); }},
      {"li", [](const Tail& t) { return Ei_tail(t, log(t.u)); }, nullptr},
      {"Shi", [](const Tail& t) { return (Ei_tail(t, t.u) + E1_tail(t, t.u)) / 2; },
       [](const Tail& t) { return -(Ei_tail(t, -t.u) + E1_tail(t, -t.u)) / 2; }},
      {"Chi", [](const Tail& t) { return (Ei_tail(t, t.u) - E1_tail(t, t.u)) / 2; }, nullptr},
      {"Si", [](const Tail& t) { return pi() / 2 - auxiliary(t, false) * cos(t.u) - auxiliary(t, true) * sin(t.u); },
       [](const Tail& t) { return -pi() / 2 - auxiliary(t, false) * cos(t.u) - auxiliary(t, true) * sin(t.u); }},
      {"Ci", [](const Tail& t) { return auxiliary(t, false) * sin(t.u) - auxiliary(t, true) * cos(t.u); }, nullptr},
      {"fresnel_S",
       [](const Tail& t) {
         const Expr z = pi() * power(t.u, 2) / 2;
         return Expr(1) / 2 - cos(z) * fresnel_auxiliary(t, false) - sin(z) * fresnel_auxiliary(t, true);
       },
       [](const Tail& t) {
         const Expr z = pi() * power(t.u, 2) / 2;
         return Expr(-1) / 2 - cos(z) * fresnel_auxiliary(t, false) - sin(z) * fresnel_auxiliary(t, true);
       }},
      {"fresnel_C",
       [](const Tail& t) {
         const Expr z = pi() * power(t.u, 2) / 2;
         return Expr(1) / 2 + sin(z) * fresnel_auxiliary(t, false) - cos(z) * fresnel_auxiliary(t, true);
       },
       [](const Tail& t) {
         const Expr z = pi() * power(t.u, 2) / 2;
         return Expr(-1) / 2 + sin(z) * fresnel_auxiliary(t, false) - cos(z) * fresnel_auxiliary(t, true);
       }},
      {"gamma",
       [](const Tail& t) { return exp((t.u - Expr(1) / 2) * log(t.u) - t.u + stirling_sum(t)) * sqrt(2 * pi()); },
       nullptr},
      {"lgamma", log_gamma, nullptr},
      {"digamma", digamma_tail, nullptr},
      {"polygamma", polygamma_tail, nullptr},
      {"zeta",
       [](const Tail& t) {
         std::vector<Expr> sum{1};
         for (int n = 2; n <= t.cut.terms; ++n) sum.push_back(exp(-t.u * log(Expr(n))));
         sum.push_back(t.cut.rest * exp(-t.u * log(Expr(t.cut.terms + 1))));
         return add(sum);
       },
       nullptr},
      {"cyl_bessel_k",
       [](const Tail& t) {
         return sqrt(pi() / (2 * t.u)) * exp(-t.u) * falling(t, 1, [&](int k) { return hankel_ratio(t.a[0], k); });
       },  // 10.40.2
       nullptr},
      {"cyl_bessel_i",
       [](const Tail& t) {
         return exp(t.u) / sqrt(2 * pi() * t.u) * falling(t, 1, [&](int k) { return -hankel_ratio(t.a[0], k); });
       },
       nullptr},  // 10.40.1
      {"cyl_bessel_j", [](const Tail& t) { return oscillating_bessel(t, false); }, nullptr},
      {"cyl_neumann", [](const Tail& t) { return oscillating_bessel(t, true); }, nullptr},
      {"airy_Ai", [](const Tail& t) { return airy_above(t, false); },
       [](const Tail& t) { return airy_below(t, false); }},
      {"airy_Bi", [](const Tail& t) { return airy_above(t, true); }, [](const Tail& t) { return airy_below(t, true); }},
      {"incomplete_gamma",
       [](const Tail& t) {
         return exp(-t.u) * power(t.u, t.a[0] - 1) * falling(t, 1, [&](int k) { return t.a[0] - 1 - k; });
       },  // 8.11.2
       nullptr},
      {"dilog", nullptr,
       [](const Tail& t) { return -power(pi(), 2) / 6 - power(log(-t.u), 2) / 2 - dilog(1 / t.u); }},  // 25.12.4
  };
  for (const InfinityRow& r : rows) {
    if (r.name == name) return &r;
  }
  return nullptr;
}

}  // namespace

std::optional<Expr> form_at_infinity(const Expr& e, int sign, const Cut& cut) {
  const InfinityRow* row = infinity_row(e.function().name);
  if (row == nullptr) return std::nullopt;
  const auto f = sign > 0 ? row->above : row->below;
  if (f == nullptr) return std::nullopt;
  const Expr form = f({e.operands(), e.operands().back(), cut});
  if (form.is_constant(ConstantCode::undefined)) return std::nullopt;
  return form;
}

}  // namespace boreon
