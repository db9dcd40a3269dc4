// SPDX-License-Identifier: MIT
// Bessel functions, spherical ones, Airy functions. Derivatives: NIST Handbook 9.2, 10.6.1, 10.29.1, 10.51.2.
#include <acb_hypgeom.h>

#include "boreon/error.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

[[noreturn]] void no_order_derivative(const char* name) {
  throw Error(ErrorKind::unsupported,
              std::string("no closed form is known for the derivative of ") + name + " with respect to its order");
}

// Orders stay between the neighbours: C_n' = (C_{n-1} - C_{n+1})/2, and -C_1 for n = 0 (10.6.1, 10.6.3).
template <class F>
Expr cylinder(const F& f, Args a, std::size_t i, const char* name) {
  if (i == 0) no_order_derivative(name);
  if (a[0].is_integer(0)) return -f(Expr(1), a[1]);
  return (f(a[0] - 1, a[1]) - f(a[0] + 1, a[1])) / 2;
}

bool exact_J(Args a, Expr& r) {
  if (const auto n = a[0].word()) {
    if (*n < 0) {
      r = (*n % 2 == 0 ? 1 : -1) * cyl_bessel_j(-*n, a[1]);  // 10.4.1
      return true;
    }
    if (a[1].is_integer(0)) {
      r = *n == 0 ? 1 : 0;
      return true;
    }
  }
  return false;
}

bool exact_Y(Args a, Expr& r) {
  const auto n = a[0].word();
  if (!n || *n >= 0) return false;
  r = (*n % 2 == 0 ? 1 : -1) * cyl_neumann(-*n, a[1]);
  return true;
}

bool exact_I(Args a, Expr& r) {
  if (const auto n = a[0].word()) {
    if (*n < 0) {
      r = cyl_bessel_i(-*n, a[1]);  // 10.27.1
      return true;
    }
    if (a[1].is_integer(0)) {
      r = *n == 0 ? 1 : 0;
      return true;
    }
  }
  return false;
}

bool exact_K(Args a, Expr& r) {
  if (!is_negative(a[0])) return false;
  r = cyl_bessel_k(-a[0], a[1]);  // 10.27.3
  return true;
}

// f_n' = (n*f_{n-1} - (n + 1)*f_{n+1})/(2*n + 1) (10.51.2), -f_1 for n = 0.
template <class F>
Expr spherical(const F& f, Args a, std::size_t i, const char* name) {
  if (i == 0) no_order_derivative(name);
  if (a[0].is_integer(0)) return -f(Expr(1), a[1]);
  return (a[0] * f(a[0] - 1, a[1]) - (a[0] + 1) * f(a[0] + 1, a[1])) / (2 * a[0] + 1);
}

// sqrt(pi)/2*(x/2)^n times the regularised 0F1(; n + 3/2; -x^2/4) (10.47.3 with 10.16.9): entire for whole n.
void ball_sph_bessel(Ball& r, Balls x, long p) {
  Ball a;
  Ball z;
  Ball half_x;
  acb_mul_2exp_si(half_x.get(), x[1].get(), -1);
  acb_mul(z.get(), half_x.get(), half_x.get(), p);
  acb_neg(z.get(), z.get());
  acb_set_ui(a.get(), 3);
  acb_mul_2exp_si(a.get(), a.get(), -1);
  acb_add(a.get(), a.get(), x[0].get(), p);
  acb_hypgeom_0f1(a.get(), a.get(), z.get(), 1, p);
  acb_pow(z.get(), half_x.get(), x[0].get(), p);
  acb_mul(a.get(), a.get(), z.get(), p);
  arb_const_sqrt_pi(z.re(), p);
  arb_zero(z.im());
  acb_mul(a.get(), a.get(), z.get(), p);
  acb_mul_2exp_si(r.get(), a.get(), -1);
}

// sqrt(pi/(2*x))*Y_{n+1/2}(x) (10.47.4)
void ball_sph_neumann(Ball& r, Balls x, long p) {
  Ball n;
  Ball y;
  acb_set_ui(n.get(), 1);
  acb_mul_2exp_si(n.get(), n.get(), -1);
  acb_add(n.get(), n.get(), x[0].get(), p);
  acb_hypgeom_bessel_y(y.get(), n.get(), x[1].get(), p);
  acb_const_pi(n.get(), p);
  acb_div(n.get(), n.get(), x[1].get(), p);
  acb_mul_2exp_si(n.get(), n.get(), -1);
  acb_sqrt(n.get(), n.get(), p);
  acb_mul(r.get(), y.get(), n.get(), p);
}

Expr airy_prime(const char* name, const Expr& x) {
  const Expr args[] = {x};
  return call(*find_function(name), args);
}

constexpr auto positive_second = "a positive second argument";

}  // namespace

std::span<const FunctionRow> bessel_rows() {
  static const FunctionRow rows[] = {
      {.name = "cyl_bessel_j",
       .summary = "cyl_bessel_j(n, x): Bessel function of the first kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "J",
       .unicode = "J",
       .orders = 1,
       .exact = exact_J,
       .derivative = [](Args a, std::size_t i) { return cylinder(cyl_bessel_j, a, i, "cyl_bessel_j"); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_j(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "cyl_neumann",
       .summary = "cyl_neumann(n, x): Bessel function of the second kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "Y",
       .unicode = "Y",
       .orders = 1,
       .domain = positive_second,
       .exact = exact_Y,
       .derivative = [](Args a, std::size_t i) { return cylinder(cyl_neumann, a, i, "cyl_neumann"); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_y(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "cyl_bessel_i",
       .summary = "cyl_bessel_i(n, x): modified Bessel function of the first kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "I",
       .unicode = "I",
       .overflows = true,
       .orders = 1,
       .exact = exact_I,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_order_derivative("cyl_bessel_i");
         if (a[0].is_integer(0)) return cyl_bessel_i(1, a[1]);
         return (cyl_bessel_i(a[0] - 1, a[1]) + cyl_bessel_i(a[0] + 1, a[1])) / 2;
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_i(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "cyl_bessel_k",
       .summary = "cyl_bessel_k(n, x): modified Bessel function of the second kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "K",
       .unicode = "K",
       .orders = 1,
       .domain = positive_second,
       .exact = exact_K,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_order_derivative("cyl_bessel_k");
         if (a[0].is_integer(0)) return -cyl_bessel_k(1, a[1]);
         return -(cyl_bessel_k(a[0] - 1, a[1]) + cyl_bessel_k(a[0] + 1, a[1])) / 2;
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_k(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "airy_Ai",
       .summary = "Airy function Ai",
       .latex = "\\mathrm{Ai}",
       .unicode = "Ai",
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return airy_prime("airy_Ai_prime", a[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_airy(r.get(), nullptr, nullptr, nullptr, x[0].get(), p); }},
      {.name = "airy_Bi",
       .summary = "Airy function Bi",
       .latex = "\\mathrm{Bi}",
       .unicode = "Bi",
       .overflows = true,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return airy_prime("airy_Bi_prime", a[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_airy(nullptr, nullptr, r.get(), nullptr, x[0].get(), p); }},
      {.name = "airy_Ai_prime",
       .summary = "derivative of airy_Ai",
       .latex = "\\mathrm{Ai}'",
       .unicode = "Ai'",
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return a[0] * airy_Ai(a[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_airy(nullptr, r.get(), nullptr, nullptr, x[0].get(), p); }},
      {.name = "airy_Bi_prime",
       .summary = "derivative of airy_Bi",
       .latex = "\\mathrm{Bi}'",
       .unicode = "Bi'",
       .overflows = true,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return a[0] * airy_Bi(a[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_airy(nullptr, nullptr, nullptr, r.get(), x[0].get(), p); }},
      {.name = "sph_bessel",
       .summary = "sph_bessel(n, x): spherical Bessel function of the first kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "j",
       .unicode = "j",
       .orders = 1,
       .domain = "a whole n that is not negative, or a positive second argument",
       .exact =
           [](Args a, Expr& r) {
             if (!a[1].is_integer(0) || !a[0].word() || *a[0].word() < 0) return false;
             r = a[0].is_integer(0) ? 1 : 0;
             return true;
           },
       .derivative = [](Args a, std::size_t i) { return spherical(sph_bessel, a, i, "sph_bessel"); },
       .ball = ball_sph_bessel},
      {.name = "sph_neumann",
       .summary = "sph_neumann(n, x): spherical Bessel function of the second kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "y",
       .unicode = "y",
       .orders = 1,
       .domain = positive_second,
       .derivative = [](Args a, std::size_t i) { return spherical(sph_neumann, a, i, "sph_neumann"); },
       .ball = ball_sph_neumann},
  };
  return rows;
}

}  // namespace boreon
