// SPDX-License-Identifier: MIT
// The gamma function and its relatives. Derivatives: NIST Handbook 5.2.2, 5.15, 8.8.13, 25.12.
#include <acb_dirichlet.h>
#include <acb_hypgeom.h>

#include <cmath>
#include <limits>
#include <numbers>
#include <optional>

#include "boreon/error.hpp"
#include "expr/bernoulli.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

[[noreturn]] void no_rule(const char* what) {
  throw Error(ErrorKind::unsupported, std::string("no closed form is known for the derivative of ") + what);
}

bool exact_gamma(Args a, Expr& r) {
  if (!a[0].is_number() || !a[0].number().is_exact()) return false;
  const Number n = a[0].number();
  if (const auto k = n.word()) {
    if (*k <= 0) {
      r = undefined();
      return true;
    }
    if (*k > 1000) return false;
    Number f = 1;
    for (std::int64_t i = 2; i < *k; ++i) f = f * Number(i);
    r = f;
    return true;
  }
  if (const auto twice = (n * Number(2)).word(); twice && std::abs(*twice) < 400) {
    // gamma(n + 1/2) by the recurrence from gamma(1/2) = sqrt(pi) (5.4.6, 5.5.1)
    Number f = 1;
    Number x(1, 2);
    while (compare(x, n) < 0) {
      f = f * x;
      x = x + Number(1);
    }
    while (compare(x, n) > 0) {
      x = x - Number(1);
      f = f / x;
    }
    r = Expr(f) * sqrt(pi());
    return true;
  }
  return false;
}

Number whole_factorial(std::int64_t n) {
  Number f(1);
  for (std::int64_t i = 2; i <= n; ++i) f = f * Number(i);
  return f;
}

bool exact_zeta(Args a, Expr& r) {  // 25.6.1, 25.6.2, 25.6.3
  const auto n = a[0].word();
  if (!n || *n > 40 || *n < -38) return false;
  if (*n == 0) {
    r = Expr(-1) / 2;
  } else if (*n < 0) {
    r = *n % 2 == 0 ? Expr(0) : Expr(-even_bernoulli((1 - *n) / 2) / Number(1 - *n));
  } else if (*n % 2 == 0) {
    r = Expr(even_bernoulli(*n / 2).abs() * power(Number(2), *n - 1) / whole_factorial(*n)) * pow(pi(), *n);
  } else {
    return false;
  }
  return true;
}

// At positive integers and halves, by 5.4.14, 5.4.15.
bool exact_digamma(Args a, Expr& r) {
  if (!a[0].is_number() || a[0].number().is_double()) return false;
  const auto twice = (a[0].number() * Number(2)).word();
  if (!twice || *twice <= 0 || *twice > 60) return false;
  Number sum(0);
  for (Number x = *twice % 2 == 0 ? Number(1) : Number(1, 2); compare(x, a[0].number()) < 0; x = x + Number(1))
    sum = sum + Number(1) / x;
  r = Expr(sum) - egamma() - (*twice % 2 == 0 ? Expr(0) : 2 * log(Expr(2)));
  return true;
}

bool exact_polygamma(Args a, Expr& r) {  // 5.15.2, 5.15.3, 5.15.5
  if (a[0].is_integer(0)) {
    r = digamma(a[1]);
    return true;
  }
  const auto n = a[0].word();
  if (!n || *n < 0 || *n > 30 || !a[1].is_number() || a[1].number().is_double()) return false;
  const auto twice = (a[1].number() * Number(2)).word();
  if (!twice || *twice <= 0 || *twice > 40) return false;
  Number sum(0);
  for (Number x = *twice % 2 == 0 ? Number(1) : Number(1, 2); compare(x, a[1].number()) < 0; x = x + Number(1))
    sum = sum + power(x, -(*n + 1));
  const Expr at_start = (*twice % 2 == 0 ? Expr(1) : Expr(power(Number(2), *n + 1) - Number(1))) * zeta(*n + 1);
  r = (*n % 2 == 0 ? -1 : 1) * Expr(whole_factorial(*n)) * (at_start - Expr(sum));
  return true;
}

bool exact_dilog(Args a, Expr& r) {
  if (a[0].is_integer(0)) {
    r = 0;
  } else if (a[0].is_integer(1)) {
    r = pow(pi(), 2) / 6;
  } else if (a[0].is_integer(-1)) {
    r = -pow(pi(), 2) / 12;
  } else {
    return false;
  }
  return true;
}

bool exact_polylog(Args a, Expr& r) {
  if (a[1].is_integer(0)) {
    r = 0;
  } else if (a[0].is_integer(0)) {
    r = a[1] / (1 - a[1]);
  } else if (a[0].is_integer(1)) {
    r = -log(1 - a[1]);
  } else if (a[0].is_integer(2)) {
    r = dilog(a[1]);
  } else {
    return false;
  }
  return true;
}

bool exact_incomplete_gamma(Args a, Expr& r) {
  if (a[0].is_integer(1)) {
    r = exp(-a[1]);
  } else if (a[1].is_integer(0) && is_positive(a[0])) {
    r = gamma(a[0]);
  } else {
    return false;
  }
  return true;
}

// Exact for numbers, and a polynomial in n for a small k.
bool exact_binomial(Args a, Expr& r) {
  const auto k = a[1].word();
  if (k && *k < 0) {
    // 0 for whole n that are not negative; elsewhere the quotient of gamma functions is taken at its poles
    if (!is_integer(a[0]) || !is_nonnegative(a[0])) return false;
    r = 0;
    return true;
  }
  constexpr std::int64_t longest = 12;
  if (!k || (*k > longest && !(exact_number(a[0]) && *k <= 1000))) {
    if (a[0] == a[1] && is_nonnegative(a[0])) {
      r = 1;
      return true;
    }
    const auto n = a[0].word();
    if (n && k && *n >= 0) {
      if (*k > *n) {
        r = 0;
        return true;
      }
      if (*n - *k <= 1000) {
        r = binomial(a[0], a[0] - a[1]);
        return true;
      }
    }
    return false;
  }
  std::vector<Expr> factors{Expr(Number(1) / whole_factorial(*k))};
  for (std::int64_t i = 0; i < *k; ++i) factors.push_back(a[0] - i);
  r = multiply(factors);
  return true;
}

// By 1.2.6 in gamma functions, the reciprocal ones of which are entire; at the poles of gamma(n + 1) for whole k by the
// reflection (-1)^k*binomial(k - n - 1, k).
void ball_binomial(Ball& r, Balls x, long p) {
  Ball n = x[0];
  const Ball k = x[1];
  bool negate = false;
  if (acb_is_int(n.get()) != 0 && arf_sgn(arb_midref(n.re())) < 0) {
    if (acb_is_int(k.get()) == 0) {
      acb_indeterminate(r.get());
      return;
    }
    if (arf_sgn(arb_midref(k.re())) < 0) {
      acb_zero(r.get());
      return;
    }
    negate = arb_is_int_2exp_si(k.re(), 1) == 0;
    acb_sub(n.get(), k.get(), n.get(), p);
    acb_sub_ui(n.get(), n.get(), 1, p);
  }
  Ball a;
  Ball b;
  acb_sub(b.get(), n.get(), k.get(), p);
  acb_add_ui(b.get(), b.get(), 1, p);
  acb_rgamma(b.get(), b.get(), p);
  acb_add_ui(a.get(), k.get(), 1, p);
  acb_rgamma(a.get(), a.get(), p);
  acb_mul(b.get(), b.get(), a.get(), p);
  acb_add_ui(a.get(), n.get(), 1, p);
  acb_gamma(a.get(), a.get(), p);
  acb_mul(r.get(), a.get(), b.get(), p);
  if (negate) acb_neg(r.get(), r.get());
}

Expr polygamma_shifted(Args a, std::size_t i) {
  if (i == 0) no_rule("polygamma(n, x) with respect to n");
  return polygamma(a[0] + 1, a[1]);
}

// Derivatives have whole orders; between them, and far beyond those that occur, the library may not come to an end.
void ball_polygamma(Ball& r, Balls x, long p) {
  constexpr long most = 10000;
  if (x[0].real() && arb_is_int(x[0].re()) != 0 && arb_is_nonnegative(x[0].re()) != 0 &&
      arf_cmp_si(arb_midref(x[0].re()), most) <= 0) {
    acb_polygamma(r.get(), x[0].get(), x[1].get(), p);
  } else {
    acb_indeterminate(r.get());
  }
}

void ball_lgamma(Ball& r, Balls x, long p) {
  if (x[0].real() && arb_is_positive(x[0].re()) == 0) {
    acb_gamma(r.get(), x[0].get(), p);
    arb_abs(r.re(), r.re());
    acb_log(r.get(), r.get(), p);
    return;
  }
  acb_lgamma(r.get(), x[0].get(), p);
}

// B(x, m) = (m - 1)!/(x*(x + 1)*...*(x + m - 1)) for a whole m > 0: also where x and x + m are poles of gamma.
std::optional<std::int64_t> whole_order_of_beta(const Expr& b) {
  const auto m = b.word();
  return m && *m >= 1 && *m <= 40 ? m : std::nullopt;
}

bool exact_beta(Args a, Expr& r) {
  for (const std::size_t i : {0U, 1U}) {
    const auto m = whole_order_of_beta(a[i]);
    const Expr& x = a[1 - i];
    if (!m || !x.is_number() || !x.number().is_exact()) continue;
    Number value = whole_factorial(*m - 1);
    for (std::int64_t k = 0; k < *m; ++k) {
      const Number factor = x.number() + Number(k);
      if (factor.is_zero()) {
        r = undefined();
        return true;
      }
      value = value / factor;
    }
    r = value;
    return true;
  }
  return false;
}

// The same in balls; false for another order.
bool ball_beta_of_whole_order(Ball& r, const Ball& x, const Ball& order, long p) {
  if (!order.real() || arb_is_int(order.re()) == 0 || arf_cmp_si(arb_midref(order.re()), 1) < 0 ||
      arf_cmp_si(arb_midref(order.re()), 40) > 0)
    return false;
  const long m = arf_get_si(arb_midref(order.re()), ARF_RND_NEAR);
  Ball product;
  acb_rising_ui(product.get(), x.get(), static_cast<unsigned long>(m), p);
  acb_set_si(r.get(), 1);
  for (long k = 2; k < m; ++k) acb_mul_si(r.get(), r.get(), k, p);
  acb_div(r.get(), r.get(), product.get(), p);
  return true;
}

// B(a, b) = gamma(a)*gamma(b)/gamma(a + b) (5.12.1), with the entire 1/gamma so that poles of gamma(a + b) give 0.
void ball_beta(Ball& r, Balls x, long p) {
  if (ball_beta_of_whole_order(r, x[0], x[1], p) || ball_beta_of_whole_order(r, x[1], x[0], p)) return;
  Ball s;
  acb_add(s.get(), x[0].get(), x[1].get(), p);
  acb_rgamma(s.get(), s.get(), p);
  Ball a;
  acb_gamma(a.get(), x[0].get(), p);
  acb_gamma(r.get(), x[1].get(), p);
  acb_mul(r.get(), r.get(), a.get(), p);
  acb_mul(r.get(), r.get(), s.get(), p);
}

// NIST 25.2.5; only whole orders have one.
void ball_stieltjes(Ball& r, Balls x, long p) {
  constexpr long most = 100000;
  if (!x[0].real() || arb_is_int(x[0].re()) == 0 || arb_is_nonnegative(x[0].re()) == 0 ||
      arf_cmp_si(arb_midref(x[0].re()), most) > 0) {
    acb_indeterminate(r.get());
    return;
  }
  fmpz_t n;
  fmpz_init_set_si(n, arf_get_si(arb_midref(x[0].re()), ARF_RND_NEAR));
  Ball one;
  acb_one(one.get());
  acb_dirichlet_stieltjes(r.get(), n, one.get(), p);
  fmpz_clear(n);
}

double real_gamma(RealArgs x) {
  if (x[0] <= 0 && x[0] == std::floor(x[0])) return std::numeric_limits<double>::quiet_NaN();
  return std::tgamma(x[0]);
}

double real_lgamma(RealArgs x) {
  if (x[0] <= 0 && x[0] == std::floor(x[0])) return std::numeric_limits<double>::quiet_NaN();
  int sign = 0;
  return ::lgamma_r(x[0], &sign);  // std::lgamma writes a global
}

constexpr auto no_pole = "anything but 0, -1, -2, ...";

std::uint16_t positive_if_positive(std::uint16_t a) {
  return (a & bit(Assumption::positive)) != 0 ? bit(Assumption::positive) : std::uint16_t{0};
}

// For a large real order the first terms z^k/k^s are enough, beyond |z| = 1 too: after n of them, |z|^(n + 1)/((n +
// 1)^s*d) is left at most, d being the least |1 - z*exp(-t)| for t >= 0 (from the integral 25.12.11 of the NIST
// Handbook).
bool polylog_by_terms(Ball& r, const Ball& s, const Ball& z, long p) {
  const double order = midpoint(s.re());
  if (!s.real() || !(order > 20) || !z.finite() || mag_cmp_2exp_si(arb_radref(s.re()), -20) > 0) return false;
  mag_t size;
  mag_init(size);
  acb_get_mag(size, z.get());
  const double log_size = mag_get_d_log2_approx(size) + 1e-3;
  mag_clear(size);
  const double re = midpoint(z.re());
  const double im = std::abs(midpoint(z.im()));
  const double modulus = std::hypot(re, im);
  const double distance = re <= 0 ? 1 : modulus < 0.99 ? 1 - modulus : im / modulus;
  if (!(distance > 1e-6) || !std::isfinite(log_size)) return false;
  const auto left = [&](unsigned long n) {
    return static_cast<double>(n + 1) * log_size - (order - 1e-5) * std::log2(static_cast<double>(n + 1)) -
           std::log2(distance) + 2;
  };
  constexpr unsigned long most_terms = 200;
  unsigned long n = 1;
  while (n < most_terms && left(n) > log_size - static_cast<double>(p) - 5) ++n;
  if (n == most_terms) return false;
  Ball power = z;
  Ball term;
  acb_set(r.get(), z.get());
  for (unsigned long k = 2; k <= n; ++k) {
    acb_mul(power.get(), power.get(), z.get(), p);
    arb_log_ui(term.re(), k, p);
    arb_mul(term.re(), term.re(), s.re(), p);
    arb_neg(term.re(), term.re());
    arb_exp(term.re(), term.re(), p);
    arb_zero(term.im());
    acb_addmul(r.get(), power.get(), term.get(), p);
  }
  mag_t error;
  mag_init(error);
  mag_set_ui_2exp_si(error, 1, static_cast<slong>(std::ceil(std::max(left(n), -1e9))));
  arb_add_error_mag(r.re(), error);
  if (!z.real()) arb_add_error_mag(r.im(), error);
  mag_clear(error);
  return true;
}

void ball_polylog(Ball& r, Balls x, long p) {
  constexpr double slow = 200;  // from here on the general method takes seconds
  if (polylog_by_terms(r, x[0], x[1], p)) return;
  if (std::abs(midpoint(x[0].re())) > slow || std::abs(midpoint(x[0].im())) > slow) {
    acb_indeterminate(r.get());
    return;
  }
  acb_polylog(r.get(), x[0].get(), x[1].get(), p);
}

}  // namespace

std::span<const FunctionRow> gamma_rows() {
  static const FunctionRow rows[] = {
      {.name = "gamma",
       .summary = "gamma function; gamma(n + 1) = n!",
       .latex = "\\Gamma",
       .unicode = "Γ",
       .c_name = "tgamma",
       .c_template = "($1 == 0 ? (double)NAN : tgamma($1))",
       .overflows = true,
       .also_letter = true,
       .domain = no_pole,
       .exact = exact_gamma,
       .facts = positive_if_positive,
       .derivative = [](Args a, std::size_t) { return gamma(a[0]) * digamma(a[0]); },
       .real = real_gamma,
       .ball = [](Ball& r, Balls x, long p) { acb_gamma(r.get(), x[0].get(), p); }},
      {.name = "factorial",
       .summary = "factorial(n) = gamma(n + 1)",
       .latex = "\\operatorname{factorial}",
       .mathml = "factorial",
       .overflows = true,
       .domain = "anything but -1, -2, ...",
       .exact =
           [](Args a, Expr& r) {
             r = gamma(a[0] + 1);
             return true;
           },
       .derivative = [](Args a, std::size_t) { return gamma(a[0] + 1) * digamma(a[0] + 1); },
       .real =
           [](RealArgs x) {
             const double y[] = {x[0] + 1};
             return real_gamma(y);
           },
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball y;
             acb_add_ui(y.get(), x[0].get(), 1, p);
             acb_gamma(r.get(), y.get(), p);
           }},
      {.name = "binomial",
       .summary = "binomial(n, k) = gamma(n + 1)/(gamma(k + 1)*gamma(n - k + 1)); k negative and whole: 0",
       .min_args = 2,
       .max_args = 2,
       .overflows = true,
       .domain = "no negative whole n with a broken k",
       .exact = exact_binomial,
       .facts = real_if_real,
       .derivative =
           [](Args a, std::size_t i) {
             const Expr last = digamma(a[0] - a[1] + 1);
             return binomial(a[0], a[1]) * (i == 0 ? digamma(a[0] + 1) - last : last - digamma(a[1] + 1));
           },
       .ball = ball_binomial},
      {.name = "lgamma",
       .summary = "log(abs(gamma(x))) for real x",
       .latex = "\\ln\\Gamma",
       .c_name = "lgamma",
       .c_template = "($1 <= 0 && floor($1) == $1 ? (double)NAN : lgamma($1))",
       .overflows = true,
       .domain = no_pole,
       .exact =
           [](Args a, Expr& r) {
             if (!a[0].is_integer(1) && !a[0].is_integer(2)) return false;
             r = 0;
             return true;
           },
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return digamma(a[0]); },
       .real = real_lgamma,
       .ball = ball_lgamma},
      {.name = "digamma",
       .summary = "derivative of log(gamma(x))",
       .latex = "\\psi",
       .unicode = "ψ",
       .domain = no_pole,
       .exact = exact_digamma,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return polygamma(1, a[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_digamma(r.get(), x[0].get(), p); }},
      {.name = "polygamma",
       .summary = "polygamma(n, x): derivative of order n of digamma, n = 0, 1, 2, ...",
       .min_args = 2,
       .max_args = 2,
       .latex = "\\psi",
       .orders = 1,
       .domain = "a whole order from 0 to 10000 and an argument other than 0, -1, -2, ...",
       .exact = exact_polygamma,
       .facts = real_if_real,
       .derivative = polygamma_shifted,
       .ball = ball_polygamma},
      {.name = "beta",
       .summary = "gamma(a)*gamma(b)/gamma(a + b)",
       .min_args = 2,
       .max_args = 2,
       .latex = "\\mathrm{B}",
       .unicode = "Β",
       .also_letter = true,
       .domain = no_pole,
       .exact = exact_beta,
       .facts = positive_if_positive,
       .derivative = [](Args a, std::size_t i) { return beta(a[0], a[1]) * (digamma(a[i]) - digamma(a[0] + a[1])); },
       .ball = ball_beta},
      {.name = "zeta",
       .summary = "Riemann zeta function",
       .latex = "\\zeta",
       .unicode = "ζ",
       .also_letter = true,
       .domain = "anything but 1",
       .exact = exact_zeta,
       .facts = real_if_real,
       .derivative = [](Args, std::size_t) -> Expr { no_rule("zeta(x)"); },
       .ball = [](Ball& r, Balls x, long p) { acb_zeta(r.get(), x[0].get(), p); }},
      {.name = "stieltjes",
       .summary = "coefficients of zeta about 1: zeta(1 + u) = 1/u + the sum of (-u)^n*stieltjes(n)/n!",
       .latex = "\\gamma",
       .unicode = "γ",
       .analytic = false,
       .domain = "a whole number from 0 on",
       .exact =
           [](Args a, Expr& r) {
             if (a[0].is_integer(0)) r = egamma();
             return a[0].is_integer(0);
           },
       .facts = [](std::uint16_t) { return bit(Assumption::real); },
       .derivative = [](Args, std::size_t) -> Expr { no_rule("stieltjes(n)"); },
       .ball = ball_stieltjes},
      {.name = "incomplete_gamma",
       .summary = "incomplete_gamma(a, x): integral of t^(a - 1)*exp(-t) from x to infinity",
       .min_args = 2,
       .max_args = 2,
       .latex = "\\Gamma",
       .unicode = "Γ",
       .domain = "a positive second argument, or 0 for a > 0",
       .exact = exact_incomplete_gamma,
       .facts = positive_if_positive,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_rule("incomplete_gamma(a, x) with respect to a");
         return -pow(a[1], a[0] - 1) * exp(-a[1]);
       },
       .ball = [](Ball& r, Balls x, long p) { acb_hypgeom_gamma_upper(r.get(), x[0].get(), x[1].get(), 0, p); }},
      {.name = "dilog",
       .summary = "dilogarithm Li_2(x) = -integral of log(1 - t)/t from 0 to x",
       .latex = "\\mathrm{Li}_2",
       .unicode = "Li₂",
       .domain = "an argument of at most 1",
       .exact = exact_dilog,
       .derivative = [](Args a, std::size_t) { return -log(1 - a[0]) / a[0]; },
       .ball = [](Ball& r, Balls x, long p) { acb_polylog_si(r.get(), 2, x[0].get(), p); }},
      {.name = "polylog",
       .summary = "polylog(s, x): sum of x^k/k^s over k >= 1",
       .min_args = 2,
       .max_args = 2,
       .latex = "\\mathrm{Li}",
       .unicode = "Li",
       .orders = 1,
       .domain = "a second argument below 1",
       .exact = exact_polylog,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i == 0) no_rule("polylog(s, x) with respect to s");
         return polylog(a[0] - 1, a[1]) / a[1];
       },
       .ball = ball_polylog},
  };
  return rows;
}

}  // namespace boreon
