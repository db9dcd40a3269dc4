// Bessel and Airy functions, orthogonal polynomials. Derivatives: NIST Handbook 9.2, 10.6.1, 10.29.1, 14.10.5, 18.9.25.
#include <acb_hypgeom.h>

#include "boreon/error.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

[[noreturn]] void no_order_derivative(const char* name) {
  throw Error(ErrorKind::unsupported, std::string("no closed form is known for the derivative of ") + name + " with respect to its order");
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
      r = (*n % 2 == 0 ? 1 : -1) * bessel_J(-*n, a[1]);  // 10.4.1
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
  r = (*n % 2 == 0 ? 1 : -1) * bessel_Y(-*n, a[1]);
  return true;
}

bool exact_I(Args a, Expr& r) {
  if (const auto n = a[0].word()) {
    if (*n < 0) {
      r = bessel_I(-*n, a[1]);  // 10.27.1
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
  r = bessel_K(-a[0], a[1]);  // 10.27.3
  return true;
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
  if (i == 0) no_order_derivative("legendre_P");
  const auto n = a[0].word();
  if (n && *n >= 2 && *n <= 64) {
    // P_n' = sum of (2k + 1)*P_k over k = n-1, n-3, ...: no division by 1 - x^2, so it holds at x = 1 too
    std::vector<Expr> terms;
    for (std::int64_t k = *n - 1; k >= 0; k -= 2) terms.push_back((2 * k + 1) * legendre_P(k, a[1]));
    return add(terms);
  }
  return a[0] * (legendre_P(a[0] - 1, a[1]) - a[1] * legendre_P(a[0], a[1])) / (1 - pow(a[1], 2));
}

Expr airy_prime(const char* name, const Expr& x) {
  const Expr args[] = {x};
  return call(*find_function(name), args);
}

constexpr auto positive_second = "a positive second argument";

}  // namespace

std::span<const FunctionRow> bessel_rows() {
  static const FunctionRow rows[] = {
      {.name = "bessel_J",
       .summary = "bessel_J(n, x): Bessel function of the first kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "J",
       .unicode = "J",
       .exact = exact_J,
       .derivative = [](Args a, std::size_t i) { return cylinder(bessel_J, a, i, "bessel_J"); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_j(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "bessel_Y",
       .summary = "bessel_Y(n, x): Bessel function of the second kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "Y",
       .unicode = "Y",
       .domain = positive_second,
       .exact = exact_Y,
       .derivative = [](Args a, std::size_t i) { return cylinder(bessel_Y, a, i, "bessel_Y"); },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_y(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "bessel_I",
       .summary = "bessel_I(n, x): modified Bessel function of the first kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "I",
       .unicode = "I",
       .overflows = true,
       .exact = exact_I,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_order_derivative("bessel_I");
         if (a[0].is_integer(0)) return bessel_I(1, a[1]);
         return (bessel_I(a[0] - 1, a[1]) + bessel_I(a[0] + 1, a[1])) / 2;
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_bessel_i(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "bessel_K",
       .summary = "bessel_K(n, x): modified Bessel function of the second kind",
       .min_args = 2,
       .max_args = 2,
       .latex = "K",
       .unicode = "K",
       .domain = positive_second,
       .exact = exact_K,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_order_derivative("bessel_K");
         if (a[0].is_integer(0)) return -bessel_K(1, a[1]);
         return -(bessel_K(a[0] - 1, a[1]) + bessel_K(a[0] + 1, a[1])) / 2;
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
      {.name = "legendre_P",
       .summary = "legendre_P(n, x): Legendre polynomial or function",
       .min_args = 2,
       .max_args = 2,
       .latex = "P",
       .unicode = "P",
       .exact = exact_legendre,
       .derivative = derivative_of_legendre,
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball m;
             acb_hypgeom_legendre_p(r.get(), x[0].get(), m.get(), x[1].get(), 0, p);
           }},
      {.name = "hermite_H",
       .summary = "hermite_H(n, x): Hermite polynomial of the physicists",
       .min_args = 2,
       .max_args = 2,
       .latex = "H",
       .unicode = "H",
       .exact = exact_hermite,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_order_derivative("hermite_H");
         return 2 * a[0] * hermite_H(a[0] - 1, a[1]);
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_hermite_h(r.get(), x[0].get(), x[1].get(), p); }},
  };
  return rows;
}

}  // namespace boreon
