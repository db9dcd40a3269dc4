// SPDX-License-Identifier: MIT
// Circular and hyperbolic functions and their inverses. Derivatives: NIST Handbook 4.20, 4.24, 4.34, 4.38.
#include <cmath>

#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

const Expr half = Expr(1) / Expr(2);

/// sin(pi*k/12) for 0 <= k <= 6.
Expr sine_of_twelfth(std::int64_t k) {
  switch (k) {
    case 0: return 0;
    case 1: return (sqrt(6) - sqrt(2)) / 4;
    case 2: return half;
    case 3: return sqrt(2) / 2;
    case 4: return sqrt(3) / 2;
    case 5: return (sqrt(6) + sqrt(2)) / 4;
    default: return 1;
  }
}

/// The rational q with e = q*pi.
bool multiple_of_pi(const Expr& e, Number& q) {
  if (e.is_integer(0)) {
    q = 0;
    return true;
  }
  if (e.is_constant(ConstantCode::pi)) {
    q = 1;
    return true;
  }
  if (!e.is(Kind::product) || e.operands().size() != 3) return false;
  if (!e.operands()[1].is_constant(ConstantCode::pi) || !e.operands()[2].is_integer(1)) return false;
  q = e.operands()[0].number();
  return q.is_exact();
}

/// sin(q*pi), by symmetry from the first quadrant.
bool sine_of_pi_times(Number q, Expr& result) {
  q = q - Number(2) * (q * Number(1, 2)).floor();  // 0 <= q < 2
  bool negative = false;
  if (compare(q, 1) >= 0) {
    q = q - Number(1);
    negative = true;
  }
  if (compare(q, Number(1, 2)) > 0) q = Number(1) - q;
  const auto k = (q * Number(12)).word();
  if (!k) return false;
  result = sine_of_twelfth(*k);
  if (negative) result = -result;
  return true;
}

bool exact_sin(Args a, Expr& r) {
  if (Number q; multiple_of_pi(a[0], q)) return sine_of_pi_times(q, r);
  if (is_call_of(a[0], "asin")) {
    r = a[0].operands()[0];
    return true;
  }
  return false;
}

bool exact_cos(Args a, Expr& r) {
  if (Number q; multiple_of_pi(a[0], q)) return sine_of_pi_times(q + Number(1, 2), r);
  if (is_call_of(a[0], "acos")) {
    r = a[0].operands()[0];
    return true;
  }
  return false;
}

bool exact_tan(Args a, Expr& r) {
  if (Number q; multiple_of_pi(a[0], q)) {
    Expr s;
    Expr c;
    if (!sine_of_pi_times(q, s) || !sine_of_pi_times(q + Number(1, 2), c)) return false;
    if ((q * Number(12)).word() && *(q * Number(12)).word() % 2 != 0 && !(q * Number(4)).is_integer()) {
      // tan(pi/12) = 2 - sqrt(3), tan(5*pi/12) = 2 + sqrt(3)
      const Number m = q - q.floor();
      const auto k = *(m * Number(12)).word();
      r = k == 1 ? 2 - sqrt(3) : k == 5 ? 2 + sqrt(3) : k == 7 ? -2 - sqrt(3) : sqrt(3) - 2;
      return true;
    }
    r = s / c;
    return true;
  }
  if (is_call_of(a[0], "atan")) {
    r = a[0].operands()[0];
    return true;
  }
  return false;
}

// Angles with a known sine, for asin; acos = pi/2 - asin.
bool known_arcsine(const Expr& x, Expr& r) {
  for (std::int64_t k = 0; k <= 6; ++k) {
    const Expr s = sine_of_twelfth(k);
    if (x == s) {
      r = Expr(Number(k, 12)) * pi();
      return true;
    }
    if (x == -s) {
      r = Expr(Number(-k, 12)) * pi();
      return true;
    }
  }
  return false;
}

// Odd functions stay odd on their cuts: beyond 1 the value is that from below (imaginary part -0 in the C standard, annex
// G.6), beyond -1 that from above, as Arb has it. With +0 everywhere asin(-x) = -asin(x) would fail.
std::complex<double> odd_on_cut(std::complex<double> (*f)(const std::complex<double>&), std::complex<double> x) {
  if (x.imag() == 0) x = {x.real(), x.real() > 0 ? -0.0 : 0.0};
  return f(x);
}

bool exact_asin(Args a, Expr& r) { return known_arcsine(a[0], r); }

bool exact_acos(Args a, Expr& r) {
  if (!known_arcsine(a[0], r)) return false;
  r = pi() / 2 - r;
  return true;
}

bool exact_atan(Args a, Expr& r) {
  if (a[0].is_integer(0)) {
    r = 0;
  } else if (a[0].is_integer(1)) {
    r = pi() / 4;
  } else if (a[0] == sqrt(3)) {
    r = pi() / 3;
  } else if (a[0] == sqrt(3) / 3) {
    r = pi() / 6;
  } else if (a[0].is_constant(ConstantCode::infinity)) {
    r = pi() / 2;
  } else {
    return false;
  }
  return true;
}

bool exact_atan2(Args a, Expr& r) {
  const Expr& y = a[0];
  const Expr& x = a[1];
  if (is_positive(x)) {
    r = atan(y / x);
  } else if (y.is_integer(0) && is_negative(x)) {
    r = pi();
  } else if (x.is_integer(0) && is_positive(y)) {
    r = pi() / 2;
  } else if (x.is_integer(0) && is_negative(y)) {
    r = -pi() / 2;
  } else if (y.is_number() && x.is_number() && y.number().is_exact() && x.number().is_exact() &&
             x.number().sign() < 0) {
    r = atan(y / x) + (y.number().sign() < 0 ? -pi() : pi());
  } else {
    return false;
  }
  return true;
}

std::complex<double> complex_atan2(ComplexArgs a) {
  if (a[0].imag() == 0 && a[1].imag() == 0) return std::atan2(a[0].real(), a[1].real());
  const std::complex<double> i(0, 1);
  return -i * std::log((a[1] + i * a[0]) / std::sqrt(a[1] * a[1] + a[0] * a[0]));
}

void ball_atan2(Ball& r, Balls a, long p) {
  if (a[0].real() && a[1].real()) {
    acb_zero(r.get());
    arb_atan2(r.re(), a[0].re(), a[1].re(), p);
    return;
  }
  Ball d;
  Ball n;
  acb_mul(d.get(), a[0].get(), a[0].get(), p);
  acb_addmul(d.get(), a[1].get(), a[1].get(), p);
  acb_sqrt(d.get(), d.get(), p);
  acb_mul_onei(n.get(), a[0].get());
  acb_add(n.get(), n.get(), a[1].get(), p);
  acb_div(n.get(), n.get(), d.get(), p);
  acb_log(n.get(), n.get(), p);
  acb_div_onei(r.get(), n.get());
}

constexpr auto no_zero_of_cosine = "no odd multiple of pi/2";
constexpr auto unit_interval = "an argument between -1 and 1";

}  // namespace

std::span<const FunctionRow> trigonometric_rows() {
  static const FunctionRow rows[] = {
      {.name = "sin",
       .summary = "sine",
       .latex = "\\sin",
       .mathml = "sin",
       .c_name = "sin",
       .parity = Parity::odd,
       .exact = exact_sin,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return cos(a[0]); },
       .real = [](RealArgs x) { return std::sin(x[0]); },
       .complex = [](ComplexArgs x) { return std::sin(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_sin(r.get(), x[0].get(), p); }},
      {.name = "cos",
       .summary = "cosine",
       .latex = "\\cos",
       .mathml = "cos",
       .c_name = "cos",
       .parity = Parity::even,
       .exact = exact_cos,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return -sin(a[0]); },
       .real = [](RealArgs x) { return std::cos(x[0]); },
       .complex = [](ComplexArgs x) { return std::cos(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_cos(r.get(), x[0].get(), p); }},
      {.name = "tan",
       .summary = "tangent",
       .latex = "\\tan",
       .mathml = "tan",
       .c_name = "tan",
       .parity = Parity::odd,
       .exact = exact_tan,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return 1 + pow(tan(a[0]), 2); },
       .real = [](RealArgs x) { return std::tan(x[0]); },
       .complex = [](ComplexArgs x) { return std::tan(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_tan(r.get(), x[0].get(), p); }},
      {.name = "sec",
       .summary = "1/cos(x)",
       .latex = "\\sec",
       .mathml = "sec",
       .parity = Parity::even,
       .domain = no_zero_of_cosine,
       .exact =
           [](Args a, Expr& r) {
             r = 1 / cos(a[0]);
             return true;
           },
       .derivative = [](Args a, std::size_t) { return sin(a[0]) / pow(cos(a[0]), 2); },
       .ball = [](Ball& r, Balls x, long p) { acb_sec(r.get(), x[0].get(), p); }},
      {.name = "csc",
       .summary = "1/sin(x)",
       .latex = "\\csc",
       .mathml = "csc",
       .parity = Parity::odd,
       .domain = "no multiple of pi",
       .exact =
           [](Args a, Expr& r) {
             r = 1 / sin(a[0]);
             return true;
           },
       .derivative = [](Args a, std::size_t) { return -cos(a[0]) / pow(sin(a[0]), 2); },
       .ball = [](Ball& r, Balls x, long p) { acb_csc(r.get(), x[0].get(), p); }},
      {.name = "cot",
       .summary = "cos(x)/sin(x)",
       .latex = "\\cot",
       .mathml = "cot",
       .parity = Parity::odd,
       .domain = "no multiple of pi",
       .exact =
           [](Args a, Expr& r) {
             r = cos(a[0]) / sin(a[0]);
             return true;
           },
       .derivative = [](Args a, std::size_t) { return -1 / pow(sin(a[0]), 2); },
       .ball = [](Ball& r, Balls x, long p) { acb_cot(r.get(), x[0].get(), p); }},
      {.name = "asin",
       .summary = "inverse sine",
       .latex = "\\arcsin",
       .mathml = "arcsin",
       .c_name = "asin",
       .parity = Parity::odd,
       .domain = unit_interval,
       .exact = exact_asin,
       .derivative = [](Args a, std::size_t) { return 1 / sqrt(1 - pow(a[0], 2)); },
       .real = [](RealArgs x) { return std::asin(x[0]); },
       .complex = [](ComplexArgs x) { return odd_on_cut(std::asin<double>, x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_asin(r.get(), x[0].get(), p); }},
      {.name = "acos",
       .summary = "inverse cosine",
       .latex = "\\arccos",
       .mathml = "arccos",
       .c_name = "acos",
       .domain = unit_interval,
       .exact = exact_acos,
       .derivative = [](Args a, std::size_t) { return -1 / sqrt(1 - pow(a[0], 2)); },
       .real = [](RealArgs x) { return std::acos(x[0]); },
       .complex = [](ComplexArgs x) { return odd_on_cut(std::acos<double>, x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_acos(r.get(), x[0].get(), p); }},
      {.name = "atan",
       .summary = "inverse tangent",
       .latex = "\\arctan",
       .mathml = "arctan",
       .c_name = "atan",
       .parity = Parity::odd,
       .exact = exact_atan,
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return 1 / (1 + pow(a[0], 2)); },
       .real = [](RealArgs x) { return std::atan(x[0]); },
       .complex = [](ComplexArgs x) { return std::atan(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_atan(r.get(), x[0].get(), p); }},
      {.name = "atan2",
       .summary = "atan2(y, x): angle of the point (x, y)",
       .min_args = 2,
       .max_args = 2,
       .c_name = "atan2",
       .exact = exact_atan2,
       .facts = real_if_real,
       .derivative =
           [](Args a, std::size_t i) {
             const Expr r2 = pow(a[0], 2) + pow(a[1], 2);
             return i == 0 ? a[1] / r2 : -a[0] / r2;
           },
       .real = [](RealArgs x) { return std::atan2(x[0], x[1]); },
       .complex = complex_atan2,
       .ball = ball_atan2},
      {.name = "sinh",
       .summary = "hyperbolic sine",
       .latex = "\\sinh",
       .mathml = "sinh",
       .c_name = "sinh",
       .parity = Parity::odd,
       .overflows = true,
       .exact = at_zero<0>,
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return cosh(a[0]); },
       .real = [](RealArgs x) { return std::sinh(x[0]); },
       .complex = [](ComplexArgs x) { return std::sinh(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_sinh(r.get(), x[0].get(), p); }},
      {.name = "cosh",
       .summary = "hyperbolic cosine",
       .latex = "\\cosh",
       .mathml = "cosh",
       .c_name = "cosh",
       .parity = Parity::even,
       .overflows = true,
       .exact = at_zero<1>,
       .facts = positive_if_real,
       .derivative = [](Args a, std::size_t) { return sinh(a[0]); },
       .real = [](RealArgs x) { return std::cosh(x[0]); },
       .complex = [](ComplexArgs x) { return std::cosh(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_cosh(r.get(), x[0].get(), p); }},
      {.name = "tanh",
       .summary = "hyperbolic tangent",
       .latex = "\\tanh",
       .mathml = "tanh",
       .c_name = "tanh",
       .parity = Parity::odd,
       .exact = at_zero<0>,
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return 1 - pow(tanh(a[0]), 2); },
       .real = [](RealArgs x) { return std::tanh(x[0]); },
       .complex = [](ComplexArgs x) { return std::tanh(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_tanh(r.get(), x[0].get(), p); }},
      {.name = "asinh",
       .summary = "inverse hyperbolic sine",
       .mathml = "arcsinh",
       .c_name = "asinh",
       .parity = Parity::odd,
       .exact = at_zero<0>,
       .facts = sign_of_argument,
       .derivative = [](Args a, std::size_t) { return 1 / sqrt(1 + pow(a[0], 2)); },
       .real = [](RealArgs x) { return std::asinh(x[0]); },
       .complex = [](ComplexArgs x) { return std::asinh(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_asinh(r.get(), x[0].get(), p); }},
      {.name = "acosh",
       .summary = "inverse hyperbolic cosine",
       .mathml = "arccosh",
       .c_name = "acosh",
       .domain = "an argument of at least 1",
       .derivative = [](Args a, std::size_t) { return 1 / (sqrt(a[0] - 1) * sqrt(a[0] + 1)); },
       .real = [](RealArgs x) { return std::acosh(x[0]); },
       .complex = [](ComplexArgs x) { return std::acosh(x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_acosh(r.get(), x[0].get(), p); }},
      {.name = "atanh",
       .summary = "inverse hyperbolic tangent",
       .mathml = "arctanh",
       .c_name = "atanh",
       .parity = Parity::odd,
       .domain = "an argument between -1 and 1, the ends excluded",
       .exact = at_zero<0>,
       .derivative = [](Args a, std::size_t) { return 1 / (1 - pow(a[0], 2)); },
       .real = [](RealArgs x) { return std::atanh(x[0]); },
       .complex = [](ComplexArgs x) { return odd_on_cut(std::atanh<double>, x[0]); },
       .ball = [](Ball& r, Balls x, long p) { acb_atanh(r.get(), x[0].get(), p); }},
  };
  return rows;
}

}  // namespace boreon
