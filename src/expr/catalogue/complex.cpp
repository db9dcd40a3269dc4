// SPDX-License-Identifier: MIT
// Parts of complex numbers. They are not differentiable in the complex sense; for real arguments they are simplified
// away at construction.
#include <cmath>

#include "boreon/error.hpp"
#include "expr/catalogue/rows.hpp"

namespace boreon {
namespace {

bool imaginary_factor(const Expr& e) {
  if (e.is_constant(ConstantCode::imaginary)) return true;
  if (!e.is(Kind::product)) return false;
  for (const auto [base, exponent] : Parts(e)) {
    if (base.is_constant(ConstantCode::imaginary) && exponent.is_integer(1)) return true;
  }
  return false;
}

// x + i*y with x and y known to be real; false where a term is neither.
bool real_and_imaginary(const Expr& e, Expr& x, Expr& y) {
  const auto one = [&](const Expr& term, const Expr& c) {
    if (is_real(term)) {
      x += c * term;
      return true;
    }
    if (!imaginary_factor(term)) return false;
    const Expr rest = -imaginary_unit() * term;
    if (!is_real(rest)) return false;
    y += c * rest;
    return true;
  };
  if (!e.is(Kind::sum)) return one(e, 1);
  if (e.operands().size() > 2001) return false;
  x = e.operands()[0];
  for (const auto [term, c] : Parts(e)) {
    if (!one(term, c)) return false;
  }
  return true;
}

template <class Pick>
bool exact_part(Args a, Expr& r, Pick pick) {
  Expr x = 0;
  Expr y = 0;
  if (!real_and_imaginary(a[0], x, y)) return false;
  return pick(x, y, r);
}

Expr no_derivative(const char* name) {
  throw Error(
      ErrorKind::unsupported,
      std::string(name) + " of a complex argument has no derivative; split the argument into real symbols, x + 1i*y");
}

}  // namespace

std::span<const FunctionRow> complex_rows() {
  static const FunctionRow rows[] = {
      {.name = "re",
       .summary = "real part",
       .latex = "\\operatorname{Re}",
       .unicode = "Re",
       .mathml = "real",
       .analytic = false,
       .exact =
           [](Args a, Expr& r) {
             return exact_part(a, r, [](const Expr& x, const Expr&, Expr& result) {
               result = x;
               return true;
             });
           },
       .facts = [](std::uint16_t) { return bit(Assumption::real); },
       .derivative = [](Args, std::size_t) { return no_derivative("re"); },
       .real = [](RealArgs x) { return x[0]; },
       .complex = [](ComplexArgs x) { return std::complex<double>(x[0].real()); },
       .ball =
           [](Ball& r, Balls x, long) {
             acb_set(r.get(), x[0].get());
             arb_zero(r.im());
           }},
      {.name = "im",
       .summary = "imaginary part",
       .latex = "\\operatorname{Im}",
       .unicode = "Im",
       .mathml = "imaginary",
       .analytic = false,
       .exact =
           [](Args a, Expr& r) {
             return exact_part(a, r, [](const Expr&, const Expr& y, Expr& result) {
               result = y;
               return true;
             });
           },
       .facts = [](std::uint16_t) { return bit(Assumption::real); },
       .derivative = [](Args, std::size_t) { return no_derivative("im"); },
       .real = [](RealArgs x) { return std::isnan(x[0]) ? x[0] : 0.0; },
       .complex = [](ComplexArgs x) { return std::complex<double>(x[0].imag()); },
       .ball =
           [](Ball& r, Balls x, long) {
             const Ball copy = x[0];
             acb_set_arb(r.get(), copy.im());
           }},
      {.name = "conjugate",
       .summary = "complex conjugate",
       .latex = "\\operatorname{conj}",
       .mathml = "conjugate",
       .analytic = false,
       .exact =
           [](Args a, Expr& r) {
             if (is_call_of(a[0], "conjugate")) {
               r = a[0].operands()[0];
               return true;
             }
             return exact_part(a, r, [](const Expr& x, const Expr& y, Expr& result) {
               result = x - imaginary_unit() * y;
               return true;
             });
           },
       .facts = [](std::uint16_t a) { return a; },
       .derivative = [](Args, std::size_t) { return no_derivative("conjugate"); },
       .real = [](RealArgs x) { return x[0]; },
       .complex = [](ComplexArgs x) { return std::conj(x[0]); },
       .ball = [](Ball& r, Balls x, long) { acb_conj(r.get(), x[0].get()); }},
      {.name = "arg",
       .summary = "argument of a complex number, in (-pi, pi]",
       .latex = "\\arg",
       .mathml = "arg",
       .analytic = false,
       .domain = "a nonzero argument",
       .exact =
           [](Args a, Expr& r) {
             if (is_positive(a[0])) {
               r = 0;
               return true;
             }
             if (is_negative(a[0])) {
               r = pi();
               return true;
             }
             return exact_part(a, r, [](const Expr& x, const Expr& y, Expr& result) {
               if (y.is_integer(0)) return false;
               if (x.is_integer(0) && y.is_integer(0)) return false;
               result = atan2(y, x);
               return true;
             });
           },
       .facts = [](std::uint16_t) { return bit(Assumption::real); },
       .derivative = [](Args a,
                        std::size_t) { return is_real(a[0]) ? -pi() * dirac_delta(a[0]) : no_derivative("arg"); },
       .real = [](RealArgs x) { return x[0] > 0   ? 0.0
                                       : x[0] < 0 ? std::acos(-1.0)
                                                  : std::nan(""); },
       .complex =
           [](ComplexArgs x) {
             return x[0] == 0.0 ? std::complex<double>(std::nan(""), 0) : std::complex<double>(std::arg(x[0]));
           },
       .ball =
           [](Ball& r, Balls x, long p) {
             const Ball copy = x[0];
             if (acb_contains_zero(copy.get()) != 0) {
               acb_indeterminate(r.get());
               return;
             }
             acb_zero(r.get());
             acb_arg(r.re(), copy.get(), p);
           }},
  };
  return rows;
}

}  // namespace boreon
