// SPDX-License-Identifier: MIT
// Hypergeometric functions under the names of ISO/IEC 29124. Derivatives: NIST Handbook 13.3.15, 13.3.22, 15.5.1;
// special cases 13.6.1, 15.4.1, 15.4.6.
#include <acb_hypgeom.h>

#include "boreon/error.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

[[noreturn]] void no_parameter_derivative(const char* name) {
  throw Error(ErrorKind::unsupported,
              std::string("no closed form is known for the derivative of ") + name + " with respect to its parameters");
}

// The polynomial of a series that ends: sum of (a)_k*(b)_k/(c)_k*x^k/k!, without b where it is null.
bool short_polynomial(const Expr& a, const Expr* b, const Expr& c, const Expr& x, Expr& r) {
  constexpr std::int64_t longest = 3;
  const auto n = a.word();
  const auto m = c.word();
  if (!n || *n > 0 || *n < -longest || (m && *m <= 0)) return false;
  r = 0;
  Expr term = 1;
  for (std::int64_t k = 0; k <= -*n; ++k) {
    r += term;
    term = term * (a + k) * (b == nullptr ? Expr(1) : *b + k) / (c + k) * x / (k + 1);
  }
  return true;
}

bool exact_conf_hyperg(Args a, Expr& r) {
  if (a[2].is_integer(0)) {
    r = 1;
    return true;
  }
  if (short_polynomial(a[0], nullptr, a[1], a[2], r)) return true;
  if (!(a[0] == a[1]) || (a[1].word() && *a[1].word() <= 0)) return false;
  r = exp(a[2]);
  return true;
}

// Polynomials and single powers: 13.2.7, 13.6.4.
bool exact_conf_hyperg_u(Args a, Expr& r) {
  const auto n = a[0].word();
  if (n && *n <= 0 && *n >= -3) {
    r = 0;
    Expr factor = 1;
    for (std::int64_t k = -*n; k >= 0; --k) {  // binomial(n, k)*(c + k)_(n - k)*(-1)^(n - k)*x^k
      r += factor * power(a[2], k);
      factor = -factor * k * (a[1] + k - 1) / (-*n - k + 1);
    }
    return true;
  }
  if (!(a[1] == a[0] + 1)) return false;
  r = pow(a[2], -a[0]);
  return true;
}

bool exact_hyperg(Args a, Expr& r) {
  if (a[3].is_integer(0)) {
    r = 1;
    return true;
  }
  if (short_polynomial(a[0], &a[1], a[2], a[3], r) || short_polynomial(a[1], &a[0], a[2], a[3], r)) return true;
  if (!(a[2].word() && *a[2].word() <= 0)) {
    for (const int k : {0, 1}) {
      if (!(a[k] == a[2])) continue;
      r = pow(1 - a[3], -a[1 - k]);
      return true;
    }
  }
  if (order(a[1], a[0]) < 0) {  // the first two are alike
    r = hyperg(a[1], a[0], a[2], a[3]);
    return true;
  }
  return false;
}

bool well_inside_circle(const Ball& z) {
  constexpr double longest = 0.98;
  mag_t size;
  mag_init(size);
  acb_get_mag(size, z.get());
  const bool small = mag_cmp_2exp_si(size, 0) < 0 && mag_get_d(size) < longest;
  mag_clear(size);
  return small;
}

// Whether the transformations that Arb chooses have a difference of parameters that may be whole but is not known to
// be: then it has no finite enclosure, or looks for one by quadrature for half a minute.
bool may_be_whole(const Ball& a, const Ball& b, const Ball* c, long p) {
  Ball d;
  acb_sub(d.get(), a.get(), b.get(), p);
  if (c != nullptr) acb_sub(d.get(), d.get(), c->get(), p);
  return acb_contains_int(d.get()) != 0 && acb_is_exact(d.get()) == 0;
}

// There the series itself inside the circle, and those of x/(x - 1), 1/x and 1/(1 - x) elsewhere (15.8.1, 15.8.2).
void hyperg_in_balls(Ball& r, Balls x, long p) {
  if (!may_be_whole(x[0], x[1], nullptr, p) && !may_be_whole(x[2], x[0], &x[1], p)) {
    acb_hypgeom_2f1(r.get(), x[0].get(), x[1].get(), x[2].get(), x[3].get(), 0, p);
    return;
  }
  acb_indeterminate(r.get());
  if (well_inside_circle(x[3])) {
    acb_hypgeom_2f1_direct(r.get(), x[0].get(), x[1].get(), x[2].get(), x[3].get(), 0, p);
    return;
  }
  Ball rest;  // 1 - x
  Ball argument;
  acb_sub_ui(rest.get(), x[3].get(), 1, p);
  acb_neg(rest.get(), rest.get());
  for (const int which : {1, 2, 3}) {
    acb_inv(argument.get(), which == 2 ? x[3].get() : rest.get(), p);
    if (which == 1) {
      acb_mul(argument.get(), argument.get(), x[3].get(), p);
      acb_neg(argument.get(), argument.get());
    }
    if (!acb_is_finite(argument.get()) || !well_inside_circle(argument)) continue;
    acb_hypgeom_2f1_transform(r.get(), x[0].get(), x[1].get(), x[2].get(), x[3].get(), 0, which, p);
    if (acb_is_finite(r.get())) return;
  }
}

}  // namespace

std::span<const FunctionRow> hypergeometric_rows() {
  static const FunctionRow rows[] = {
      {.name = "conf_hyperg",
       .summary = "conf_hyperg(a, c, x): confluent hypergeometric (Kummer's) function, 1 + a/c*x + ...",
       .min_args = 3,
       .max_args = 3,
       .latex = "M",
       .unicode = "M",
       .orders = 2,
       .domain = "a parameter c that is not 0, -1, -2, ...",
       .exact = exact_conf_hyperg,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i != 2) no_parameter_derivative("conf_hyperg");
         return a[0] / a[1] * conf_hyperg(a[0] + 1, a[1] + 1, a[2]);
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_m(r.get(), x[0].get(), x[1].get(), x[2].get(), 0, p); }},
      {.name = "conf_hyperg_u",
       .summary = "conf_hyperg_u(a, c, x): the other confluent hypergeometric (Tricomi's) function, x^(-a) for large x",
       .min_args = 3,
       .max_args = 3,
       .latex = "U",
       .unicode = "U",
       .orders = 2,
       .domain = "x > 0",
       .exact = exact_conf_hyperg_u,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i != 2) no_parameter_derivative("conf_hyperg_u");
         return -a[0] * conf_hyperg_u(a[0] + 1, a[1] + 1, a[2]);
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_u(r.get(), x[0].get(), x[1].get(), x[2].get(), p); }},
      {.name = "hyperg",
       .summary = "hyperg(a, b, c, x): hypergeometric (Gauss's) function, 1 + a*b/c*x + ..., cut along x > 1",
       .min_args = 4,
       .max_args = 4,
       .latex = "F",
       .unicode = "F",
       .orders = 3,
       .domain = "a parameter c that is not 0, -1, -2, ... and x < 1",
       .exact = exact_hyperg,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i != 3) no_parameter_derivative("hyperg");
         return a[0] * a[1] / a[2] * hyperg(a[0] + 1, a[1] + 1, a[2] + 1, a[3]);
       },
       .ball = hyperg_in_balls},
  };
  return rows;
}

}  // namespace boreon
