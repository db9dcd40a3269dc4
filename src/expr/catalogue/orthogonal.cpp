// SPDX-License-Identifier: MIT
// Legendre, Hermite and Laguerre functions and their associated ones, with the conventions of the C++ standard (special
// mathematical functions). Derivatives: NIST Handbook 14.10.5, 18.9.23, 18.9.25.
#include <acb_hypgeom.h>

#include "boreon/error.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

[[noreturn]] void no_degree_derivative(const char* name) {
  throw Error(ErrorKind::unsupported, std::string("no closed form is known for the derivative of ") + name +
                                          " with respect to its degree or order");
}

// Three-term recurrences (18.9.1) for a degree that is a small number.
bool exact_legendre(Args a, Expr& r) {
  const auto n = a[0].word();
  if (!n || *n < 0 || *n > 1) return false;
  r = *n == 0 ? Expr(1) : a[1];
  return true;
}

bool exact_hermite(Args a, Expr& r) {
  const auto n = a[0].word();
  if (!n || *n < 0 || *n > 1) return false;
  r = *n == 0 ? Expr(1) : 2 * a[1];
  return true;
}

Expr derivative_of_legendre(Args a, std::size_t i) {
  if (i == 0) no_degree_derivative("legendre");
  const auto n = a[0].word();
  if (n && *n >= 2 && *n <= 64) {
    // P_n' = sum of (2k + 1)*P_k over k = n-1, n-3, ...: no division by 1 - x^2, so it holds at x = 1 too
    std::vector<Expr> terms;
    for (std::int64_t k = *n - 1; k >= 0; k -= 2) terms.push_back((2 * k + 1) * legendre(k, a[1]));
    return add(terms);
  }
  return a[0] * (legendre(a[0] - 1, a[1]) - a[1] * legendre(a[0], a[1])) / (1 - pow(a[1], 2));
}

bool exact_assoc_laguerre(Args a, Expr& r) {
  if (a[1].is_integer(0)) {
    r = laguerre(a[0], a[2]);
    return true;
  }
  const auto n = a[0].word();
  if (!n || *n < 0 || *n > 1) return false;
  r = *n == 0 ? Expr(1) : 1 + a[1] - a[2];
  return true;
}

bool exact_assoc_legendre(Args a, Expr& r) {
  if (a[1].is_integer(0)) {
    r = legendre(a[0], a[2]);
    return true;
  }
  const auto l = a[0].word();
  const auto m = a[1].word();
  if (!l || !m || *l < 0 || *m <= *l) return false;
  r = 0;
  return true;
}

// The standard's function has no factor (-1)^m, Arb's has.
void ball_assoc_legendre(Ball& r, Balls x, long p) {
  if (acb_is_int(x[1].get()) == 0) {
    acb_indeterminate(r.get());
    return;
  }
  const bool odd = arb_is_int_2exp_si(x[1].re(), 1) == 0;
  acb_hypgeom_legendre_p(r.get(), x[0].get(), x[1].get(), x[2].get(), 0, p);
  if (odd) acb_neg(r.get(), r.get());
}

// sqrt((2*l + 1)/(4*pi)*(l - m)!/(l + m)!) of the standard, with its (-1)^m
Expr sph_legendre_factor(const Expr& l, const Expr& m) {
  return pow(-1, m) * sqrt((2 * l + 1) / (4 * pi()) * factorial(l - m) / factorial(l + m));
}

bool exact_sph_legendre(Args a, Expr& r) {
  const auto l = a[0].word();
  const auto m = a[1].word();
  if (!l || !m || *l < 0 || *l > 1000) return false;
  if (*m < 0 || *m > *l) {
    if (*m <= *l) return false;
    r = 0;
    return true;
  }
  r = sph_legendre_factor(a[0], a[1]) * assoc_legendre(a[0], a[1], cos(a[2]));
  return true;
}

void ball_sph_legendre(Ball& r, Balls x, long p) {
  const Ball& l = x[0];
  const Ball& m = x[1];
  if (acb_is_int(l.get()) == 0 || acb_is_int(m.get()) == 0) {
    acb_indeterminate(r.get());
    return;
  }
  Ball c;
  acb_cos(c.get(), x[2].get(), p);
  acb_hypgeom_legendre_p(c.get(), l.get(), m.get(), c.get(), 0, p);  // its (-1)^m is the standard's here
  Ball f;
  Ball g;
  acb_sub(f.get(), l.get(), m.get(), p);
  acb_add_ui(f.get(), f.get(), 1, p);
  acb_gamma(f.get(), f.get(), p);
  acb_add(g.get(), l.get(), m.get(), p);
  acb_add_ui(g.get(), g.get(), 1, p);
  acb_rgamma(g.get(), g.get(), p);
  acb_mul(f.get(), f.get(), g.get(), p);
  acb_mul_2exp_si(g.get(), l.get(), 1);
  acb_add_ui(g.get(), g.get(), 1, p);
  acb_mul(f.get(), f.get(), g.get(), p);
  acb_const_pi(g.get(), p);
  acb_mul_2exp_si(g.get(), g.get(), 2);
  acb_div(f.get(), f.get(), g.get(), p);
  acb_sqrt(f.get(), f.get(), p);
  acb_mul(r.get(), c.get(), f.get(), p);
}

constexpr auto whole_degree = "whole numbers 0 <= m <= l";

}  // namespace

std::span<const FunctionRow> orthogonal_rows() {
  static const FunctionRow rows[] = {
      {.name = "legendre",
       .summary = "legendre(n, x): Legendre polynomial or function",
       .min_args = 2,
       .max_args = 2,
       .latex = "P",
       .unicode = "P",
       .orders = 1,
       .exact = exact_legendre,
       .derivative = derivative_of_legendre,
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball m;
             acb_hypgeom_legendre_p(r.get(), x[0].get(), m.get(), x[1].get(), 0, p);
           }},
      {.name = "hermite",
       .summary = "hermite(n, x): Hermite polynomial of the physicists",
       .min_args = 2,
       .max_args = 2,
       .latex = "H",
       .unicode = "H",
       .orders = 1,
       .exact = exact_hermite,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_degree_derivative("hermite");
         return 2 * a[0] * hermite(a[0] - 1, a[1]);
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_hermite_h(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "laguerre",
       .summary = "laguerre(n, x): Laguerre polynomial or function",
       .min_args = 2,
       .max_args = 2,
       .latex = "L",
       .unicode = "L",
       .orders = 1,
       .exact =
           [](Args a, Expr& r) {
             const auto n = a[0].word();
             if (!n || *n < 0 || *n > 1) return false;
             r = *n == 0 ? Expr(1) : 1 - a[1];
             return true;
           },
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_degree_derivative("laguerre");
         return -assoc_laguerre(a[0] - 1, 1, a[1]);
       },
       .ball =
           [](Ball& r, Balls x, long p) {
             const Ball m;
             acb_hypgeom_laguerre_l(r.get(), x[0].get(), m.get(), x[1].get(), p);
           }},
      {.name = "assoc_laguerre",
       .summary = "assoc_laguerre(n, m, x): associated Laguerre polynomial",
       .min_args = 3,
       .max_args = 3,
       .latex = "L",
       .unicode = "L",
       .orders = 2,
       .exact = exact_assoc_laguerre,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i != 2) no_degree_derivative("assoc_laguerre");
         return -assoc_laguerre(a[0] - 1, a[1] + 1, a[2]);
       },
       .ball = [](Ball& r, Balls x,
                  long p) { acb_hypgeom_laguerre_l(r.get(), x[0].get(), x[1].get(), x[2].get(), p); }},
      {.name = "assoc_legendre",
       .summary =
           "assoc_legendre(l, m, x) = (1 - x^2)^(m/2) times the derivative of order m of legendre(l, x), for whole m",
       .min_args = 3,
       .max_args = 3,
       .latex = "P",
       .unicode = "P",
       .orders = 2,
       .domain = "a whole order m and abs(x) < 1",
       .exact = exact_assoc_legendre,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i != 2) no_degree_derivative("assoc_legendre");
         return ((a[0] + a[1]) * assoc_legendre(a[0] - 1, a[1], a[2]) -
                 a[0] * a[2] * assoc_legendre(a[0], a[1], a[2])) /
                (1 - pow(a[2], 2));
       },
       .ball = ball_assoc_legendre},
      {.name = "sph_legendre",
       .summary = "sph_legendre(l, m, theta): spherical harmonic at phi = 0",
       .min_args = 3,
       .max_args = 3,
       .latex = "Y",
       .unicode = "Y",
       .orders = 2,
       .domain = whole_degree,
       .exact = exact_sph_legendre,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i != 2) no_degree_derivative("sph_legendre");
         return a[1] * cot(a[2]) * sph_legendre(a[0], a[1], a[2]) +
                sqrt((a[0] - a[1]) * (a[0] + a[1] + 1)) * sph_legendre(a[0], a[1] + 1, a[2]);
       },
       .ball = ball_sph_legendre},
  };
  return rows;
}

}  // namespace boreon
