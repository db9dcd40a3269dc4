// SPDX-License-Identifier: MIT
// Exponentials, logarithms, roots, and Lambert's W. Derivatives: NIST Handbook 4.7, 4.13.
#include <acb_hypgeom.h>

#include <cmath>
#include <numbers>
#include <optional>

#include "boreon/error.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

bool exact_exp(Args a, Expr& r) {
  if (a[0].is_integer(0)) {
    r = 1;
  } else if (is_call_of(a[0], "log")) {
    r = a[0].operands()[0];
  } else if (a[0].is_constant(ConstantCode::infinity)) {
    r = infinity();
  } else if (a[0] == -infinity()) {
    r = 0;
  } else if (a[0].is(Kind::product) && a[0].operands().size() == 3 && is_call_of(a[0].operands()[1], "log") &&
             a[0].operands()[2].is_integer(1)) {
    r = power(a[0].operands()[1].operands()[0], a[0].operands()[0]);  // exp(c*log(x)) = x^c by definition
  } else {
    return false;
  }
  return true;
}

// q of q*i.
std::optional<Number> exact_multiple_of_i(const Expr& e) {
  if (!e.is(Kind::product) && !e.is_constant(ConstantCode::imaginary)) return std::nullopt;
  const Expr q = e / imaginary_unit();
  return q.is_number() && q.number().is_exact() && !q.is_integer(0) ? std::optional<Number>(q.number()) : std::nullopt;
}

bool exact_log(Args a, Expr& r) {
  if (a[0].is_integer(1)) {
    r = 0;
  } else if (a[0].is_integer(0)) {
    r = -infinity();
  } else if (a[0].is_constant(ConstantCode::infinity)) {
    r = infinity();
  } else if (is_call_of(a[0], "exp") && is_real(a[0].operands()[0])) {
    r = a[0].operands()[0];
  } else if (const auto q = exact_multiple_of_i(a[0])) {
    r = log(Expr(q->abs())) + Expr(Number(q->sign(), 2)) * imaginary_unit() * pi();
  } else if (a[0].is_number() && a[0].number().is_exact() && a[0].number().sign() < 0) {
    r = log(-a[0]) + imaginary_unit() * pi();
  } else {
    return false;
  }
  return true;
}

template <std::int64_t base>
bool exact_log_base(Args a, Expr& r) {
  if (a[0].is(Kind::power) && a[0].operands()[0].is_integer(base) && is_real(a[0].operands()[1])) {
    r = a[0].operands()[1];
    return true;
  }
  if (!a[0].is_number() || !a[0].number().is_exact() || a[0].number().sign() <= 0) return false;
  Number x = a[0].number();
  const bool inverse = compare(x, 1) < 0;
  if (inverse) x = Number(1) / x;
  if (!x.is_integer() || x.bits() > 4096) return false;
  std::int64_t n = 0;
  while (compare(x, 1) > 0) {
    x = x / Number(base);
    ++n;
    if (!x.is_integer()) return false;
  }
  r = inverse ? -n : n;
  return true;
}

bool exact_cbrt(Args a, Expr& r) {
  const Expr third = Expr(1) / Expr(3);
  if (is_nonnegative(a[0])) {
    r = power(a[0], third);
    return true;
  }
  if (a[0].is_number() && a[0].number().is_exact()) {
    r = -power(-a[0], third);
    return true;
  }
  return false;
}

bool power_of_cbrt(Args a, const Expr& n, Expr& r) {
  const auto k = n.word();
  if (!k || *k % 3 != 0 || !is_real(a[0])) return false;
  r = power(a[0], *k / 3);
  return true;
}

bool exact_hypot(Args a, Expr& r) {
  for (const Expr& x : a) {
    if (!x.is_number() || !x.number().is_exact()) return false;
  }
  r = 0;
  for (const Expr& x : a) r += x * x;
  r = sqrt(r);
  return true;
}

Expr derivative_of_hypot(Args a, std::size_t i) {
  return a[i] / (a.size() == 2 ? hypot(a[0], a[1]) : hypot(a[0], a[1], a[2]));
}

std::complex<double> complex_cbrt(ComplexArgs x) {
  if (x[0].imag() == 0) return std::cbrt(x[0].real());
  return std::pow(x[0], 1.0 / 3.0);
}

void ball_cbrt(Ball& r, Balls x, long p) {
  if (x[0].real() && arb_is_negative(x[0].re()) != 0) {
    acb_neg(r.get(), x[0].get());
    acb_root_ui(r.get(), r.get(), 3, p);
    acb_neg(r.get(), r.get());
  } else {
    acb_root_ui(r.get(), x[0].get(), 3, p);
  }
}

void log_with_base(Ball& r, Balls x, ulong base, long p) {
  Ball d;
  acb_log(r.get(), x[0].get(), p);
  arb_log_ui(d.re(), base, p);
  acb_div_arb(r.get(), r.get(), d.re(), p);
}

// W of the principal branch at 0 and exp(1), of the two real ones at their common end.
bool exact_lambert(Args a, Expr& r) {
  const Expr& x = a.back();
  const bool principal = a.size() == 1;
  const auto branch = principal ? std::optional<std::int64_t>(0) : a[0].word();
  if (!branch) return false;
  if (*branch == 0 && !principal) {
    r = call(*find_function("lambert_W"), {&x, 1});
    return true;
  }
  if (x == -exp(Expr(-1)) && (*branch == 0 || *branch == -1)) {
    r = -1;
  } else if (principal && x.is_integer(0)) {
    r = 0;
  } else if (principal && x == exp(Expr(1))) {
    r = 1;
  } else if (principal && x.is_constant(ConstantCode::infinity)) {
    r = infinity();
  } else {
    return false;
  }
  return true;
}

// Branches beyond 10^9 are refused; 0 and -1 are real from -exp(-1) on.
void ball_lambert(Ball& r, Balls x, long precision) {
  acb_indeterminate(r.get());
  slong branch = 0;
  if (x.size() == 2) {
    if (!x[0].real() || arb_is_int(x[0].re()) == 0 || arf_cmpabs_2exp_si(arb_midref(x[0].re()), 30) >= 0) return;
    branch = arf_get_si(arb_midref(x[0].re()), ARF_RND_DOWN);
  }
  const Ball& z = x.back();
  if (z.real() && (branch == 0 || branch == -1)) {
    Ball w;
    arb_lambertw(w.re(), z.re(), branch == 0 ? 0 : 1, precision);
    if (arb_is_finite(w.re()) != 0) {
      r = w;
      return;
    }
  }
  fmpz_t k;
  fmpz_init_set_si(k, branch);
  acb_lambertw(r.get(), z.get(), k, 0, precision);
  fmpz_clear(k);
}

}  // namespace

std::span<const FunctionRow> exponential_rows() {
  static const FunctionRow rows[] = {
      {.name = "exp",
       .summary = "exponential",
       .latex = "\\exp",
       .mathml = "exp",
       .c_name = "exp",
       .overflows = true,
       .exact = exact_exp,
       .power_rule =
           [](Args a, const Expr& n, Expr& r) {
             r = exp(n * a[0]);
             return true;
           },
       .facts = positive_if_real,
       .derivative = [](Args a, std::size_t) { return exp(a[0]); },
       .real = [](RealArgs x) { return std::exp(x[0]); },
       .complex = [](ComplexArgs x) { return std::exp(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_exp(r.get(), x[0].get(), p); }},
      {.name = "exp2",
       .summary = "2 to the power x",
       .max_args = 1,
       .c_name = "exp2",
       .overflows = true,
       .exact = at_zero<1>,
       .facts = positive_if_real,
       .derivative = [](Args a, std::size_t) { return log(2) * exp2(a[0]); },
       .real = [](RealArgs x) { return std::exp2(x[0]); },
       .complex = [](ComplexArgs x) { return std::exp(x[0] * std::numbers::ln2); },
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball two;
             acb_set_ui(two.get(), 2);
             acb_pow(r.get(), two.get(), x[0].get(), p);
           }},
      {.name = "expm1",
       .summary = "exp(x) - 1, accurate near 0",
       .c_name = "expm1",
       .overflows = true,
       .exact = at_zero<0>,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return exp(a[0]); },
       .real = [](RealArgs x) { return std::expm1(x[0]); },
       .complex = [](ComplexArgs x) { return std::exp(x[0]) - 1.0; },
       .ball = [](Ball& r, Balls x, long p) { acb_expm1(r.get(), x[0].get(), p); }},
      {.name = "log",
       .summary = "natural logarithm",
       .latex = "\\ln",
       .mathml = "ln",
       .c_name = "log",
       .domain = positive_argument,
       .exact = exact_log,
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::positive)) != 0 ? bit(Assumption::real) : std::uint16_t{0};
           },
       .derivative = [](Args a, std::size_t) { return 1 / a[0]; },
       .real = [](RealArgs x) { return std::log(x[0]); },
       .complex = [](ComplexArgs x) { return std::log(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_log(r.get(), x[0].get(), p); }},
      {.name = "log10",
       .summary = "logarithm to base 10",
       .latex = "\\log_{10}",
       .c_name = "log10",
       .domain = positive_argument,
       .exact = exact_log_base<10>,
       .derivative = [](Args a, std::size_t) { return 1 / (a[0] * log(10)); },
       .real = [](RealArgs x) { return std::log10(x[0]); },
       .complex = [](ComplexArgs x) { return std::log(x[0]) / std::numbers::ln10; },
       .ball = [](Ball& r, Balls x, long p) { log_with_base(r, x, 10, p); }},
      {.name = "log2",
       .summary = "logarithm to base 2",
       .latex = "\\log_{2}",
       .c_name = "log2",
       .domain = positive_argument,
       .exact = exact_log_base<2>,
       .derivative = [](Args a, std::size_t) { return 1 / (a[0] * log(2)); },
       .real = [](RealArgs x) { return std::log2(x[0]); },
       .complex = [](ComplexArgs x) { return std::log(x[0]) / std::numbers::ln2; },
       .ball = [](Ball& r, Balls x, long p) { log_with_base(r, x, 2, p); }},
      {.name = "log1p",
       .summary = "log(1 + x), accurate near 0",
       .c_name = "log1p",
       .domain = "an argument above -1",
       .exact = at_zero<0>,
       .derivative = [](Args a, std::size_t) { return 1 / (1 + a[0]); },
       .real = [](RealArgs x) { return std::log1p(x[0]); },
       .complex = [](ComplexArgs x) { return std::log(1.0 + x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_log1p(r.get(), x[0].get(), p); }},
      {.name = "sqrt",
       .summary = "square root, the same as x^(1/2)",
       .latex = "\\sqrt",
       .c_name = "sqrt",
       .domain = "a non-negative argument",
       .exact =
           [](Args a, Expr& r) {
             r = power(a[0], Expr(Number(1, 2)));
             return true;
           },
       .real = [](RealArgs x) { return std::sqrt(x[0]); },
       .complex = [](ComplexArgs x) { return std::sqrt(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_sqrt(r.get(), x[0].get(), p); }},
      {.name = "cbrt",
       .summary = "cube root, real for real arguments",
       .c_name = "cbrt",
       .parity = Parity::odd,
       .exact = exact_cbrt,
       .power_rule = power_of_cbrt,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return 1 / (3 * pow(cbrt(a[0]), 2)); },
       .real = [](RealArgs x) { return std::cbrt(x[0]); },
       .complex = complex_cbrt,
       .ball = ball_cbrt},
      {.name = "pow",
       .summary = "pow(x, y), the same as x^y",
       .min_args = 2,
       .max_args = 2,
       .c_name = "pow",
       .exact =
           [](Args a, Expr& r) {
             r = power(a[0], a[1]);
             return true;
           },
       .real = [](RealArgs x) { return std::pow(x[0], x[1]); },
       .complex = [](ComplexArgs x) { return std::pow(x[0], x[1]); },
       .ball = [](Ball& r, Balls x, long p) { acb_pow(r.get(), x[0].get(), x[1].get(), p); }},
      {.name = "hypot",
       .summary = "sqrt(x^2 + y^2) or sqrt(x^2 + y^2 + z^2)",
       .min_args = 2,
       .max_args = 3,
       .c_name = "hypot",
       .exact = exact_hypot,
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::real)) != 0 ? bit(Assumption::nonnegative) : std::uint16_t{0};
           },
       .derivative = derivative_of_hypot,
       .real = [](RealArgs x) { return x.size() == 2 ? std::hypot(x[0], x[1]) : std::hypot(x[0], x[1], x[2]); },
       .complex =
           [](ComplexArgs x) {
             std::complex<double> s = 0;
             for (const auto& v : x) s += v * v;
             return std::sqrt(s);
           },
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball s;
             for (const Ball& v : x) acb_addmul(s.get(), v.get(), v.get(), p);
             acb_sqrt(r.get(), s.get(), p);
           }},
      {.name = "lambert_W",
       .summary =
           "lambert_W(x): the w with w*exp(w) = x on the principal branch; lambert_W(k, x): on branch k, of which "
           "0 and -1 are real",
       .max_args = 2,
       .latex = "W",
       .unicode = "W",
       .domain = "an argument from -exp(-1) on; to below 0 on branch -1",
       .exact = exact_lambert,
       .derivative = [](Args a, std::size_t i) -> Expr {
         if (i + 1 != a.size())
           throw Error(ErrorKind::unsupported,
                       "the branch of lambert_W is a whole number: there is no derivative by it");
         const Expr w = call(*find_function("lambert_W"), a);
         return exp(-w) / (1 + w);
       },
       .ball = ball_lambert},
  };
  return rows;
}

}  // namespace boreon
