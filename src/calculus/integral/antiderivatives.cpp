// SPDX-License-Identifier: MIT
// One row a function. Sources: elementary ones by parts; NIST 6.2, 7.2, 7.7.2, 8.8.11, 9.10.1, 10.22.1, 25.12.
#include "calculus/integral/antiderivatives.hpp"

#include <array>

#include "boreon/catalogue.hpp"
#include "boreon/functions.hpp"

namespace boreon {
namespace {

struct Row {
  std::string_view name;
  std::size_t argument;
  std::optional<Expr> (*of)(std::span<const Expr> a, Integrator& in);
};
using A = std::span<const Expr>;
using R = std::optional<Expr>;
using I = Integrator;

// Integral of J_n for odd n, and of x^n J_{n-1} in special.cpp: 10.22.1 needs Struve functions for even n.
R bessel_by_recurrence(A a) {
  const auto n = a[0].word();
  if (!n || *n < 1 || *n % 2 == 0 || *n > 41) return std::nullopt;
  Expr sum = -cyl_bessel_j(0, a[1]);  // integral of J_1; then J_{n} = J_{n-2} - 2*J_{n-1}'
  for (std::int64_t k = 3; k <= *n; k += 2) sum = sum - 2 * cyl_bessel_j(k - 1, a[1]);
  return sum;
}

constexpr std::array rows{
    Row{"exp", 0, [](A a, I&) -> R { return exp(a[0]); }},
    Row{"exp2", 0, [](A a, I&) -> R { return exp2(a[0]) / log(Expr(2)); }},
    Row{"expm1", 0, [](A a, I&) -> R { return exp(a[0]) - a[0]; }},
    Row{"log", 0, [](A a, I&) -> R { return a[0] * log(a[0]) - a[0]; }},
    Row{"log10", 0, [](A a, I&) -> R { return a[0] * log10(a[0]) - a[0] / log(Expr(10)); }},
    Row{"log2", 0, [](A a, I&) -> R { return a[0] * log2(a[0]) - a[0] / log(Expr(2)); }},
    Row{"log1p", 0, [](A a, I&) -> R { return (1 + a[0]) * log1p(a[0]) - a[0]; }},
    Row{"sin", 0, [](A a, I&) -> R { return -cos(a[0]); }},
    Row{"cos", 0, [](A a, I&) -> R { return sin(a[0]); }},
    Row{"tan", 0, [](A a, I& in) -> R { return -in.real_log(cos(a[0])); }},
    Row{"sinh", 0, [](A a, I&) -> R { return cosh(a[0]); }},
    Row{"cosh", 0, [](A a, I&) -> R { return sinh(a[0]); }},
    Row{"tanh", 0, [](A a, I&) -> R { return log(cosh(a[0])); }},
    Row{"asin", 0, [](A a, I&) -> R { return a[0] * asin(a[0]) + sqrt(1 - power(a[0], 2)); }},
    Row{"acos", 0, [](A a, I&) -> R { return a[0] * acos(a[0]) - sqrt(1 - power(a[0], 2)); }},
    Row{"atan", 0, [](A a, I&) -> R { return a[0] * atan(a[0]) - log(1 + power(a[0], 2)) / 2; }},
    Row{"asinh", 0, [](A a, I&) -> R { return a[0] * asinh(a[0]) - sqrt(power(a[0], 2) + 1); }},
    Row{"acosh", 0, [](A a, I&) -> R { return a[0] * acosh(a[0]) - sqrt(a[0] - 1) * sqrt(a[0] + 1); }},
    Row{"atanh", 0, [](A a, I& in) -> R { return a[0] * atanh(a[0]) + in.real_log(1 - power(a[0], 2)) / 2; }},
    Row{"erf", 0, [](A a, I&) -> R { return a[0] * erf(a[0]) + exp(-power(a[0], 2)) / sqrt(pi()); }},
    Row{"erfc", 0, [](A a, I&) -> R { return a[0] * erfc(a[0]) - exp(-power(a[0], 2)) / sqrt(pi()); }},
    Row{"erfi", 0, [](A a, I&) -> R { return a[0] * erfi(a[0]) - exp(power(a[0], 2)) / sqrt(pi()); }},
    Row{"E1", 0, [](A a, I&) -> R { return a[0] * E1(a[0]) - exp(-a[0]); }},
    Row{"Ei", 0, [](A a, I&) -> R { return a[0] * Ei(a[0]) - exp(a[0]); }},
    Row{"li", 0, [](A a, I&) -> R { return a[0] * li(a[0]) - Ei(2 * log(a[0])); }},
    Row{"Si", 0, [](A a, I&) -> R { return a[0] * Si(a[0]) + cos(a[0]); }},
    Row{"Ci", 0, [](A a, I&) -> R { return a[0] * Ci(a[0]) - sin(a[0]); }},
    Row{"Shi", 0, [](A a, I&) -> R { return a[0] * Shi(a[0]) - cosh(a[0]); }},
    Row{"Chi", 0, [](A a, I&) -> R { return a[0] * Chi(a[0]) - sinh(a[0]); }},
    Row{"fresnel_S", 0, [](A a, I&) -> R { return a[0] * fresnel_S(a[0]) + cos(pi() * power(a[0], 2) / 2) / pi(); }},
    Row{"fresnel_C", 0, [](A a, I&) -> R { return a[0] * fresnel_C(a[0]) - sin(pi() * power(a[0], 2) / 2) / pi(); }},
    Row{"digamma", 0, [](A a, I&) -> R { return lgamma(a[0]); }},
    Row{"polygamma", 1,
        [](A a, I&) -> R { return a[0].word() && *a[0].word() >= 1 ? R(polygamma(a[0] - 1, a[1])) : std::nullopt; }},
    Row{"dilog", 0, [](A a, I& in) -> R { return a[0] * dilog(a[0]) - a[0] - (1 - a[0]) * in.real_log(1 - a[0]); }},
    Row{"incomplete_gamma", 1,
        [](A a, I&) -> R { return a[1] * incomplete_gamma(a[0], a[1]) - incomplete_gamma(a[0] + 1, a[1]); }},
    Row{"cyl_bessel_j", 1, [](A a, I&) -> R { return bessel_by_recurrence(a); }},
    Row{"cyl_neumann", 1, [](A a, I&) -> R { return a[0].is_integer(1) ? R(-cyl_neumann(0, a[1])) : std::nullopt; }},
    Row{"cyl_bessel_i", 1, [](A a, I&) -> R { return a[0].is_integer(1) ? R(cyl_bessel_i(0, a[1])) : std::nullopt; }},
    Row{"cyl_bessel_k", 1, [](A a, I&) -> R { return a[0].is_integer(1) ? R(-cyl_bessel_k(0, a[1])) : std::nullopt; }},
    Row{"legendre", 1,  // 18.17.1 by the derivative 14.10.4
        [](A a, I&) -> R {
          return a[0].word() && *a[0].word() >= 1
                     ? R((legendre(a[0] + 1, a[1]) - legendre(a[0] - 1, a[1])) / (2 * a[0] + 1))
                     : std::nullopt;
        }},
    Row{"hermite", 1, [](A a, I&) -> R { return hermite(a[0] + 1, a[1]) / (2 * (a[0] + 1)); }},
    Row{"cbrt", 0, [](A a, I&) -> R { return Expr(Number(3, 4)) * a[0] * cbrt(a[0]); }},
};

}  // namespace

std::optional<Expr> antiderivative_of_call(const Expr& call, std::size_t varying, Integrator& in) {
  for (const Row& r : rows) {
    if (r.name == call.function().name && r.argument == varying) return r.of(call.operands(), in);
  }
  return std::nullopt;
}

}  // namespace boreon
