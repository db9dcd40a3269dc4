// SPDX-License-Identifier: MIT
// Elliptic integrals of the parameter m = k^2. Derivatives: NIST Handbook 19.4, rewritten for m.
#include <acb_elliptic.h>

#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

Expr root(const Expr& phi, const Expr& m) { return sqrt(1 - m * pow(sin(phi), 2)); }

// Without a second argument elliptic_E is the complete integral.
Expr derivative_of_E(Args a, std::size_t i) {
  if (a.size() == 1) return (elliptic_E(a[0]) - elliptic_K(a[0])) / (2 * a[0]);
  if (i == 0) return root(a[0], a[1]);
  return (elliptic_E(a[0], a[1]) - elliptic_F(a[0], a[1])) / (2 * a[1]);
}

Expr derivative_of_F(Args a, std::size_t i) {
  const Expr& phi = a[0];
  const Expr& m = a[1];
  if (i == 0) return 1 / root(phi, m);
  return elliptic_E(phi, m) / (2 * m * (1 - m)) - elliptic_F(phi, m) / (2 * m) -
         sin(2 * phi) / (4 * (1 - m) * root(phi, m));
}

void ball_E(Ball& r, Balls x, long p) {
  if (x.size() == 1) {
    acb_elliptic_e(r.get(), x[0].get(), p);
  } else {
    acb_elliptic_e_inc(r.get(), x[0].get(), x[1].get(), 0, p);
  }
}

bool exact_complete(Args a, Expr& r) {
  if (!a[0].is_integer(0)) return false;
  r = a.size() == 1 ? pi() / 2 : Expr(0);
  return true;
}

// At whole multiples of pi/2 the incomplete integrals are multiples of the complete ones.
std::optional<Expr> quarters(const Expr& phi) {
  const Expr n = 2 * phi / pi();
  return n.is_number() && n.number().is_integer() ? std::optional(n) : std::nullopt;
}

bool exact_E(Args a, Expr& r) {
  if (exact_complete(a, r)) return true;
  if (a.size() == 1 && a[0].is_integer(1)) {
    r = 1;
    return true;
  }
  if (a.size() == 2 && a[1].is_integer(0)) {
    r = a[0];
    return true;
  }
  if (a.size() != 2) return false;
  const auto n = quarters(a[0]);
  if (n) r = *n * elliptic_E(a[1]);
  return n.has_value();
}

constexpr auto below_one = "a parameter m = k^2 below 1";

}  // namespace

std::span<const FunctionRow> elliptic_rows() {
  static const FunctionRow rows[] = {
      {.name = "elliptic_K",
       .summary = "complete elliptic integral of the first kind, parameter m = k^2",
       .latex = "K",
       .unicode = "K",
       .domain = below_one,
       .exact = exact_complete,
       .derivative =
           [](Args a, std::size_t) {
             return elliptic_E(a[0]) / (2 * a[0] * (1 - a[0])) - elliptic_K(a[0]) / (2 * a[0]);
           },
       .ball = [](Ball& r, Balls x, long p) { acb_elliptic_k(r.get(), x[0].get(), p); }},
      {.name = "elliptic_E",
       .summary = "elliptic_E(m) complete, elliptic_E(phi, m) incomplete, of the second kind",
       .min_args = 1,
       .max_args = 2,
       .latex = "E",
       .unicode = "E",
       .domain = below_one,
       .exact = exact_E,
       .derivative = derivative_of_E,
       .ball = ball_E},
      {.name = "elliptic_F",
       .summary = "elliptic_F(phi, m): incomplete integral of the first kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "F",
       .unicode = "F",
       .domain = below_one,
       .exact =
           [](Args a, Expr& r) {
             if (a[0].is_integer(0)) {
               r = 0;
             } else if (a[1].is_integer(0)) {
               r = a[0];
             } else if (const auto n = quarters(a[0])) {
               r = *n * elliptic_K(a[1]);
             } else {
               return false;
             }
             return true;
           },
       .derivative = derivative_of_F,
       .ball = [](Ball& r, Balls x, long p) { acb_elliptic_f(r.get(), x[0].get(), x[1].get(), 0, p); }},
  };
  return rows;
}

}  // namespace boreon
