// SPDX-License-Identifier: MIT
// Hypergeometric functions under the names of ISO/IEC 29124. Derivatives: NIST Handbook 13.3.15, 15.5.1; special cases
// 13.6.1, 15.4.1, 15.4.6.
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
       .ball = [](Ball& r, Balls x,
                  long p) { acb_hypgeom_2f1(r.get(), x[0].get(), x[1].get(), x[2].get(), x[3].get(), 0, p); }},
  };
  return rows;
}

}  // namespace boreon
