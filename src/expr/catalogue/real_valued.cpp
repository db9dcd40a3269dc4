// SPDX-License-Identifier: MIT
// Functions of real arguments that are piecewise smooth. Derivatives hold away from the jumps and kinks, with a
// dirac_delta term where the function itself jumps by a fixed amount (sign, heaviside); floor, ceil, round and trunc
// have derivative 0 between the integers.
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "expr/canonical.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

constexpr double nan = std::numeric_limits<double>::quiet_NaN();

bool exact_abs(Args a, Expr& r) {
  if (a[0].is_number()) {
    r = a[0].number().abs();
  } else if (is_nonnegative(a[0])) {
    r = a[0];
  } else if (is_negative(a[0])) {
    r = -a[0];
  } else if (a[0].is_constant(ConstantCode::imaginary)) {
    r = 1;
  } else if (is_call_of(a[0], "abs")) {
    r = a[0];
  } else if (const Scaled s = split_coefficient(a[0]); !s.coefficient.is_integer(1) && !s.coefficient.is_integer(-1)) {
    // the rest has no coefficient of its own, exact or not, so this ends
    r = Expr(s.coefficient.number().abs()) * abs(s.rest);
  } else {
    return false;
  }
  return true;
}

bool power_of_abs(Args a, const Expr& n, Expr& r) {
  const auto k = n.word();
  if (!k || *k % 2 != 0 || !is_real(a[0])) return false;
  r = power(a[0], n);
  return true;
}

bool exact_sign(Args a, Expr& r) {
  if (a[0].is_number()) {
    r = a[0].number().sign();
  } else if (is_positive(a[0])) {
    r = 1;
  } else if (is_negative(a[0])) {
    r = -1;
  } else {
    return false;
  }
  return true;
}

Number round_half_away(const Number& x) {
  const Number half(1, 2);
  return x.sign() < 0 ? -((-x + half).floor()) : (x + half).floor();
}

template <class Round>
bool exact_rounding(Args a, Expr& r, Round round) {
  if (exact_number(a[0])) {
    r = round(a[0].number());
  } else if (is_integer(a[0])) {
    r = a[0];
  } else {
    return false;
  }
  return true;
}

// Drops duplicates and all but the extreme of the numbers.
bool exact_extreme(Args a, Expr& r, bool largest) {
  std::vector<Expr> kept;
  bool have_number = false;
  Number extreme;
  for (const Expr& x : a) {
    if (x.is_number()) {
      const Number n = x.number();
      if (!have_number || (compare(n, extreme) > 0) == largest) extreme = n;
      have_number = true;
    } else if (std::find(kept.begin(), kept.end(), x) == kept.end()) {
      kept.push_back(x);
    }
  }
  if (have_number) kept.emplace_back(extreme);
  if (kept.size() == 1) {
    r = kept[0];
    return true;
  }
  std::sort(kept.begin(), kept.end(), [](const Expr& x, const Expr& y) { return order(x, y) < 0; });
  if (kept.size() == a.size() && std::equal(kept.begin(), kept.end(), a.begin())) return false;
  r = call(*find_function(largest ? "max" : "min"), kept);
  return true;
}

// 1 where argument i is the extreme one (the first of equals), else 0.
Expr derivative_of_extreme(Args a, std::size_t i, bool largest) {
  std::vector<Expr> conditions;
  for (std::size_t j = 0; j < a.size(); ++j) {
    if (j == i) continue;
    const Expr& low = largest ? a[j] : a[i];
    const Expr& high = largest ? a[i] : a[j];
    conditions.push_back(j < i ? less(low, high) : less_equal(low, high));
  }
  const Expr branches[] = {1, conjunction(conditions), 0};
  return piecewise(branches);
}

void ball_extreme(Ball& r, Balls x, bool largest, long p) {
  r = x[0];
  for (const Ball& v : x.subspan(1)) {
    if (largest) {
      arb_max(r.re(), r.re(), v.re(), p);
    } else {
      arb_min(r.re(), r.re(), v.re(), p);
    }
    if (!v.real()) acb_indeterminate(r.get());
  }
}

// A function of a real argument that is constant between jumps.
template <class F>
void ball_of_real(Ball& r, const Ball& x, F f) {
  if (!x.real()) {
    acb_indeterminate(r.get());
    return;
  }
  arb_zero(r.im());
  f(r.re(), x.re());
}

void arb_sign_exact(arb_ptr r, arb_srcptr x) { arb_sgn(r, x); }

// sign(x)*floor(abs(x) + shift)
void arb_towards_zero(arb_ptr y, arb_srcptr x, double shift, long p) {
  arb_t s;
  arb_t h;
  arb_init(s);
  arb_init(h);
  arb_sgn(s, x);
  arb_abs(y, x);
  arb_set_d(h, shift);
  arb_add(y, y, h, p);
  arb_floor(y, y, p);
  arb_mul(y, y, s, p);
  arb_clear(s);
  arb_clear(h);
}

// What is not analytic has a derivative along the real axis only.
void only_real(const Expr& argument, std::string_view name, std::string_view instead) {
  for (const Symbol& z : free_symbols(argument)) {
    if (!is_real(z))
      throw Error(ErrorKind::unsupported, std::string(name) + " has no complex derivative, and " +
                                              std::string(z.name()) +
                                              " may be complex: say that it is real, or write " + std::string(instead));
  }
}

}  // namespace

std::span<const FunctionRow> real_valued_rows() {
  static const FunctionRow rows[] = {
      {.name = "abs",
       .summary = "absolute value",
       .mathml = "abs",
       .c_name = "fabs",
       .parity = Parity::even,
       .analytic = false,
       .exact = exact_abs,
       .power_rule = power_of_abs,
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::nonzero)) != 0 ? bit(Assumption::positive) : bit(Assumption::nonnegative);
           },
       .derivative =
           [](Args a, std::size_t) {
             only_real(a[0], "abs", "sqrt(re(z)^2 + im(z)^2) in real symbols");
             return sign(a[0]);
           },
       .real = [](RealArgs x) { return std::fabs(x[0]); },
       .complex = [](ComplexArgs x) { return std::complex<double>(std::abs(x[0])); },
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball v;
             acb_abs(v.re(), x[0].get(), p);
             r = v;
           }},
      {.name = "sign",
       .summary = "-1, 0 or 1",
       .c_template = "($1 > 0 ? 1.0 : $1 < 0 ? -1.0 : $1 == 0 ? 0.0 : $1)",
       .parity = Parity::odd,
       .analytic = false,
       .exact = exact_sign,
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t) { return 2 * dirac_delta(a[0]); },
       .real = [](RealArgs x) { return std::isnan(x[0]) ? nan : static_cast<double>((x[0] > 0) - (x[0] < 0)); },
       .complex = [](ComplexArgs x) { return x[0] == 0.0 ? x[0] : x[0] / std::abs(x[0]); },
       .ball = [](Ball& r, Balls x, long) { ball_of_real(r, x[0], arb_sign_exact); }},
      {.name = "floor",
       .summary = "largest integer not above x",
       .mathml = "floor",
       .c_name = "floor",
       .analytic = false,
       .exact = [](Args a, Expr& r) { return exact_rounding(a, r, [](const Number& n) { return n.floor(); }); },
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::real)) != 0 ? bit(Assumption::integer) : std::uint16_t{0};
           },
       .derivative = [](Args, std::size_t) { return Expr(0); },
       .real = [](RealArgs x) { return std::floor(x[0]); },
       .ball = [](Ball& r, Balls x,
                  long p) { ball_of_real(r, x[0], [p](arb_ptr y, arb_srcptr v) { arb_floor(y, v, p); }); }},
      {.name = "ceil",
       .summary = "smallest integer not below x",
       .mathml = "ceiling",
       .c_name = "ceil",
       .analytic = false,
       .exact = [](Args a, Expr& r) { return exact_rounding(a, r, [](const Number& n) { return -((-n).floor()); }); },
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::real)) != 0 ? bit(Assumption::integer) : std::uint16_t{0};
           },
       .derivative = [](Args, std::size_t) { return Expr(0); },
       .real = [](RealArgs x) { return std::ceil(x[0]); },
       .ball = [](Ball& r, Balls x,
                  long p) { ball_of_real(r, x[0], [p](arb_ptr y, arb_srcptr v) { arb_ceil(y, v, p); }); }},
      {.name = "round",
       .summary = "nearest integer, halves away from 0",
       .c_name = "round",
       .parity = Parity::odd,
       .analytic = false,
       .exact = [](Args a, Expr& r) { return exact_rounding(a, r, round_half_away); },
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::real)) != 0 ? bit(Assumption::integer) : std::uint16_t{0};
           },
       .derivative = [](Args, std::size_t) { return Expr(0); },
       .real = [](RealArgs x) { return std::round(x[0]); },
       .ball = [](Ball& r, Balls x,
                  long p) { ball_of_real(r, x[0], [p](arb_ptr y, arb_srcptr v) { arb_towards_zero(y, v, 0.5, p); }); }},
      {.name = "trunc",
       .summary = "integer part, towards 0",
       .c_name = "trunc",
       .parity = Parity::odd,
       .analytic = false,
       .exact =
           [](Args a, Expr& r) {
             return exact_rounding(a, r, [](const Number& n) { return n.sign() < 0 ? -((-n).floor()) : n.floor(); });
           },
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::real)) != 0 ? bit(Assumption::integer) : std::uint16_t{0};
           },
       .derivative = [](Args, std::size_t) { return Expr(0); },
       .real = [](RealArgs x) { return std::trunc(x[0]); },
       .ball = [](Ball& r, Balls x,
                  long p) { ball_of_real(r, x[0], [p](arb_ptr y, arb_srcptr v) { arb_towards_zero(y, v, 0.0, p); }); }},
      {.name = "fmod",
       .summary = "remainder x - y*trunc(x/y)",
       .min_args = 2,
       .max_args = 2,
       .c_name = "fmod",
       .analytic = false,
       .domain = "a nonzero divisor",
       .exact =
           [](Args a, Expr& r) {
             if (!exact_number(a[0]) || !exact_number(a[1]) || a[1].is_integer(0)) return false;
             r = a[0] - a[1] * trunc(a[0] / a[1]);
             return true;
           },
       .facts = real_if_real,
       .derivative = [](Args a, std::size_t i) { return i == 0 ? Expr(1) : -trunc(a[0] / a[1]); },
       .real = [](RealArgs x) { return std::fmod(x[0], x[1]); },
       .ball =
           [](Ball& r, Balls x, long p) {
             Ball q;
             acb_div(q.get(), x[0].get(), x[1].get(), p);
             ball_of_real(r, q, [p](arb_ptr y, arb_srcptr v) { arb_towards_zero(y, v, 0.0, p); });
             acb_mul(r.get(), r.get(), x[1].get(), p);
             acb_sub(r.get(), x[0].get(), r.get(), p);
           }},
      {.name = "min",
       .summary = "smallest of its arguments",
       .max_args = -1,
       .mathml = "min",
       .c_name = "fmin",
       .analytic = false,
       .exact = [](Args a, Expr& r) { return exact_extreme(a, r, false); },
       .facts = [](std::uint16_t a) { return a; },
       .derivative = [](Args a, std::size_t i) { return derivative_of_extreme(a, i, false); },
       .real =
           [](RealArgs x) {
             return std::accumulate(x.begin() + 1, x.end(), x[0], [](double a, double b) { return std::fmin(a, b); });
           },
       .ball = [](Ball& r, Balls x, long p) { ball_extreme(r, x, false, p); }},
      {.name = "max",
       .summary = "largest of its arguments",
       .max_args = -1,
       .mathml = "max",
       .c_name = "fmax",
       .analytic = false,
       .exact = [](Args a, Expr& r) { return exact_extreme(a, r, true); },
       .facts = [](std::uint16_t a) { return a; },
       .derivative = [](Args a, std::size_t i) { return derivative_of_extreme(a, i, true); },
       .real =
           [](RealArgs x) {
             return std::accumulate(x.begin() + 1, x.end(), x[0], [](double a, double b) { return std::fmax(a, b); });
           },
       .ball = [](Ball& r, Balls x, long p) { ball_extreme(r, x, true, p); }},
      {.name = "heaviside",
       .summary = "unit step: 0 below 0, 1/2 at 0, 1 above",
       .c_template = "($1 > 0 ? 1.0 : $1 < 0 ? 0.0 : $1 == 0 ? 0.5 : $1)",
       .analytic = false,
       .exact =
           [](Args a, Expr& r) {
             if (a[0].is_number()) {
               r = Expr(1 + a[0].number().sign()) / 2;
             } else if (is_positive(a[0])) {
               r = 1;
             } else if (is_negative(a[0])) {
               r = 0;
             } else {
               return false;
             }
             return true;
           },
       .facts =
           [](std::uint16_t a) {
             return (a & bit(Assumption::real)) != 0 ? bit(Assumption::nonnegative) : std::uint16_t{0};
           },
       .derivative = [](Args a, std::size_t) { return dirac_delta(a[0]); },
       .real = [](RealArgs x) { return std::isnan(x[0]) ? nan : 0.5 * (1 + (x[0] > 0) - (x[0] < 0)); },
       .ball =
           [](Ball& r, Balls x, long p) {
             ball_of_real(r, x[0], [p](arb_ptr y, arb_srcptr v) {
               arb_sgn(y, v);
               arb_add_ui(y, y, 1, p);
               arb_mul_2exp_si(y, y, -1);
             });
           }},
      {.name = "dirac_delta",
       .summary = "unit impulse: 0 away from 0",
       .c_template = "($1 == 0 ? (double)INFINITY : 0.0)",
       .parity = Parity::even,
       .analytic = false,
       .domain = "a nonzero argument (the impulse has no value at 0)",
       .exact =
           [](Args a, Expr& r) {
             if ((!a[0].is_number() || a[0].number().is_zero()) && !is_nonzero(a[0])) return false;
             r = 0;
             return true;
           },
       .derivative = [](Args, std::size_t) -> Expr {
         throw Error(ErrorKind::unsupported,
                     "the derivative of dirac_delta(x) is not a function; keep it under an integral");
       },
       .real = [](RealArgs x) { return x[0] == 0 ? std::numeric_limits<double>::infinity() : 0.0; },
       .ball =
           [](Ball& r, Balls x, long) {
             ball_of_real(r, x[0], [](arb_ptr y, arb_srcptr v) {
               if (arb_contains_zero(v) != 0) {
                 arb_indeterminate(y);
               } else {
                 arb_zero(y);
               }
             });
           }},
  };
  return rows;
}

}  // namespace boreon
