// SPDX-License-Identifier: MIT
#include "boreon/catalogue.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <string>
#include <unordered_map>

#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "expr/ball.hpp"
#include "expr/big_number.hpp"
#include "expr/canonical.hpp"
#include "expr/catalogue/rows.hpp"
#include "expr/node.hpp"
#include "expr/numeric_rows.hpp"
#include "expr/orientation.hpp"
#include "expr/work.hpp"

namespace boreon {

std::span<const FunctionRow> catalogue() {
  static const auto* rows = new std::vector<FunctionRow>([] {
    std::vector<FunctionRow> all;
    for (const auto part : {trigonometric_rows(), exponential_rows(), real_valued_rows(), complex_rows(), gamma_rows(),
                            integral_rows(), bessel_rows(), orthogonal_rows(), hypergeometric_rows(), elliptic_rows(), polynomial_rows()}) {
      all.insert(all.end(), part.begin(), part.end());
    }
    return all;
  }());
  return *rows;
}

const FunctionRow* find_function(std::string_view name) {
  static const auto* index = new std::unordered_map<std::string_view, const FunctionRow*>([] {
    std::unordered_map<std::string_view, const FunctionRow*> map;
    for (const FunctionRow& row : catalogue()) map.emplace(row.name, &row);
    return map;
  }());
  const auto at = index->find(name);
  return at == index->end() ? nullptr : at->second;
}

namespace {

bool all_doubles(std::span<const Expr> args) {
  bool any = false;
  for (const Expr& a : args) {
    if (!a.is_number()) return false;
    any = any || a.number().is_double();
  }
  return any;
}

// `turned`: the sign of the argument is settled.
Expr make_call(const FunctionRow& row, std::span<const Expr> args, bool turned) {
  const auto n = static_cast<int>(args.size());
  if (n < row.min_args || (row.max_args >= 0 && n > row.max_args)) {
    const std::string wanted = row.max_args < 0               ? fmt::format("at least {}", row.min_args)
                               : row.min_args == row.max_args ? fmt::format("{}", row.min_args)
                                                              : fmt::format("{} to {}", row.min_args, row.max_args);
    throw Error(ErrorKind::shape,
                fmt::format("{} takes {} argument{}, got {}", row.name, wanted, wanted == "1" ? "" : "s", n));
  }
  for (const Expr& a : args) {
    if (a.is_constant(ConstantCode::undefined)) return undefined();
    if (is_condition(a)) {
      throw Error(ErrorKind::shape,
                  fmt::format("a condition stands where a number is expected, as an argument of {}; write "
                              "piecewise(1 if condition, 0 otherwise)",
                              row.name));
    }
  }
  if (Expr result; row.exact != nullptr && row.exact(args, result)) return result;
  if (all_doubles(args)) {
    double values[8];
    for (std::size_t i = 0; i < args.size() && i < 8; ++i) values[i] = args[i].number().to_double();
    if (args.size() <= 8) {
      const double v = evaluate_real(row, {values, args.size()});
      if (!std::isnan(v)) return {v};
    }
  }
  if (row.parity != Parity::none && n == 1 && !turned) {
    const Oriented o = oriented(args[0]);
    if (o.value != args[0]) {
      const Expr positive[] = {o.value};
      const Expr value = make_call(row, positive, true);
      return o.turned && row.parity == Parity::odd ? -value : value;
    }
  }
  std::vector<Expr> copy(args.begin(), args.end());
  return Node::intern(Kind::call, row_number(row), copy);
}

}  // namespace

Expr call(const FunctionRow& row, std::span<const Expr> args) { return make_call(row, args, false); }

Ball Ball::from(const Number& number, long precision) {
  Ball b;
  if (number.is_double()) {
    acb_set_d(b.value_, number.to_double());
    return b;
  }
  fmpq_t q;
  fmpq_init(q);
  const mpq_class value = to_mpq(number);
  fmpq_set_mpq(q, value.get_mpq_t());
  acb_set_fmpq(b.value_, q, precision);
  fmpq_clear(q);
  return b;
}

Ball Ball::from(std::complex<double> value) {
  Ball b;
  acb_set_d_d(b.value_, value.real(), value.imag());
  return b;
}

bool accurate(const Ball& ball, long bits) {
  if (!ball.finite()) return false;
  // Relative to the larger part: a tiny real part beside a large imaginary one is as good as it gets.
  return acb_rel_accuracy_bits(ball.get()) >= bits;
}

double midpoint(arb_srcptr x) { return arf_get_d(arb_midref(x), ARF_RND_NEAR); }

std::string decimal(arb_srcptr x, int digits) {
  char* const text = arb_get_str(x, digits, ARB_STR_NO_RADIUS);
  std::string s(text);
  flint_free(text);
  return s;
}

namespace {

// The ball library calls this where it would end the program: sizes beyond what it was made for, no memory.
FLINT_NORETURN void give_up() {
  throw Error(ErrorKind::limit, "a number is too large for the arithmetic of special functions");
}

bool beyond(const Ball& order) {
  constexpr long most_bits = 30;
  return arf_cmpabs_2exp_si(arb_midref(order.re()), most_bits) > 0 ||
         arf_cmpabs_2exp_si(arb_midref(order.im()), most_bits) > 0;
}

std::uint64_t steps_for_order(const Ball& order) {
  constexpr double free_of_charge = 1000;
  const double size = std::abs(arf_get_d(arb_midref(order.re()), ARF_RND_DOWN)) +
                      std::abs(arf_get_d(arb_midref(order.im()), ARF_RND_DOWN));
  return size > free_of_charge && size < 1e12 ? static_cast<std::uint64_t>(size) : 0;
}

}  // namespace

void ball_value(const FunctionRow& row, Ball& result, std::span<const Ball> args, long precision) {
  static const bool guarded = [] {
    flint_set_abort(give_up);
    return true;
  }();
  (void)guarded;
  // Choosing and comparing costs nothing beside a series.
  const bool choice = !row.analytic;
  spend(choice ? 60 : 200 + static_cast<std::uint64_t>(precision) * static_cast<std::uint64_t>(precision) / 512);
  for (std::size_t i = 0; i < std::min<std::size_t>(args.size(), static_cast<std::size_t>(row.orders)); ++i) {
    if (args[i].finite() && beyond(args[i])) {
      acb_indeterminate(result.get());
      return;
    }
    // one call takes as many steps as the order is large, in so many bits, and cannot be interrupted
    spend(steps_for_order(args[i]) * static_cast<std::uint64_t>(precision) / 8);
  }
  row.ball(result, args, precision);
}

namespace {

// Raises the precision until the value is known well enough to round.
template <class Finish>
auto through_ball(const FunctionRow& row, std::span<const Ball> args, Finish finish) {
  Ball result;
  for (long precision = 64; precision <= 4096; precision *= 2) {
    ball_value(row, result, args, precision);
    if (accurate(result, double_bits)) return finish(result, true);
    if (!result.finite() && precision >= 256) break;
  }
  // A value that is exactly zero never gains relative accuracy.
  mag_t radius;
  mag_init(radius);
  acb_get_mag(radius, result.get());
  const bool zero = result.finite() && mag_cmp_2exp_si(radius, -1000) < 0;
  mag_clear(radius);
  return finish(result, zero);
}

}  // namespace

Expr partial_derivative(const FunctionRow& row, std::span<const Expr> args, std::size_t i) {
  if (row.own != 0) return numeric_partial(row, args, i);
  if (row.derivative == nullptr)
    throw Error(ErrorKind::unsupported, fmt::format("no rule is known for the derivative of {}", row.name));
  return row.derivative(args, i);
}

double evaluate_real(const FunctionRow& row, std::span<const double> args) {
  if (row.own != 0) return numeric_value(row, args);
  if (row.real != nullptr) return row.real(args);
  constexpr double nan = std::numeric_limits<double>::quiet_NaN();
  std::vector<Ball> balls;
  for (const double a : args) {
    if (!std::isfinite(a)) return nan;
    balls.push_back(Ball::from(std::complex<double>(a)));
  }
  return through_ball(row, balls, [&](const Ball& b, bool good) {
    if (!good) return nan;
    if (b.real()) return midpoint(b.re());
    return arb_contains_zero(b.im()) != 0 && arb_rel_accuracy_bits(b.re()) >= double_bits ? midpoint(b.re()) : nan;
  });
}

std::complex<double> evaluate_complex(const FunctionRow& row, std::span<const std::complex<double>> args) {
  if (row.complex != nullptr) return row.complex(args);
  constexpr double nan = std::numeric_limits<double>::quiet_NaN();
  if (row.own != 0) {
    std::vector<double> real;
    for (const auto& a : args) real.push_back(a.imag() == 0 ? a.real() : nan);
    return numeric_value(row, real);
  }
  std::vector<Ball> balls;
  for (const auto& a : args) {
    if (!std::isfinite(a.real()) || !std::isfinite(a.imag())) return {nan, nan};
    balls.push_back(Ball::from(a));
  }
  return through_ball(row, balls, [&](const Ball& b, bool good) {
    return good ? std::complex<double>(midpoint(b.re()), midpoint(b.im())) : std::complex<double>(nan, nan);
  });
}

}  // namespace boreon
