// SPDX-License-Identifier: MIT
// Error functions, exponential, trigonometric and Fresnel integrals. Derivatives: NIST Handbook 6.2, 7.2.
#include <acb_hypgeom.h>
#include <arb_hypgeom.h>

#include <cmath>

#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

// What has a logarithm at zero, and goes to `far` at infinity.
bool logarithmic_at_zero(Args a, Expr& r, const Expr& at_zero, const Expr& far) {
  if (a[0].is_integer(0)) {
    r = at_zero;
  } else if (a[0].is_constant(ConstantCode::infinity)) {
    r = far;
  } else {
    return false;
  }
  return true;
}

// Ci and Chi on the negative axis, which is their cut and belongs to its upper side: Ci(-x) = Ci(x) + i*pi (6.4.5).
bool exact_even_integral(Args a, Expr& r, Expr (*function)(const Expr&), const Expr& far) {
  if (logarithmic_at_zero(a, r, -infinity(), far)) return true;
  if (!a[0].is_number() || !a[0].number().is_exact() || a[0].number().sign() >= 0) return false;
  r = function(-a[0]) + imaginary_unit() * pi();
  return true;
}

bool zero_at_zero(Args a, Expr& r) {
  if (!a[0].is_integer(0)) return false;
  r = 0;
  return true;
}

// Odd functions with known limits at 0 and +-infinity.
bool odd_with_limit(Args a, Expr& r, const Expr& limit) {
  if (zero_at_zero(a, r)) return true;
  if (a[0].is_constant(ConstantCode::infinity)) {
    r = limit;
    return true;
  }
  return false;
}

void ball_dawson(Ball& r, Balls x, long p) {
  // sqrt(pi)/2*exp(-x^2)*erfi(x) (7.5.1)
  Ball e;
  acb_mul(e.get(), x[0].get(), x[0].get(), p);
  acb_neg(e.get(), e.get());
  acb_exp(e.get(), e.get(), p);
  acb_hypgeom_erfi(r.get(), x[0].get(), p);
  acb_mul(r.get(), r.get(), e.get(), p);
  Ball c;
  arb_const_sqrt_pi(c.re(), p);
  acb_mul(r.get(), r.get(), c.get(), p);
  acb_mul_2exp_si(r.get(), r.get(), -1);
}

void ball_E1(Ball& r, Balls x, long p) {
  Ball one;
  acb_one(one.get());
  acb_hypgeom_expint(r.get(), one.get(), x[0].get(), p);
}

// On the negative real axis Ci and Chi have a cut; acb gives the side above, as real evaluation then refuses.
constexpr auto nonzero_argument = "a nonzero argument";

}  // namespace

std::span<const FunctionRow> integral_rows() {
  static const FunctionRow rows[] = {
      {.name = "erf",
       .summary = "error function",
       .latex = "\\operatorname{erf}",
       .c_name = "erf",
       .parity = Parity::odd,
       .exact = [](Args a, Expr& r) { return odd_with_limit(a, r, 1); },
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return 2 * exp(-pow(a[0], 2)) / sqrt(pi()); },
       .real = [](RealArgs x) { return std::erf(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_erf(r.get(), x[0].get(), p); }},
      {.name = "erfc",
       .summary = "1 - erf(x)",
       .latex = "\\operatorname{erfc}",
       .c_name = "erfc",
       .exact =
           [](Args a, Expr& r) {
             if (!a[0].is_integer(0) && !a[0].is_constant(ConstantCode::infinity)) return false;
             r = a[0].is_integer(0) ? 1 : 0;
             return true;
           },
       .facts = positive_if_real,
       .derivative = [](Args a, std::size_t) { return -2 * exp(-pow(a[0], 2)) / sqrt(pi()); },
       .real = [](RealArgs x) { return std::erfc(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_erfc(r.get(), x[0].get(), p); }},
      {.name = "inverse_erf",
       .summary = "inverse of erf",
       .latex = "\\operatorname{erf}^{-1}",
       .parity = Parity::odd,
       .domain = "an argument between -1 and 1, the ends excluded",
       .exact =
           [](Args a, Expr& r) {
             if (is_call_of(a[0], "erf") && is_real(a[0].operands()[0])) {
               r = a[0].operands()[0];
               return true;
             }
             return zero_at_zero(a, r);
           },
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return sqrt(pi()) / 2 * exp(pow(inverse_erf(a[0]), 2)); },
       .ball =
           [](Ball& r, Balls x, long p) {
             if (x[0].real()) {
               acb_zero(r.get());
               arb_hypgeom_erfinv(r.re(), x[0].re(), p);
             } else {
               acb_indeterminate(r.get());
             }
           }},
      {.name = "erfi",
       .summary = "-1i*erf(1i*x)",
       .latex = "\\operatorname{erfi}",
       .parity = Parity::odd,
       .overflows = true,
       .exact = zero_at_zero,
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return 2 * exp(pow(a[0], 2)) / sqrt(pi()); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_erfi(r.get(), x[0].get(), p); }},
      {.name = "dawson",
       .summary = "exp(-x^2) times the integral of exp(t^2) from 0 to x",
       .latex = "F",
       .parity = Parity::odd,
       .exact = zero_at_zero,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return 1 - 2 * a[0] * dawson(a[0]); },
       .ball = ball_dawson},
      {.name = "E1",
       .summary = "integral of exp(-t)/t from x to infinity",
       .latex = "E_1",
       .unicode = "E₁",
       .domain = positive_argument,
       .exact = [](Args a, Expr& r) { return logarithmic_at_zero(a, r, infinity(), 0); },
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::positive)) != 0 ? bit(Assumption::positive) : std::uint16_t{0};
           },
       .derivative = [](Args a, std::size_t) { return -exp(-a[0]) / a[0]; },
       .ball = ball_E1},
      {.name = "Ei",
       .summary = "exponential integral, principal value of exp(t)/t from -infinity to x",
       .latex = "\\operatorname{Ei}",
       .overflows = true,
       .domain = nonzero_argument,
       .derivative = [](Args a, std::size_t) { return exp(a[0]) / a[0]; },
       .ball =
           [](Ball& r, Balls x, long p) {
             acb_hypgeom_ei(r.get(), x[0].get(), p);
             if (x[0].real()) arb_zero(r.im());
           }},
      {.name = "li",
       .summary = "logarithmic integral Ei(log(x))",
       .latex = "\\operatorname{li}",
       .domain = "a positive argument other than 1",
       .exact = zero_at_zero,
       .derivative = [](Args a, std::size_t) { return 1 / log(a[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_li(r.get(), x[0].get(), 0, p); }},
      {.name = "Si",
       .summary = "sine integral",
       .latex = "\\operatorname{Si}",
       .parity = Parity::odd,
       .exact = [](Args a, Expr& r) { return odd_with_limit(a, r, pi() / 2); },
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return sin(a[0]) / a[0]; },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_si(r.get(), x[0].get(), p); }},
      {.name = "Ci",
       .summary = "cosine integral",
       .latex = "\\operatorname{Ci}",
       .domain = positive_argument,
       .exact =
           [](Args a, Expr& r) {
             return exact_even_integral(
                 a, r, [](const Expr& x) { return Ci(x); }, 0);
           },
       .derivative = [](Args a, std::size_t) { return cos(a[0]) / a[0]; },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_ci(r.get(), x[0].get(), p); }},
      {.name = "Shi",
       .summary = "hyperbolic sine integral",
       .latex = "\\operatorname{Shi}",
       .parity = Parity::odd,
       .overflows = true,
       .exact = zero_at_zero,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return sinh(a[0]) / a[0]; },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_shi(r.get(), x[0].get(), p); }},
      {.name = "Chi",
       .summary = "hyperbolic cosine integral",
       .latex = "\\operatorname{Chi}",
       .overflows = true,
       .domain = positive_argument,
       .exact =
           [](Args a, Expr& r) {
             return exact_even_integral(
                 a, r, [](const Expr& x) { return Chi(x); }, infinity());
           },
       .derivative = [](Args a, std::size_t) { return cosh(a[0]) / a[0]; },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_chi(r.get(), x[0].get(), p); }},
      {.name = "fresnel_S",
       .summary = "integral of sin(pi*t^2/2) from 0 to x",
       .latex = "S",
       .parity = Parity::odd,
       .exact = [](Args a, Expr& r) { return odd_with_limit(a, r, Expr(1) / 2); },
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return sin(pi() * pow(a[0], 2) / 2); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_fresnel(r.get(), nullptr, x[0].get(), 1, p); }},
      {.name = "fresnel_C",
       .summary = "integral of cos(pi*t^2/2) from 0 to x",
       .latex = "C",
       .parity = Parity::odd,
       .exact = [](Args a, Expr& r) { return odd_with_limit(a, r, Expr(1) / 2); },
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return cos(pi() * pow(a[0], 2) / 2); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_fresnel(nullptr, r.get(), x[0].get(), 1, p); }},
  };
  return rows;
}

}  // namespace boreon
